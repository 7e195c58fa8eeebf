import { Button } from "react-bootstrap";
import { Link, useSearchParams } from "react-router";
import type { BoardView, Correction, RankedCause } from "../shared/api";
import { CardChanges } from "../shared/CardChanges";
import { ProblemNote } from "../shared/ProblemNote";
import { useBoot, useCorrect, useDiagnosis } from "../shared/queries";
import { RemovedList } from "../shared/RemovedList";
import { percent } from "../shared/words";
import { CorrectForm } from "./CorrectForm";

/** Why it did not boot: ranked causes with the lines that prove them, the next check and the fix. */
export function DiagnosePage({ view }: { view: BoardView }) {
  const [search] = useSearchParams();
  const bootId = search.get("boot") ?? view.latestBootId ?? undefined;
  const boot = useBoot(bootId);
  const diagnosis = useDiagnosis(bootId);
  const correct = useCorrect(view.board.id);
  if (!bootId)
    return (
      <p className="lead">
        There is no boot to judge yet. <Link to={`/boards/${view.board.id}/boot`}>Boot it first</Link>
      </p>
    );
  if (boot.error ?? diagnosis.error) return <ProblemNote error={boot.error ?? diagnosis.error} />;
  if (!boot.data || !diagnosis.data) return null;
  const { causes, harmless, nextCheck, facts } = diagnosis.data;
  const known = [
    facts.board,
    facts.kernel && `kernel ${facts.kernel}`,
    facts.os,
    facts.bootMedium && `root ${facts.bootMedium}`,
  ].filter(Boolean);
  return (
    <div className="diagnose">
      <p className="lead">
        Attempt {boot.data.number}: <strong>{boot.data.word.toLowerCase()}</strong>.{" "}
        {known.length > 0 && <span className="quiet">{known.join(", ")}.</span>}
      </p>
      {boot.data.live && !boot.data.settled && (
        <p role="status">It is still booting; what stands here is of this moment only.</p>
      )}
      <p className="next-check">
        <strong>Look at this next.</strong> {nextCheck.what} {nextCheck.why}
      </p>
      <ProblemNote error={correct.error} />
      <ol className="causes">
        {causes.map((cause, i) => (
          <Cause
            key={cause.id}
            cause={cause}
            boardId={view.board.id}
            bootId={bootId}
            first={i === 0}
            change={view.changes.findLast((c) => c.causeId === cause.id)}
            simulated={view.board.simulated}
            asked={search.get("correct") === cause.id}
            onCorrect={(text, edit) => correct.mutate({ bootId, causeId: cause.id, text, edit })}
            busy={correct.isPending}
          />
        ))}
      </ol>
      <CardChanges view={view} />
      <RemovedList kinds={["correction"]} />
      {harmless.length > 0 && (
        <details className="harmless">
          <summary>
            {harmless.length} {harmless.length === 1 ? "line" : "lines"} that only look bad
          </summary>
          <ul>
            {harmless.slice(0, 40).map((h) => (
              <li key={h.line}>
                <Link to={`/boards/${view.board.id}/boot?boot=${bootId}&line=${h.line}`}>{h.line}</Link>{" "}
                <code>{h.text.trim()}</code> {h.why}
              </li>
            ))}
          </ul>
        </details>
      )}
    </div>
  );
}

function Cause({
  cause,
  boardId,
  bootId,
  first,
  change,
  simulated,
  asked,
  busy,
  onCorrect,
}: {
  cause: RankedCause;
  boardId: string;
  bootId: string;
  first: boolean;
  change: BoardView["changes"][number] | undefined;
  simulated: boolean;
  asked: boolean;
  busy: boolean;
  onCorrect: (text: string | null, edit: Correction["edit"]) => void;
}) {
  const line = (n: number) => `/boards/${boardId}/boot?boot=${bootId}&line=${n}`;
  return (
    <li className={first ? "cause first" : "cause"}>
      <div className="cause-head">
        <span className="share">{percent(cause.probability)}</span>
        <span className="bar" aria-hidden="true">
          <span style={{ width: percent(cause.probability).replace(" ", "") }} />
        </span>
        <h2>{cause.name}</h2>
      </div>
      <div className="cause-body">
        {cause.evidence.length > 0 && (
          <ul className="evidence-lines" aria-label="What proves it">
            {cause.evidence.slice(0, 6).map((e) => (
              <li key={`${e.line}-${e.says}`}>
                {e.line > 0 ? (
                  <>
                    <Link to={line(e.line)} aria-label={`Line ${e.line}`}>
                      {e.line}
                    </Link>{" "}
                    <code>{e.text.trim() || " "}</code>
                  </>
                ) : null}
                {e.says && <span className="says">{e.says}</span>}
              </li>
            ))}
          </ul>
        )}
        {cause.against.length > 0 && (
          <ul className="evidence-lines against" aria-label="What speaks against it">
            {cause.against.slice(0, 3).map((e) => (
              <li key={`${e.line}-${e.says}`}>
                Against: {e.line > 0 && <Link to={line(e.line)}>{e.line}</Link>} <code>{e.text.trim()}</code>
                {e.says && <span className="says">{e.says}</span>}
              </li>
            ))}
          </ul>
        )}
        <dl>
          <div>
            <dt>Check</dt>
            <dd>
              {cause.nextCheck} <span className="quiet">{cause.checkMinutes} min</span>
            </dd>
          </div>
          <div>
            <dt>Fix</dt>
            <dd>{cause.fix}</dd>
          </div>
        </dl>
        {!first && cause.caution && <p className="caution">{cause.caution}</p>}
        {cause.correction && (
          <div className="correction">
            {change && (
              <p className="chosen">
                Changed: {change.text} <span className="quiet">{change.proven}</span>
              </p>
            )}
            {simulated
              ? !change &&
                !first && (
                  <Button
                    variant="outline-secondary"
                    size="sm"
                    disabled={busy}
                    onClick={() => onCorrect(null, null)}
                    aria-label={`${cause.name}: take the fault out`}
                  >
                    Take the fault out
                  </Button>
                )
              : (!change || asked) && (
                  <CorrectForm cause={cause.name} open={asked || first} busy={busy} onCorrect={onCorrect} />
                )}
          </div>
        )}
      </div>
    </li>
  );
}
