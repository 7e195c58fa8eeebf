import { Button } from "react-bootstrap";
import type { BoardView } from "./api";
import { ProblemNote } from "./ProblemNote";
import { useRemove } from "./queries";

/** What was changed on this card so far, in order, and whether a later boot proved it. */
export function ProfileChanges({ view }: { view: BoardView }) {
  const remove = useRemove();
  if (view.changes.length === 0) return null;
  return (
    <section className="changes" aria-labelledby="changes-title">
      <h2 id="changes-title">Changed on this card so far</h2>
      <ul>
        {view.changes.map((c) => (
          <li key={c.id}>
            {c.text} <span className="quiet">{c.proven}</span>{" "}
            {c.edit && (
              <span className="quiet">
                <code>{c.edit.path}</code>
                {c.edit.line > 0 && `, line ${c.edit.line}`}: <del>{c.edit.before ?? ""}</del>{" "}
                <ins>{c.edit.after ?? ""}</ins>{" "}
              </span>
            )}
            <Button
              variant="outline-secondary"
              size="sm"
              disabled={remove.isPending}
              aria-label={`Remove: ${c.text}`}
              onClick={() => remove.mutate({ kind: "correction", id: String(c.id) })}
            >
              Remove
            </Button>
          </li>
        ))}
      </ul>
      <ProblemNote error={remove.error} />
    </section>
  );
}
