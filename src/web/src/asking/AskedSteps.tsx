import type { AskStep } from "../shared/api";
import styles from "./Asking.module.css";
import { useAnswer } from "./queries";

/** The questions that the board was asked: the command, what came back, what it means, and what it changed. */
export function AskedSteps({ steps, boardId, bootId }: { steps: AskStep[]; boardId: string; bootId: string }) {
  const answer = useAnswer(bootId, boardId);
  if (steps.length === 0) return null;
  return (
    <ol className={styles.steps} aria-label="What the board was asked">
      {steps.map((step, n) => (
        <li key={`${step.questionId} ${step.command} ${n}`}>
          <p className={styles.question}>
            {step.asks} <code>{step.command}</code>
          </p>
          {step.says ? (
            <p>
              <strong>{step.says}</strong>
              {step.moved && <span className={styles.moved}> {step.moved}</span>}
              {step.milliseconds > 0 && <span className="quiet"> {(step.milliseconds / 1000).toFixed(1)} s</span>}
              {step.resultId && (
                <>
                  {" "}
                  <button
                    type="button"
                    className="link"
                    disabled={answer.isPending}
                    aria-label={`Take it back: ${step.asks}`}
                    onClick={() => answer.mutate({ question: step.questionId, result: null })}
                  >
                    Take it back
                  </button>
                </>
              )}
            </p>
          ) : (
            <p className="quiet">Waits for the answer.</p>
          )}
          {step.answer.length > 0 && (
            <details>
              <summary>
                {step.answer.length} {step.answer.length === 1 ? "line" : "lines"}
              </summary>
              <pre tabIndex={0} aria-label={`Answer to ${step.command}`}>
                {step.answer.join("\n")}
              </pre>
            </details>
          )}
        </li>
      ))}
    </ol>
  );
}
