import { Button } from "react-bootstrap";
import { useSearchParams } from "react-router";
import { NextThing } from "../frame/NextThing";
import next from "../frame/NextThing.module.css";
import type { BoardView, CheckAnswer } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useAnswerCheck, useDiagnosis } from "./queries";
import styles from "./Diagnose.module.css";

const answers: [CheckAnswer, string][] = [
  ["yes", "It was so"],
  ["no", "It was not"],
  ["unseen", "Cannot look"],
];

/** The next thing while a cause is looked for: one check with its answers and what each would change. When nothing is left to ask, the next thing itself. */
export default function CheckFirst({ view }: { view: BoardView }) {
  const [search] = useSearchParams();
  const bootId = search.get("boot") ?? view.latestBootId ?? undefined;
  const diagnosis = useDiagnosis(bootId);
  const answer = useAnswerCheck(bootId ?? "", view.board.id);
  const check = diagnosis.data?.nextCheck;
  const cause = diagnosis.data?.causes.find((c) => c.id === check?.causeId);
  const ofAnother = bootId !== view.latestBootId;
  const mending = view.next.diagnose?.action === "correct" || ofAnother;
  if (!mending || !check?.causeId || !cause) return <NextThing view={view} step="diagnose" strip />;
  return (
    <section className={`${next.next} ${styles.check}`} aria-label="The next check">
      <div>
        <h2>{check.what}</h2>
        <div className={next.why}>
          <p>{check.why} </p>
          {check.ifYes && (
            <p>If it was so: {check.ifYes.toLowerCase().startsWith("then") ? check.ifYes.slice(5) : check.ifYes} </p>
          )}
          {check.ifNo && <p>If not: {check.ifNo.slice(5)} </p>}
        </div>
      </div>
      <div className={styles.answers}>
        {answers.map(([value, label], i) => (
          <Button
            key={value}
            variant={i === 0 ? "primary" : "outline-secondary"}
            disabled={answer.isPending}
            onClick={() => answer.mutate({ causeId: cause.id, answer: value })}
          >
            {label}
          </Button>
        ))}
      </div>
      <ProblemNote error={answer.error} />
    </section>
  );
}
