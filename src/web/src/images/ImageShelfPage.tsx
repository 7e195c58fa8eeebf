import { useState } from "react";
import type { ImageCard } from "../shared/api";
import { CardLinks } from "../shared/CardLinks";
import { Facts } from "../shared/Facts";
import { ProblemNote } from "../shared/ProblemNote";
import { useAddedCards, useCatalogue, useFound } from "../shared/queries";
import { binary, decimal, consoleOf, memoryOf, setName } from "../shared/words";
import { RemovedList } from "../shared/RemovedList";
import { FoundImage } from "./FoundImage";
import { ImageFilePanel } from "./ImageFilePanel";

/** All images with what decides where they start, and image files to look into. */
export function ImageShelfPage() {
  const catalogue = useCatalogue();
  const added = useAddedCards();
  const models = new Map(catalogue.data?.models.map((m) => [m.id, m.name]));
  return (
    <main className="page wide" id="page">
      <title>Image shelf · Buttonhook</title>
      <h1>Image shelf</h1>
      <ImageFilePanel />
      <h2>Images on the shelf</h2>
      <ProblemNote error={catalogue.error} />
      <RemovedList kinds={["image-card"]} />
      <div className="board-cards">
        {catalogue.data?.images.map((i) => (
          <ShelvedImage key={i.id} image={i} models={models} own={added.data?.images.includes(i.id) ?? false} />
        ))}
      </div>
    </main>
  );
}

function ShelvedImage({ image: i, models, own }: { image: ImageCard; models: Map<string, string>; own: boolean }) {
  const [open, setOpen] = useState(false);
  const found = useFound(i.id, open && i.path !== null);
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
    ["Way onto the card", i.kind === "installer" ? "files copied onto FAT32" : "written as it is"],
    ["Default user", i.defaultUser],
    ["File", i.path],
  ];
  return (
    <details id={i.id} onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary>
        <strong>{i.title}</strong>{" "}
        <span className="quiet">
          {setName(i.instructionSet)}, kernel {i.kernel}
          {i.longTermUntil && `, long-term to ${i.longTermUntil}`}
          {i.supports.length > 0 &&
            `, for ${[...new Set(i.supports.map((s) => models.get(s.model) ?? s.model))].join(", ")}`}
          {own && ", added here"}
        </span>
      </summary>
      <Facts facts={facts} />
      {found.data && <FoundImage inspection={found.data} />}
      <ProblemNote error={i.path !== null ? found.error : null} />
      <CardLinks kind="image" id={i.id} name={i.title ?? ""} own={own} />
    </details>
  );
}
