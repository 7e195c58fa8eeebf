import { Button } from "react-bootstrap";
import type { BoardView, TriedView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useCorrect } from "../shared/queries";
import styles from "./Asking.module.css";
import { EditWords } from "./EditWords";
import { useAsked } from "./queries";

/** On Prepare: the edit that proved itself until the last reset, and the word that it is on the card now. */
export function ProvedEdit({ view }: { view: BoardView }) {
  return view.latestBootId ? <OfBoot view={view} bootId={view.latestBootId} /> : null;
}

function OfBoot({ view, bootId }: { view: BoardView; bootId: string }) {
  const asked = useAsked(bootId, false);
  const correct = useCorrect(view.board.id);
  const proved = asked.data?.tried.findLast((t) => t.verdict === "proved" && t.offered.edit);
  if (!proved?.offered.edit || view.changes.some((c) => c.causeId === proved.offered.causeId)) return null;
  return (
    <section className={styles.ask} aria-label="What proved itself">
      <div className={styles.head}>
        <p>
          <strong>It started with this, until reset.</strong> On the card, <EditWords edit={proved.offered.edit} /> Then
          boot without a hand: that boot counts.
        </p>
        <Button
          variant="outline-secondary"
          disabled={correct.isPending}
          onClick={() => correct.mutate({ bootId, causeId: proved.offered.causeId, text: inWords(proved), edit: null })}
        >
          {view.board.simulated ? "Correct the card" : "It is on the card now"}
        </Button>
      </div>
      <ProblemNote error={correct.error} />
    </section>
  );
}

const files = { "command-line": "The kernel command line", "mount-table": "/etc/fstab" };

const inWords = ({ offered: { edit } }: TriedView) =>
  edit
    ? `${files[edit.where]}: ${edit.before && edit.after ? `${edit.before} became ${edit.after}` : edit.after ? `${edit.after} was added` : `the line of ${edit.before} is out, or has nofail`}, as it was tried until reset.`
    : null;
