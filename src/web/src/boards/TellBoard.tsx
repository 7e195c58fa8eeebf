import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { Catalogue } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useIdentify } from "../shared/queries";
import { memory, percent } from "../shared/words";

async function base64(file: File): Promise<string> {
  const bytes = new Uint8Array(await file.arrayBuffer());
  let text = "";
  for (const byte of bytes) text += String.fromCharCode(byte);
  return btoa(text);
}

/** Tells which board it is from what is printed, logged or read, with the look that tells most. */
export function TellBoard({
  catalogue,
  onUse,
}: {
  catalogue: Catalogue;
  onUse: (told: { modelId: string; revisionId: string; memoryMiB: number; toldBy: string[] }) => void;
}) {
  const identify = useIdentify();
  const [mark, setMark] = useState("");
  const [text, setText] = useState("");
  const [tree, setTree] = useState<string | null>(null);
  const told = identify.data;
  return (
    <details className="tell">
      <summary>Not sure which board it is?</summary>
      <Form
        onSubmit={(e) => {
          e.preventDefault();
          identify.mutate({ mark: mark || null, text: text || null, tree });
        }}
      >
        <div className="board-form">
          <Form.Group controlId="tell-mark">
            <Form.Label>What is printed on it</Form.Label>
            <Form.Control value={mark} onChange={(e) => setMark(e.target.value)} />
            <Form.Label className="second" htmlFor="tell-tree">
              A device tree, or a log file
            </Form.Label>
            <Form.Control
              id="tell-tree"
              type="file"
              onChange={(e) => {
                const file = (e.target as HTMLInputElement).files?.[0];
                if (!file) setTree(null);
                else if (file.name.endsWith(".dtb")) void base64(file).then(setTree);
                else void file.text().then(setText);
              }}
            />
          </Form.Group>
          <Form.Group controlId="tell-text">
            <Form.Label>Its boot log, or text of the running system</Form.Label>
            <Form.Control as="textarea" rows={5} value={text} onChange={(e) => setText(e.target.value)} />
          </Form.Group>
        </div>
        <Button type="submit" variant="outline-secondary" disabled={identify.isPending}>
          Tell me
        </Button>
      </Form>
      <ProblemNote error={identify.error} />
      {told && (
        <div className="told" role="status">
          {told.contradictions.map((c) => (
            <p key={c} className="refused">
              <strong>They do not agree.</strong> {c}
            </p>
          ))}
          <ul className="candidates">
            {told.candidates.map((c) => (
              <li key={c.name}>
                <span className="share">{percent(c.probability)}</span>
                <span>
                  <strong>
                    {c.name}
                    {c.memoryMiB ? `, ${memory(c.memoryMiB)}` : ""}
                  </strong>{" "}
                  {c.reasons.map((r) => (
                    <span key={r.source + r.text} className={r.for ? "" : "refused"}>
                      {r.text}{" "}
                    </span>
                  ))}
                </span>
                <Button
                  variant="outline-secondary"
                  size="sm"
                  aria-label={`Use ${c.name}`}
                  onClick={() => {
                    const model = catalogue.models.find((m) => m.id === c.modelId);
                    onUse({
                      modelId: c.modelId,
                      revisionId: c.revisionId,
                      memoryMiB: c.memoryMiB ?? model?.memoryMiB[0] ?? 0,
                      toldBy: [...(mark ? ["mark"] : []), ...(text || tree ? ["loader"] : [])],
                    });
                  }}
                >
                  Use
                </Button>
              </li>
            ))}
            <li>
              <span className="share">{percent(told.unknown)}</span>
              <span>A board that has no card here.</span>
            </li>
          </ul>
          {told.next && (
            <p className="next-check">
              <strong>Look here next: {told.next.where.toLowerCase()}.</strong> {told.next.answers.join("; ")}.
            </p>
          )}
        </div>
      )}
    </details>
  );
}
