import { Link } from "react-router";
import type { TriedView } from "../shared/api";
import styles from "./Asking.module.css";
import { editInWords } from "./editInWords";

/** What was tried in a boot and what came of it; what proved itself leads to the card. */
export function TriedList({ tried, boardId }: { tried: TriedView[]; boardId: string }) {
  if (tried.length === 0) return null;
  return (
    <ul className={styles.steps} aria-label="What was tried">
      {tried.map((t) => (
        <li key={t.line}>
          <p className={styles.question}>
            {t.offered.says} <span className="quiet">Until reset, behind line {t.line}.</span>
          </p>
          <p role="status">
            <strong>{t.says}</strong>
          </p>
          {t.verdict === "proved" && t.offered.edit && (
            <p>
              What lasts: {editInWords(t.offered.edit)}. <Link to={`/boards/${boardId}/prepare`}>Correct the card</Link>
            </p>
          )}
        </li>
      ))}
    </ul>
  );
}
