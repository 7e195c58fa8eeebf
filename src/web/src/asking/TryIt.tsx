import { Button } from "react-bootstrap";
import type { OfferedTrial } from "../shared/api";
import styles from "./Asking.module.css";

/** What can be tried until the board restarts: the very lines, what they change, and one press that types them. */
export function TryIt({ trial, busy, onTry }: { trial: OfferedTrial; busy: boolean; onTry: () => void }) {
  return (
    <div className={styles.trial} role="group" aria-label="Try it until the board restarts">
      <div className={styles.head}>
        <p>
          <strong>{trial.says}</strong> {trial.changes} A restart undoes it.
        </p>
        <Button variant="outline-secondary" disabled={busy} onClick={onTry}>
          Try it until reset
        </Button>
      </div>
      <pre tabIndex={0} aria-label="What is typed">
        {trial.lines.join("\n")}
      </pre>
    </div>
  );
}
