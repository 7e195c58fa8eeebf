import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { useStored } from "../frame/useStored";
import type { BoardView, BootView, Diagnosis } from "../shared/api";
import { useKeys } from "../shared/keys";
import { StandingPlacket } from "../shared/Placket";
import { ProblemNote } from "../shared/ProblemNote";
import { useDiagnosis } from "../diagnosing/queries";
import { useEndBoot, useNote, usePower, useStartBoot } from "./queries";
import { clock, stageNames } from "../shared/words";
import styles from "./Boot.module.css";
import { BootHands } from "./BootHands";
import { BootTools } from "./BootTools";
import { ConsoleView } from "./ConsoleView";
import type { GoTo, Marked } from "./ConsoleView";
import { FindInLog } from "./FindInLog";
import { nextOf } from "./lines";
import { SilenceMeter } from "./SilenceMeter";

/** From this share on a cause's lines are marked in the console. */
const likely = 0.2;

/** Evidence of the likely causes by line. */
function evidenceOf(diagnosis: Diagnosis | undefined): Map<number, string> {
  const map = new Map<number, string>();
  for (const cause of diagnosis?.causes ?? [])
    if (cause.id !== "none" && cause.probability >= likely)
      for (const line of cause.evidence)
        if (line.line > 0 && !map.has(line.line)) map.set(line.line, line.says ?? cause.name);
  return map;
}

/** One boot with everything that is done while it is watched. */
export function WatchedBoot({
  view,
  boot,
  received,
  line,
  onOther,
  onNewest,
}: {
  view: BoardView;
  boot: BootView;
  received: number;
  line: number | null;
  onOther: () => void;
  onNewest: (() => void) | null;
}) {
  const diagnosis = useDiagnosis(boot.id);
  const end = useEndBoot(boot.boardId);
  const mark = usePower(boot.boardId, boot.id);
  const start = useStartBoot(boot.boardId);
  const note = useNote(boot.id);
  const [, setSearch] = useSearchParams();
  const [large, setLarge] = useState(false);
  const [marking, setMarking] = useState(false);
  const [finding, setFinding] = useState(false);
  const [words, setWords] = useState("");
  const [marked, setMarked] = useState<Marked | null>(null);
  const [wrapping, setWrapping] = useStored("console-lines");
  const wrap = wrapping !== "sideways";
  const [goTo, setGoTo] = useState<GoTo | null>(line ? { line, stamp: 0 } : null);
  // While the board is on its way, where it stands now is no evidence of anything.
  const evidence = evidenceOf(boot.live && !boot.settled ? undefined : diagnosis.data);
  const evidenceLines = [...evidence.keys()].sort((a, b) => a - b);
  const stamp = useRef(1);
  const show = (to: number | undefined) => {
    if (to !== undefined) setGoTo({ line: to, stamp: stamp.current++ });
  };
  const firstEvidence = boot.live ? undefined : evidenceLines[0];
  const shownOnce = useRef(line !== null);
  useEffect(() => {
    if (shownOnce.current || firstEvidence === undefined) return;
    shownOnce.current = true;
    setGoTo({ line: firstEvidence, stamp: 0 });
  }, [firstEvidence]);

  const attempts = boot.attempts.map((a) => a.firstLine);
  const stages = [...new Set(boot.placket.map((s) => s.line).filter((n) => n !== null))].sort((a, b) => a - b);
  const step = (lines: number[], direction: 1 | -1) => show(nextOf(lines, goTo?.line ?? null, direction));
  const { simulated } = view.board;
  const lastPower = boot.notes.findLast((n) => n.text === "Power applied" || n.text === "Power taken");
  const applied = lastPower?.text === "Power applied";
  const power = () => {
    if (simulated) {
      // The simulated board has a switch of its own.
      if (boot.live) end.mutate(boot.id);
      else start.mutate({ source: "simulated", speed: null }, { onSuccess: () => setSearch({}) });
    } else if (boot.live) mark.mutate(!applied);
    else onOther();
  };
  const turnWrap = () => setWrapping(wrap ? "sideways" : "wrap");
  useKeys({
    p: power,
    " ": () => setMarking(true),
    e: () => step(evidenceLines, 1),
    "shift+e": () => step(evidenceLines, -1),
    s: () => step(stages, 1),
    "shift+s": () => step(stages, -1),
    t: () => step(attempts, 1),
    "shift+t": () => step(attempts, -1),
    Home: () => show(1),
    End: () => show(boot.lineCount),
    w: turnWrap,
    f: () => setFinding(true),
    l: () => setLarge(!large),
    Escape: () => (finding ? setFinding(false) : setLarge(false)),
  });
  const now = boot.placket.find((s) => s.state === "now" || s.state === "stopped" || s.state === "flawed");
  return (
    <div className={`${styles.boot} ${large ? styles.large : ""}`}>
      <div className={styles.placket}>
        <StandingPlacket stages={boot.placket} onLine={show} lies />
      </div>
      <div className={styles.bench}>
        <div className={styles.head}>
          <p className={styles.word}>
            <span role="status" aria-live="polite">
              <strong>{boot.word}</strong>
              {now?.state === "now" && ` at ${stageNames[now.stage].toLowerCase()}`}
            </span>
            {boot.nowSeconds !== null && (
              <span className={styles.since}>
                {" "}
                <span className="time">{clock(boot.nowSeconds)}</span> since{" "}
                {simulated || boot.powerMarked ? "power" : "the console was opened"}
              </span>
            )}
            <span className={styles.origin}>
              {" "}
              attempt {boot.number} from {boot.source}
              {boot.attempts.length > 1 ? `, ${boot.attempts.length} starts` : ""}
            </span>
          </p>
          <BootTools
            boot={boot}
            simulated={simulated}
            ending={end.isPending}
            wrap={wrap}
            large={large}
            marked={marked}
            evidenceLines={evidenceLines}
            onShow={show}
            onStep={step}
            stages={stages}
            attempts={attempts}
            onFind={() => setFinding(!finding)}
            onWrap={turnWrap}
            onLarge={() => setLarge(!large)}
            onOther={onOther}
            onNewest={onNewest}
            onEnd={() => end.mutate(boot.id)}
            onUnmark={() => setMarked(null)}
          />
        </div>
        {finding && (
          <FindInLog
            bootId={boot.id}
            from={goTo?.line ?? 0}
            onWords={setWords}
            onLine={show}
            onClose={() => {
              setFinding(false);
              setWords("");
            }}
          />
        )}
        <ProblemNote error={boot.waiting} />
        <ConsoleView
          bootId={boot.id}
          total={boot.lineCount}
          evidence={evidence}
          goTo={goTo}
          live={boot.live}
          wrap={wrap}
          words={finding ? words : ""}
          marked={marked}
          onMark={setMarked}
          row={large ? 24 : 18}
        />
        <BootHands
          boot={boot}
          simulated={simulated}
          applied={applied}
          busy={end.isPending || start.isPending || mark.isPending}
          onPower={power}
          marking={marking}
          onMarking={setMarking}
          onSeen={(what) => note.mutate(what)}
        />
        <ProblemNote error={end.error ?? start.error ?? note.error ?? mark.error} />
        <div className={styles.below}>
          <SilenceMeter boot={boot} received={received} />
          {boot.endedWhy && !boot.live && <p className="quiet">{boot.endedWhy}</p>}
          {boot.notes.length > 0 && (
            <ul className={styles.notes} aria-label="What was seen">
              {boot.notes.map((n) => (
                <li key={n.milliseconds + n.text}>
                  <span className="time">{clock(n.milliseconds / 1000)}</span> {n.text}
                </li>
              ))}
            </ul>
          )}
        </div>
      </div>
    </div>
  );
}
