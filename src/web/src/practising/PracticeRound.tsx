import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useParams } from "react-router";
import type { JudgedRound, JudgedStep, PracticeStepView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { StageButton } from "../shared/StageButton";
import styles from "./Practice.module.css";
import { useRound, useStep } from "./queries";

/** How a step stands beside the best one then. */
function Judged({ step }: { step: JudgedStep }) {
  return step.lost === 0 ? (
    <span className="quiet">Nothing was better then.</span>
  ) : (
    <>
      Gave away {step.lost} min. Better then: <strong>{step.best}</strong>. {step.why}
    </>
  );
}

/** A step with what it showed; the console of a boot can be read whole. */
function Step({ step, open, judged }: { step: PracticeStepView; open: boolean; judged?: JudgedStep }) {
  return (
    <li>
      <p className={styles.done}>
        <StageButton state={step.right === true ? "reached" : step.right === false ? "stopped" : "open"} size={16} />
        <span>
          <strong>{step.name}</strong> <span className="quiet">{step.minutes} min</span>
          <br />
          {step.tells}
          {judged && (
            <>
              <br />
              <Judged step={judged} />
            </>
          )}
        </span>
      </p>
      {step.log && step.log.length > 0 && (
        <details open={open}>
          <summary>The console, {step.log.length} lines</summary>
          <div className={styles.console} tabIndex={0} role="region" aria-label="The console of this boot">
            {step.log.map((text, n) => (
              // Lines of a past boot never move.
              <div key={n}>
                <span aria-hidden="true">{n + 1}</span> {text}
              </div>
            ))}
          </div>
        </details>
      )}
    </li>
  );
}

/** What told the fault, and what was given away. */
function Verdict({ judged, better, gaveUp }: { judged: JudgedRound; better: string | null; gaveUp?: JudgedStep }) {
  const lost = Math.round(judged.lost ?? 0);
  return (
    <section aria-labelledby="verdict-title" className={styles.verdict}>
      <h2 id="verdict-title">What told it</h2>
      <p>{judged.told}</p>
      {judged.lines.length > 0 && (
        <ul className={styles.telling}>
          {judged.lines.map((l) => (
            <li key={l.line}>
              <code>
                {l.line} {l.text}
              </code>
              {l.says && <span> {l.says}</span>}
            </li>
          ))}
        </ul>
      )}
      <p>
        {lost === 0 ? "No step gave minutes away." : `Your steps gave ${lost} min away, by what was known before each.`}
        {gaveUp &&
          ` Giving up: ${gaveUp.lost} min more would have been needed, on average. Better then: ${gaveUp.best}. ${gaveUp.why}`}
      </p>
      {better && <p>{better}</p>}
      <Link to="/practice">Another round</Link>
    </section>
  );
}

/** One round: looks, boots and mendings until the fault is found or the time is over. */
export default function PracticeRound() {
  const { id = "" } = useParams();
  const round = useRound(id);
  const step = useStep(id);
  const [mend, setMend] = useState("");
  const view = round.data;
  if (round.error)
    return (
      <main className="page" id="page">
        <h1>This round is not here</h1>
        <ProblemNote error={round.error} />
      </main>
    );
  if (!view) return <main className="page" id="page" aria-busy="true" />;
  const over = view.won !== null;
  const lastBoot = view.steps.map((s) => s.log !== null).lastIndexOf(true);
  return (
    <main className="page wide" id="page">
      <title>Practice · Buttonhook</title>
      <h1>{view.nickname}</h1>
      <p className="lead">{view.board}</p>
      <p role="status">
        {view.minutes} of {view.mostMinutes} minutes are gone.{" "}
        {view.won === true && <strong>Won: {view.fault}.</strong>}
        {view.won === false && <strong>Lost. It was: {view.fault}.</strong>}
      </p>
      {over && !view.judged && <Link to="/practice">Another round</Link>}
      {view.judged && (
        <Verdict judged={view.judged} better={view.better} gaveUp={view.judged.steps[view.steps.length]} />
      )}
      <div className={styles.columns}>
        <section aria-labelledby="steps-title">
          <h2 id="steps-title">What you did</h2>
          {view.steps.length === 0 && <p className="quiet">Nothing yet. Where would you look first?</p>}
          <ol className={styles.steps}>
            {view.steps.map((s, n) => (
              <Step key={n} step={s} open={n === lastBoot} judged={view.judged?.steps[n]} />
            ))}
          </ol>
        </section>
        {!over && (
          <section aria-labelledby="next-title">
            <h2 id="next-title">What next</h2>
            <Button onClick={() => step.mutate("boot")} disabled={step.isPending}>
              Apply power and read the console <span className="time">about {view.bootMinutes} min</span>
            </Button>
            <h3>Look or measure</h3>
            <ul className={styles.looks}>
              {view.looks.map((l) => (
                <li key={l.id}>
                  <Button
                    variant="outline-secondary"
                    size="sm"
                    disabled={step.isPending}
                    onClick={() => step.mutate({ look: l.id })}
                  >
                    {l.name} <span className="time">{l.minutes} min</span>
                  </Button>
                </li>
              ))}
            </ul>
            <h3>Fix</h3>
            <Form
              onSubmit={(e) => {
                e.preventDefault();
                step.mutate({ mend }, { onSuccess: () => setMend("") });
              }}
            >
              <Form.Group controlId="mend">
                <Form.Label>What you would do; the boot that follows is counted</Form.Label>
                <Form.Select value={mend} onChange={(e) => setMend(e.target.value)}>
                  <option value="">Choose</option>
                  {view.mends.map((m) => (
                    <option key={m.id} value={m.id}>
                      {m.name} ({m.minutes} min)
                    </option>
                  ))}
                </Form.Select>
              </Form.Group>
              <Button
                type="submit"
                variant="outline-secondary"
                className="mt-2"
                disabled={mend === "" || step.isPending}
              >
                Fix it
              </Button>{" "}
              <Button variant="link" className="mt-2" onClick={() => step.mutate("end")}>
                Give up
              </Button>
            </Form>
            <ProblemNote error={step.error} takeFocus />
          </section>
        )}
      </div>
    </main>
  );
}
