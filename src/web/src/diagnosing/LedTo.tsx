import { Link } from "react-router";
import type { RankedCause } from "../shared/api";
import styles from "./Diagnose.module.css";

/** How a cause went on to the end: each later symptom with its line, so that nobody mends the last one first. */
export function LedTo({ cause, boardId, bootId }: { cause: RankedCause; boardId: string; bootId: string }) {
  const later = cause.ledTo ?? [];
  if (later.length === 0) return null;
  return (
    <div className={styles.ledTo}>
      <p>What came of it:</p>
      <ol aria-label={`What came of it: ${cause.name}`}>
        {later.map((l) => (
          <li key={l.line}>
            <Link to={`/boards/${boardId}/boot?boot=${bootId}&line=${l.line}`}>{l.line}</Link>{" "}
            {l.name ?? "The boot ended here"}: <code>{l.text.trim()}</code>
          </li>
        ))}
      </ol>
    </div>
  );
}
