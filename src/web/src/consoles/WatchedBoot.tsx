import { lazy, Suspense, useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { AskBoard } from "../asking/AskBoard";
import { ReadSystem } from "../asking/ReadSystem";
import { StartsSeen } from "../asking/StartsSeen";
import { useStored } from "../frame/useStored";
import type { BoardView, BootView, Diagnosis } from "../shared/api";
import { useKeys } from "../shared/keys";
import { StandingStageBar } from "../shared/StageBar";
import { ProblemNote } from "../shared/ProblemNote";
import { useDiagnosis } from "../diagnosing/queries";
import { useEndBoot, useEndTyping, useNote, usePower, useSetLine, useStartBoot } from "./queries";
import { Button } from "react-bootstrap";
import { clock, percent, stageNames } from "../shared/words";
import styles from "./Boot.module.css";
import { BootControls } from "./BootControls";
import { BootEvents } from "./BootEvents";
import { BootTools } from "./BootTools";
import type { Shown } from "./BootTools";
import { ConsoleView } from "./ConsoleView";
import type { GoTo, Marked } from "./ConsoleView";
import { FindInLog } from "./FindInLog";
import { nextOf } from "./nextOf";
import { PortOfPage } from "./PortOfPage";
import { isWorrying, SilenceMeter, useQuiet } from "./SilenceMeter";
import { useSounds } from "./sounds";

const TerminalView = lazy(() => import("./TerminalView"));
const MoreControls = lazy(() => import("./MoreControls"));

/** What the times of a boot count from. */
const sinceNames = {
  power: "power",
  "first-loader": "the first loader's first line",
  "first-byte": "the first byte",
};

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
  const [shown, setShown] = useState<Shown>("lines");
  const [more, setMore] = useState(false);
  const [sounding, setSounding] = useStored("sounds");
  const setLine = useSetLine(boot.id);
  const endTyping = useEndTyping(boot.id);
  const quiet = useQuiet(boot, received);
  useSounds(boot, isWorrying(boot, quiet), sounding === "on");
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
  const stages = [...new Set(boot.stageBar.map((s) => s.line).filter((n) => n !== null))].sort((a, b) => a - b);
  const step = (lines: number[], direction: 1 | -1) => show(nextOf(lines, goTo?.line ?? null, direction));
  const { simulated } = view.board;
  const lastPower = boot.events.findLast((n) => n.kind === "power");
  const applied = lastPower?.text === "Power applied";
  const power = () => {
    if (simulated) {
      // The simulated board has a switch of its own.
      if (boot.live) end.mutate(boot.id);
      else start.mutate({ source: "simulated", speed: null }, { onSuccess: () => setSearch({}) });
    } else if (boot.live) mark.mutate(!applied);
    else onOther();
  };
  const likelyLine = boot.hint?.settings;
  const useLikelyLine = () => {
    if (likelyLine)
      setLine.mutate({
        speed: likelyLine.speed,
        frame: likelyLine.frame ?? "8N1",
        flow: likelyLine.flow ?? "none",
      });
  };
  const replay = (pace: number) =>
    start.mutate(
      { source: `replay:${boot.id}`, speed: boot.line?.speed ?? view.model.console.speed ?? 115200, pace },
      { onSuccess: () => setSearch({}) },
    );
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
    r: () => setShown(shown === "raw" ? "lines" : "raw"),
    v: () => setShown(shown === "terminal" ? "lines" : "terminal"),
    m: () => setMore(!more),
    u: useLikelyLine,
    f: () => setFinding(true),
    l: () => setLarge(!large),
    Escape: () => (finding ? setFinding(false) : setLarge(false)),
  });
  const now = boot.stageBar.find((s) => s.state === "now" || s.state === "stopped" || s.state === "flawed");
  return (
    <div className={`${styles.boot} ${large ? styles.large : ""}`}>
      <div className={styles.stageBar}>
        <StandingStageBar stages={boot.stageBar} onLine={show} lies />
        {boot.goodOf && (
          <p className={`quiet ${styles.basis}`}>
            Usual times: {boot.goodBoots} good {boot.goodBoots === 1 ? "boot" : "boots"} of {boot.goodOf}.
          </p>
        )}
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
                <span className="time">{clock(boot.nowSeconds)}</span>
                {boot.since &&
                  ` since ${boot.since === "first-byte" && boot.byteCount === 0 ? "the console was opened" : sinceNames[boot.since]}`}
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
            shown={shown}
            large={large}
            sound={sounding === "on"}
            marked={marked}
            evidenceLines={evidenceLines}
            onShow={show}
            onStep={step}
            stages={stages}
            attempts={attempts}
            onFind={() => setFinding(!finding)}
            onWrap={turnWrap}
            onShown={setShown}
            onLarge={() => setLarge(!large)}
            onSound={() => setSounding(sounding === "on" ? "off" : "on")}
            onReplay={replay}
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
        <PortOfPage boot={boot} />
        {boot.hint && (
          <div className={styles.hint} role="status">
            <span>{boot.hint.says}</span>
            {likelyLine && (
              <Button variant="outline-secondary" size="sm" disabled={setLine.isPending} onClick={useLikelyLine}>
                Read at {likelyLine.speed} {likelyLine.frame} <kbd>u</kbd>
              </Button>
            )}
          </div>
        )}
        {boot.typing && (boot.live || boot.typing.state !== "waiting") && (
          <div className={styles.hint} role="status">
            <span>
              <strong>{boot.typing.name}</strong>: {boot.typing.says}
              {boot.typing.share !== null && boot.typing.state === "waiting" && ` ${percent(boot.typing.share)}`}
            </span>
            {boot.typing.state === "waiting" && (
              <Button variant="outline-secondary" size="sm" onClick={() => endTyping.mutate(undefined)}>
                End it
              </Button>
            )}
          </div>
        )}
        {shown === "terminal" ? (
          <Suspense fallback={<p aria-busy="true" />}>
            <TerminalView
              boot={boot}
              large={large}
              onLeave={() => {
                setShown("lines");
                setTimeout(() => document.querySelector<HTMLElement>('[aria-label="Console"]')?.focus());
              }}
            />
          </Suspense>
        ) : (
          <ConsoleView
            bootId={boot.id}
            raw={shown === "raw"}
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
        )}
        {boot.live && boot.outcome !== "reached-login" && <AskBoard boot={boot} boardId={view.board.id} />}
        {boot.outcome === "reached-login" && <ReadSystem boot={boot} imageId={view.board.imageId} onLine={show} />}
        {(boot.attempts.length > 1 || boot.typing?.name === "Start it again and again") && (
          <StartsSeen boot={boot} onLine={show} />
        )}
        <BootControls
          boot={boot}
          model={view.model}
          simulated={simulated}
          applied={applied}
          busy={end.isPending || start.isPending || mark.isPending}
          onPower={power}
          marking={marking}
          onMarking={setMarking}
          onSeen={(what) => note.mutate(what)}
          more={more}
          onMore={() => setMore(!more)}
        />
        <ProblemNote error={end.error ?? start.error ?? note.error ?? mark.error ?? setLine.error ?? endTyping.error} />
        <div className={styles.below}>
          <SilenceMeter boot={boot} quiet={quiet} />
          {boot.endedWhy && !boot.live && <p className="quiet">{boot.endedWhy}</p>}
          {boot.events.length > 0 && <BootEvents events={boot.events} />}
        </div>
        <Suspense>{more && <MoreControls view={view} boot={boot} />}</Suspense>
      </div>
    </div>
  );
}
