import { Button } from "react-bootstrap";
import { Link } from "react-router";
import type { EditView } from "./api";
import { ProblemNote } from "./ProblemNote";
import { useUndoEdit } from "./queries";
import { moment } from "./words";

/** What was changed, newest first, each to be taken back. */
export function EditList({ edits, linked = false }: { edits: EditView[]; linked?: boolean }) {
  const undo = useUndoEdit();
  return (
    <>
      <ProblemNote error={undo.error} />
      <ul className="edit-list">
        {edits.map((e) => (
          <li key={e.id} className={e.undone ? "undone" : ""}>
            <span className="time">{moment(e.madeAt)}</span>
            <span>{linked && e.boardId ? <Link to={`/boards/${e.boardId}/identify`}>{e.says}</Link> : e.says}</span>
            {e.undone ? (
              <span className="quiet">taken back</span>
            ) : (
              <Button
                variant="outline-secondary"
                size="sm"
                disabled={undo.isPending}
                aria-label={`Take it back: ${e.says}`}
                onClick={() => undo.mutate(e.id)}
              >
                Take it back
              </Button>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}
