import { Button } from "react-bootstrap";
import type { BootView, Diagnosis } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { percent } from "../shared/words";
import { useTellEnd } from "./queries";
import styles from "./Diagnose.module.css";

const most = 3;

/** Whether the board stood still where a log file ends, which the file does not tell; with what it would be then. */
export function EndOfLog({ boot, diagnosis }: { boot: BootView; diagnosis: Diagnosis }) {
  const tell = useTellEnd(boot.id, boot.boardId);
  const still = diagnosis.ifStill;
  if (!boot.endOfLog) return null;
  if (boot.endOfLog !== "not-told")
    return (
      <p className={styles.end}>
        {boot.endOfLog === "stood-still"
          ? "You said: the board stood still where this log ends."
          : "You said: only the capture ended where this log ends."}{" "}
        <Button variant="link" size="sm" disabled={tell.isPending} onClick={() => tell.mutate(null)}>
          Take it back
        </Button>
        <ProblemNote error={tell.error} />
      </p>
    );
  if (!still && diagnosis.outcome !== "silent") return null;
  return (
    <section className={styles.end} aria-label="The end of the log">
      <h2>Did the board stand still where the log ends?</h2>
      <p>
        A file does not tell.{" "}
        {still &&
          `If it did: ${still.causes
            .slice(0, most)
            .map((c) => `${c.name.toLowerCase()} (${percent(c.probability)})`)
            .join(", ")}.`}
      </p>
      <div className={styles.answers}>
        <Button variant="outline-secondary" disabled={tell.isPending} onClick={() => tell.mutate(true)}>
          It stood still
        </Button>
        <Button variant="outline-secondary" disabled={tell.isPending} onClick={() => tell.mutate(false)}>
          Only the capture ended
        </Button>
      </div>
      <ProblemNote error={tell.error} />
    </section>
  );
}
