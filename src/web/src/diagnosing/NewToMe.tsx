import { Link } from "react-router";
import type { BootView, Diagnosis } from "../shared/api";
import styles from "./Diagnose.module.css";

/** Says that most of a log was never met before, with the first lines that are new. */
export function NewToMe({ boot, part }: { boot: BootView; part: NonNullable<Diagnosis["newToMe"]> }) {
  return (
    <details className={styles.harmless} open>
      <summary>
        New to me: {part.novel} of {part.lines} lines stand in no boot that was learnt from
      </summary>
      <p>The rules may not fit this loader, kernel or system; take the shares above with care.</p>
      <ul>
        {part.first.slice(0, 8).map((l) => (
          <li key={l.line}>
            <Link to={`/boards/${boot.boardId}/boot?boot=${boot.id}&line=${l.line}`}>{l.line}</Link>{" "}
            <code>{l.text.trim()}</code>
          </li>
        ))}
      </ul>
    </details>
  );
}
