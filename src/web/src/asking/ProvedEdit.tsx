import { Button } from "react-bootstrap";
import type { BoardView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useCorrect } from "../shared/queries";
import styles from "./Asking.module.css";
import { editInWords } from "./editInWords";
import { useAsked } from "./queries";

/** On Prepare: the edit that proved itself until the last reset, and the word that it is on the card now. */
export function ProvedEdit({ view }: { view: BoardView }) {
  return view.latestBootId ? <OfBoot view={view} bootId={view.latestBootId} /> : null;
}

function OfBoot({ view, bootId }: { view: BoardView; bootId: string }) {
  const asked = useAsked(bootId, false);
  const correct = useCorrect(view.board.id);
  const proved = asked.data?.tried.findLast((t) => t.verdict === "proved" && t.offered.edit);
  const edit = proved?.offered.edit;
  if (!edit || view.changes.some((c) => c.causeId === proved.offered.causeId)) return null;
  return (
    <section className={styles.ask} aria-label="What proved itself">
      <div className={styles.head}>
        <p>
          <strong>It started with this, until reset.</strong> On the card: {editInWords(edit)}. Then boot without a
          hand: that boot counts.
        </p>
        <Button
          variant="outline-secondary"
          disabled={correct.isPending}
          onClick={() =>
            correct.mutate({
              bootId,
              causeId: proved.offered.causeId,
              text: `Done on the card, as it was tried until reset: ${editInWords(edit)}.`,
              edit: null,
            })
          }
        >
          {view.board.simulated ? "Correct the card" : "It is on the card now"}
        </Button>
      </div>
      <ProblemNote error={correct.error} />
    </section>
  );
}
