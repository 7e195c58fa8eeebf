import { useState } from "react";
import { Form } from "react-bootstrap";
import { CardLinks } from "../shared/CardLinks";
import { ProblemNote } from "../shared/ProblemNote";
import { useAddedCards, useCatalogue, useImportCards } from "../shared/queries";
import { RemovedList } from "../shared/RemovedList";
import { BoardCardView } from "./BoardCardView";

/** All board cards: those that ship and those that were added, with import and export. */
export function BoardCardsPage() {
  const catalogue = useCatalogue();
  const added = useAddedCards();
  const bring = useImportCards();
  const [text, setText] = useState("");
  const models = (catalogue.data?.models ?? []).filter((m) =>
    [m.maker, m.name, m.processor, ...m.revisions.flatMap((r) => [r.mark, r.compatible, ...r.codes])]
      .join(" ")
      .toLowerCase()
      .includes(text.toLowerCase()),
  );
  const own = new Set(added.data?.boards);
  return (
    <main className="page wide" id="page">
      <title>Board cards · Buttonhook</title>
      <h1>Board cards</h1>
      <p className="lead">
        {catalogue.data?.models.length ?? 0} models are known. A card is a YAML file; a pack is several in one file.
      </p>
      <div className="source-row">
        <Form.Control
          className="filter"
          aria-label="Narrow the list"
          placeholder="Narrow by maker, model, processor, mark or code"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <Form.Group controlId="import-cards">
          <Form.Label>Bring in a card or a pack</Form.Label>
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
        {own.size > 0 && (
          <a href={`/api/cards/export?ids=${[...own].join(",")}`} download>
            Take all added cards as one pack
          </a>
        )}
      </div>
      <ProblemNote error={catalogue.error ?? bring.error} />
      <p role="status" className="quiet">
        {bring.data &&
          `Added: ${[...bring.data.boards, ...bring.data.images, ...bring.data.codes].join(", ")}. They are on the shelves.`}
      </p>
      <RemovedList kinds={["board-card", "code-card"]} />
      <div className="board-cards">
        {models.map((m) => (
          <details key={m.id} id={m.id}>
            <summary>
              <strong>
                {m.maker} {m.name}
                {m.carrier ? ` on ${m.carrier}` : ""}
              </strong>{" "}
              <span className="quiet">
                {m.processor}, {m.revisions.length} {m.revisions.length === 1 ? "revision" : "revisions"}
                {own.has(m.id) && ", added here"}
              </span>
            </summary>
            <BoardCardView model={m} />
            <CardLinks kind="board" id={m.id} name={m.name} own={own.has(m.id)} />
          </details>
        ))}
      </div>
    </main>
  );
}
