import { Button } from "react-bootstrap";
import type { BoardView, BootView, CheckAnswer, RankedCause } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useAnswer } from "../asking/queries";
import { useMends } from "./queries";
import { useCorrect } from "../shared/queries";
import { percent } from "../shared/words";
import { CorrectForm } from "./CorrectForm";
import { LedTo } from "./LedTo";
import styles from "./Diagnose.module.css";
import { linesOf, saysWithoutLine } from "./provingLines";
import { ProvingLines } from "./ProvingLines";

const found: Record<CheckAnswer, string> = {
  yes: "An answer finds it.",
  no: "An answer rules it out.",
  unseen: "Nobody could check it.",
};

/** One cause: how likely, what proves it, what speaks against it, and the fix with the very edit where one is known. */
export function CauseItem({
  cause,
  view,
  boot,
  first,
  asked,
  onPoint,
}: {
  cause: RankedCause;
  view: BoardView;
  boot: BootView;
  first: boolean;
  asked: boolean;
  onPoint: (line: number) => void;
}) {
  const boardId = view.board.id;
  const correct = useCorrect(boardId);
  const answer = useAnswer(boot.id, boardId);
  const mends = useMends(boardId);
  const change = view.changes.findLast((c) => c.causeId === cause.id);
  const edits = mends.data?.filter((m) => m.causeId === cause.id) ?? [];
  const absences = saysWithoutLine(cause.evidence);
  const proof = linesOf(cause.evidence);
  const against = linesOf(cause.against);
  const againstWithout = saysWithoutLine(cause.against);
  const nothing = cause.id === "none" || cause.id === "something-else";
  return (
    <li className={first ? styles.first : ""} aria-label={cause.name}>
      <span className={styles.share}>{percent(cause.probability)}</span>
      <div className={styles.body}>
        <h2>{cause.name}</h2>
        {cause.state === "confirmed" && <p className="chosen">{cause.stateSays}</p>}
        {cause.answer && (
          <p className="quiet">
            {cause.stateSays && cause.state === "refuted" ? cause.stateSays : found[cause.answer]}{" "}
            {cause.answeredBy && (
              <button
                type="button"
                className="link"
                disabled={answer.isPending}
                onClick={() => answer.mutate({ question: cause.answeredBy ?? "", result: null })}
              >
                Take it back
              </button>
            )}
          </p>
        )}
        {absences.length > 0 && <p className={styles.absence}>{absences.join("; ")}.</p>}
        {proof.length > 0 && (
          <ProvingLines
            lines={proof}
            bootId={boot.id}
            boardId={boardId}
            total={boot.lineCount}
            label={`What proves it: ${cause.name}`}
            unfold={first}
            good={cause.id === "none"}
            onPoint={onPoint}
          />
        )}
        <LedTo cause={cause} boardId={boardId} bootId={boot.id} />
        {(against.length > 0 || againstWithout.length > 0) && (
          <details className={styles.against}>
            <summary>What speaks against it</summary>
            {againstWithout.map((a) => (
              <p key={a}>{a}</p>
            ))}
            {against.length > 0 && (
              <ProvingLines
                lines={against}
                bootId={boot.id}
                boardId={boardId}
                total={boot.lineCount}
                label={`What speaks against it: ${cause.name}`}
                unfold={false}
                onPoint={onPoint}
              />
            )}
          </details>
        )}
        {!nothing && (
          <p className={styles.fix}>
            <strong>Fix:</strong> {cause.fix}
          </p>
        )}
        {nothing && <p>{cause.fix}</p>}
        {edits.map((m) => (
          <div key={`${m.edit.path}:${m.edit.line}`} className={styles.edit}>
            <span className="quiet">
              <code>{m.edit.path}</code>
              {m.edit.line > 0 && `, line ${m.edit.line}`}, in {m.where}
            </span>
            <p>
              {m.edit.before !== null && <del>{m.edit.before}</del>} <ins>{m.edit.after}</ins>
            </p>
          </div>
        ))}
        {cause.caution && <p className="caution">{cause.caution}</p>}
        {cause.correction && (
          <div className={styles.correction}>
            {change && (
              <p className="chosen">
                Changed: {change.text} <span className="quiet">{change.proven}</span>
              </p>
            )}
            {view.board.simulated
              ? !change && (
                  <Button
                    variant="outline-secondary"
                    size="sm"
                    disabled={correct.isPending}
                    onClick={() => correct.mutate({ bootId: boot.id, causeId: cause.id, text: null, edit: null })}
                    aria-label={`${cause.name}: take the fault out`}
                  >
                    Take the fault out
                  </Button>
                )
              : (!change || asked) && (
                  <CorrectForm
                    cause={cause.name}
                    open={asked}
                    busy={correct.isPending}
                    onCorrect={(text, edit) => correct.mutate({ bootId: boot.id, causeId: cause.id, text, edit })}
                  />
                )}
            <ProblemNote error={correct.error ?? answer.error} />
          </div>
        )}
      </div>
    </li>
  );
}
