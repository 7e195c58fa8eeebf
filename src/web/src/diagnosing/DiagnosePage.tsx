import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { AskBoard } from "../asking/AskBoard";
import { ConsoleView } from "../consoles/ConsoleView";
import { useWide } from "../frame/useWide";
import type { BoardView, BootView, Diagnosis } from "../shared/api";
import { ProfileChanges } from "../shared/ProfileChanges";
import { ProblemNote } from "../shared/ProblemNote";
import { useBoot } from "../consoles/queries";
import { useDiagnosis } from "./queries";
import { RemovedList } from "../shared/RemovedList";
import { BesideGood } from "./BesideGood";
import { CauseItem } from "./CauseItem";
import { EndOfLog } from "./EndOfLog";
import styles from "./Diagnose.module.css";
import { NewToMe } from "./NewToMe";
import { MendInOrder } from "./MendInOrder";
import { Remarks } from "./Remarks";
import { linesOf } from "./provingLines";
import { WithoutLog } from "./WithoutLog";

/** From this width on the console stands beside the causes. */
const roomForConsole = 1500;

/** Why it did not boot: ranked causes with the lines that prove them, what speaks against them and the fix. */
export default function DiagnosePage({ view }: { view: BoardView }) {
  const [search] = useSearchParams();
  const bootId = search.get("boot") ?? view.latestBootId ?? undefined;
  const boot = useBoot(bootId);
  const diagnosis = useDiagnosis(bootId);
  if (!bootId)
    return (
      <>
        <p className="lead">
          There is no boot to judge yet. What stops a board is read from its console log:{" "}
          <Link to={`/boards/${view.board.id}/boot`}>boot it first, or drop a log</Link>.
        </p>
        <WithoutLog boardId={view.board.id} />
      </>
    );
  if (boot.error ?? diagnosis.error) return <ProblemNote error={boot.error ?? diagnosis.error} />;
  if (!boot.data || !diagnosis.data) return <p aria-busy="true">Reading the log.</p>;
  return <Diagnosed view={view} boot={boot.data} diagnosis={diagnosis.data} asked={search.get("correct")} />;
}

function Diagnosed({
  view,
  boot,
  diagnosis,
  asked,
}: {
  view: BoardView;
  boot: BootView;
  diagnosis: Diagnosis;
  asked: string | null;
}) {
  const wide = useWide(roomForConsole);
  const { causes, harmless, facts } = diagnosis;
  const [pointed, setPointed] = useState<{ line: number; stamp: number } | null>(null);
  const point = (line: number) => setPointed((p) => (p?.line === line ? p : { line, stamp: (p?.stamp ?? 0) + 1 }));
  const evidence = new Map(
    causes.slice(0, 1).flatMap((c) => linesOf(c.evidence).map((e) => [e.line, e.says ?? c.name] as const)),
  );
  const first = [...evidence.keys()][0];
  const known = [
    facts.board,
    facts.kernel && `kernel ${facts.kernel}`,
    facts.os,
    facts.bootMedium && `root ${facts.bootMedium}`,
  ].filter(Boolean);
  return (
    <div className={wide ? styles.beside : ""}>
      <div className={styles.causes}>
        <p className={styles.summary}>
          Attempt {boot.number}: <strong>{boot.word.toLowerCase()}</strong>.{" "}
          {known.length > 0 && <span className="quiet">{known.join(", ")}.</span>}
        </p>
        {boot.live && !boot.settled && (
          <p role="status">It is still booting; what stands here is of this moment only.</p>
        )}
        <EndOfLog boot={boot} diagnosis={diagnosis} />
        <AskBoard boot={boot} boardId={view.board.id} />
        <MendInOrder diagnosis={diagnosis} />
        <ol className={styles.list} aria-label="Causes, the likeliest first">
          {causes.map((cause, i) => (
            <CauseItem
              key={cause.id}
              cause={cause}
              view={view}
              boot={boot}
              first={i === 0}
              asked={asked === cause.id}
              onPoint={point}
            />
          ))}
        </ol>
        {diagnosis.newToMe && <NewToMe boot={boot} part={diagnosis.newToMe} />}
        <Remarks boot={boot} diagnosis={diagnosis} />
        {boot.byteCount === 0 && <WithoutLog boardId={view.board.id} />}
        {boot.outcome !== "reached-login" && <BesideGood boot={boot} />}
        <ProfileChanges view={view} />
        <RemovedList kinds={["correction"]} />
        {harmless.length > 0 && (
          <details className={styles.harmless}>
            <summary>
              {harmless.length} {harmless.length === 1 ? "line" : "lines"} that only{" "}
              {harmless.length === 1 ? "looks" : "look"} bad
            </summary>
            <ul>
              {harmless.slice(0, 40).map((h) => (
                <li key={h.line}>
                  <Link to={`/boards/${view.board.id}/boot?boot=${boot.id}&line=${h.line}`}>{h.line}</Link>{" "}
                  <code>{h.text.trim()}</code> {h.why}
                </li>
              ))}
            </ul>
          </details>
        )}
      </div>
      {wide && (
        <div className={styles.console}>
          <ConsoleView
            bootId={boot.id}
            total={boot.lineCount}
            evidence={evidence}
            goTo={pointed ?? (first === undefined ? { line: boot.lineCount, stamp: 0 } : { line: first, stamp: 0 })}
            live={boot.live}
            wrap
            words=""
            marked={null}
            onMark={() => undefined}
          />
        </div>
      )}
    </div>
  );
}
