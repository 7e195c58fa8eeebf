import { Link } from "react-router";
import type { BootView, Diagnosis } from "../shared/api";
import styles from "./Diagnose.module.css";

/** What stopped nothing, and is worth doing something about. */
export function Remarks({ boot, diagnosis }: { boot: BootView; diagnosis: Diagnosis }) {
  const remarks = diagnosis.remarks ?? [];
  if (remarks.length === 0) return null;
  return (
    <section className={styles.remarks} aria-label="Remarks">
      <h2>It stopped nothing, but</h2>
      <ul>
        {remarks.map((r) => (
          <li key={r.line}>
            {r.why} {r.toDo}{" "}
            <Link to={`/boards/${boot.boardId}/boot?boot=${boot.id}&line=${r.line}`}>Line {r.line}</Link>
            {r.times > 1 && ` and ${r.times - 1} more`}
          </li>
        ))}
      </ul>
    </section>
  );
}
