import type { ImageProfile } from "../shared/api";
import { Facts } from "../shared/Facts";
import { ListPage } from "../shared/ListPage";
import { ProblemNote } from "../shared/ProblemNote";
import { useAddedProfiles, useCatalogue } from "../shared/queries";
import { useFound } from "./queries";
import { binary, consoleOf, decimal, memoryOf, setName } from "../shared/words";
import { FoundImage } from "./FoundImage";
import { ImageFilePanel } from "./ImageFilePanel";

/** All images with what decides where they start, and image files to look into. */
export default function ImageShelfPage() {
  const catalogue = useCatalogue();
  const added = useAddedProfiles();
  const models = new Map(catalogue.data?.models.map((m) => [m.id, m.name]));
  const own = new Set(added.data?.images);
  const boards = (i: ImageProfile) =>
    [...new Set(i.supports.map((s) => models.get(s.model) ?? s.model))].join(", ") || "boards that its trees name";
  return (
    <ListPage
      title="Image shelf"
      lead="Images with what decides where they start. A file that is looked into can be put on the shelf."
      above={<ImageFilePanel />}
      rows={catalogue.data?.images}
      error={catalogue.error}
      hint="Filter by name, board or kernel"
      more={(i) => [i.path, i.defaultUser, ...(i.trees ?? [])].join(" ")}
      columns={[
        { name: "Image", show: (i) => i.title, by: (i) => i.title ?? null },
        {
          name: "Instruction set",
          show: (i) => setName(i.instructionSet),
          by: (i) => setName(i.instructionSet),
        },
        { name: "Kernel", show: (i) => i.kernel, by: (i) => i.kernel },
        { name: "For", show: boards, by: boards },
        { name: "Long-term to", show: (i) => i.longTermUntil ?? "", by: (i) => i.longTermUntil },
      ]}
      empty={
        <>
          <p>No image is on the shelf yet.</p>
          <p>Name an image file by its path above, or drop it there: what it is for is read from it.</p>
        </>
      }
      details={(i) => <ShelvedImage image={i} models={models} />}
      removable={(i) => (own.has(i.id) ? "image-card" : null)}
      downloads={[
        { name: "Take as YAML", of: (rows) => `/api/profiles/export?ids=${rows.map((r) => r.id).join(",")}` },
      ]}
      removedKinds={["image-card"]}
    />
  );
}

function ShelvedImage({ image: i, models }: { image: ImageProfile; models: Map<string, string> }) {
  const found = useFound(i.id, i.path !== null);
  const facts: [string, React.ReactNode][] = [
    [
      "For",
      i.supports
        .map(
          (s) =>
            `${models.get(s.model) ?? s.model} ${s.revisions.join(", ")}${s.missing ? ` (without ${s.missing})` : ""}`,
        )
        .join("; ") || "boards that its device trees name",
    ],
    ["Device trees", i.trees?.join(", ")],
    ["Download, unpacked", `${decimal(i.downloadBytes)}, ${binary(i.expandedBytes)}`],
    ["Card", `${i.smallestCardGb} GB, better ${i.recommendedCardGb}`],
    ["Memory", memoryOf(i)],
    ["Console", i.consoleDevice ? <code>{consoleOf(i)}</code> : "none"],
    ["How it gets onto the card", i.kind === "installer" ? "files copied onto FAT32" : "written as it is"],
    ["Default user", i.defaultUser],
    ["File", i.path],
  ];
  return (
    <>
      <Facts facts={facts} />
      {found.data && <FoundImage inspection={found.data} />}
      <ProblemNote error={i.path !== null ? found.error : null} />
    </>
  );
}
