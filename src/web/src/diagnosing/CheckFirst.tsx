import { Button } from "react-bootstrap";
import { useSearchParams } from "react-router";
import { NextThing } from "../frame/NextThing";
import next from "../frame/NextThing.module.css";
import { useAnswer } from "../asking/queries";
import type { BoardView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useDiagnosis } from "./queries";
import styles from "./Diagnose.module.css";

/** The next thing while a cause is looked for: one question with its answers and what each would change. When nothing is left to ask, the next thing itself. */
export default function CheckFirst({ view }: { view: BoardView }) {
  const [search] = useSearchParams();
  const bootId = search.get("boot") ?? view.latestBootId ?? undefined;
  const diagnosis = useDiagnosis(bootId);
  const answer = useAnswer(bootId ?? "", view.board.id);
  const check = diagnosis.data?.nextCheck;
  const ofAnother = bootId !== view.latestBootId;
  const mending = view.next.diagnose?.action === "correct" || ofAnother;
  const question = check?.question;
  if (!mending || !question || !check.answers) return <NextThing view={view} step="diagnose" strip />;
  return (
    <section className={`${next.next} ${styles.check}`} aria-label="The next check">
      <div>
        <h2>{check.what}</h2>
        <div className={next.why}>
          {check.look && <p>{check.look} </p>}
          <p>{check.why}</p>
        </div>
      </div>
      <ul className={styles.answers} aria-label="Answers">
        {check.answers.map((possible) => (
          <li key={possible.id}>
            <Button
              variant="outline-secondary"
              disabled={answer.isPending}
              onClick={() => answer.mutate({ question, result: possible.id })}
            >
              {possible.says}
            </Button>
            <span className="quiet">{possible.then}</span>
          </li>
        ))}
      </ul>
      <ProblemNote error={answer.error} />
    </section>
  );
}
