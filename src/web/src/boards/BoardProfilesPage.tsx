import { Form } from "react-bootstrap";
import { ListPage } from "../shared/ListPage";
import { ProblemNote } from "../shared/ProblemNote";
import { useAddedProfiles, useCatalogue } from "../shared/queries";
import { useImportProfiles } from "./queries";
import { BoardProfileView } from "./BoardProfileView";

const pack = (rows: { id: string }[]) => `/api/profiles/export?ids=${rows.map((r) => r.id).join(",")}`;

/** All board profiles: those that ship and those that were added, with import and export. */
export default function BoardProfilesPage() {
  const catalogue = useCatalogue();
  const added = useAddedProfiles();
  const bring = useImportProfiles();
  const own = new Set(added.data?.boards);
  return (
    <ListPage
      title="Board profiles"
      lead="What is known of a model: its revisions and marks, console, supply, media and lights. A profile is a YAML file; a pack is several in one file."
      rows={catalogue.data?.models}
      error={catalogue.error ?? bring.error}
      hint="Filter by maker, model, processor, mark or code"
      more={(m) => m.revisions.flatMap((r) => [r.mark, r.compatible, ...r.codes]).join(" ")}
      columns={[
        {
          name: "Board",
          show: (m) => `${m.maker} ${m.name}${m.carrier ? ` on ${m.carrier}` : ""}`,
          by: (m) => `${m.maker} ${m.name}`,
        },
        { name: "Processor", show: (m) => m.processor ?? "not known", by: (m) => m.processor },
        { name: "Revisions", show: (m) => m.revisions.length, by: (m) => m.revisions.length },
        {
          name: "From",
          show: (m) => (own.has(m.id) ? "added here" : "with Buttonhook"),
          by: (m) => (own.has(m.id) ? "added here" : "with Buttonhook"),
        },
      ]}
      tools={
        <Form.Group controlId="import-cards">
          <Form.Label className="quiet">Bring in a profile or a pack</Form.Label>
          <Form.Control
            type="file"
            accept=".yaml,.yml"
            onChange={(e) => {
              const input = e.target as HTMLInputElement;
              const file = input.files?.[0];
              if (file) bring.mutate(file);
              input.value = "";
            }}
          />
        </Form.Group>
      }
      above={
        <p role="status" className="quiet">
          {bring.data &&
            `Added: ${[...bring.data.boards, ...bring.data.images, ...bring.data.codes].join(", ")}. They are on the shelves.`}
        </p>
      }
      empty={
        <>
          <p>No board profile is here yet.</p>
          <p>
            A profile is made from what a board or its image says: bring an image, a log or a device tree to the bench
            and the board in it becomes a profile. Or bring in a profile as a YAML file above.
          </p>
        </>
      }
      details={(m) => (
        <>
          <BoardProfileView model={m} />
          <ProblemNote error={added.error} />
        </>
      )}
      removable={(m) => (own.has(m.id) ? "board-card" : null)}
      downloads={[{ name: "Take as YAML", of: pack }]}
      removedKinds={["board-card", "code-card"]}
    />
  );
}
