import { Button } from "react-bootstrap";
import { ProblemNote } from "./ProblemNote";
import { useRemoved, useRestore } from "./queries";
import type { RemovedKind } from "./queries";
import { day } from "./words";

/** What was removed of some kinds, to be taken back; nothing when there is none. */
export function RemovedList({ kinds }: { kinds: RemovedKind[] }) {
  const removed = useRemoved();
  const restore = useRestore();
  const rows = removed.data?.filter((r) => kinds.includes(r.kind as RemovedKind)) ?? [];
  if (rows.length === 0) return <ProblemNote error={restore.error} />;
  return (
    <section className="removed" aria-labelledby={`removed-${kinds[0]}`}>
      <h2 id={`removed-${kinds[0]}`}>Removed lately</h2>
      <ul>
        {rows.map((r) => (
          <li key={r.kind + r.id}>
            {r.name} <span className="quiet">{day(r.removedAt)}</span>{" "}
            <Button
              variant="outline-secondary"
              size="sm"
              disabled={restore.isPending}
              aria-label={`Take back ${r.name}`}
              onClick={() => restore.mutate(r)}
            >
              Take back
            </Button>
          </li>
        ))}
      </ul>
      <ProblemNote error={restore.error} />
    </section>
  );
}
