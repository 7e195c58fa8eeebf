import { useEffect, useRef, useState } from "react";
import { Button, Dropdown, Form } from "react-bootstrap";
import { useSearchParams } from "react-router";
import type { BoardView, BootView, Diagnosis } from "../shared/api";
import { useKeys } from "../shared/keys";
import { StandingPlacket } from "../shared/Placket";
import { ProblemNote } from "../shared/ProblemNote";
import {
  useBoot,
  useDiagnosis,
  useDropLog,
  useEndBoot,
  useNote,
  usePower,
  useStartBoot,
  useType,
} from "../shared/queries";
import { clock, stageNames } from "../shared/words";
import { BootSource } from "./BootSource";
import { ConsoleView } from "./ConsoleView";
import { SilenceMeter } from "./SilenceMeter";

const seen = [
  "The power light came on",
  "The activity light blinks",
  "The light went out",
  "A picture came up",
  "The screen stays dark",
];

/** Evidence of the likely causes by line. */
function evidenceOf(diagnosis: Diagnosis | undefined): Map<number, string> {
  const map = new Map<number, string>();
  for (const cause of diagnosis?.causes ?? [])
    if (cause.id !== "none" && cause.probability >= 0.2)
      for (const line of cause.evidence)
        if (line.line > 0 && !map.has(line.line)) map.set(line.line, line.says ?? cause.name);
  return map;
}

/** Watches a boot: the placket, the console, the silence, and what hands and eyes do. */
export function BootPage({ view }: { view: BoardView }) {
  const [search, setSearch] = useSearchParams();
  const asked = search.get("boot") ?? undefined;
  const bootId = asked ?? view.latestBootId ?? undefined;
  const boot = useBoot(bootId);
  const [choosing, setChoosing] = useState(search.get("open") === "1");
  const drop = useDropLog(view.board.id, () => undefined);
  if (!bootId || choosing)
    return (
      <>
        {!bootId && <p className="lead">This board was not booted here yet.</p>}
        <BootSource
          view={view}
          onBoot={(id) => {
            setChoosing(false);
            setSearch(id === view.latestBootId ? {} : { boot: id }, { replace: true });
          }}
        />
        {choosing && (
          <Button variant="link" onClick={() => setChoosing(false)}>
            Back to the console
          </Button>
        )}
      </>
    );
  if (boot.error) return <ProblemNote error={boot.error} />;
  if (!boot.data) return null;
  return (
    <div
      className="drop-field"
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        const file = e.dataTransfer.files[0];
        if (file) drop.mutate(file, { onSuccess: () => setSearch({}) });
      }}
    >
      {drop.error && <ProblemNote error={drop.error} />}
      <Watched
        key={boot.data.id}
        view={view}
        boot={boot.data}
        received={boot.dataUpdatedAt}
        line={Number(search.get("line")) || null}
        onOther={() => setChoosing(true)}
        onNewest={asked && asked !== view.latestBootId ? () => setSearch({}) : null}
      />
    </div>
  );
}

function Watched({
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
  const type = useType(boot.id);
  const end = useEndBoot(boot.boardId);
  const mark = usePower(boot.boardId, boot.id);
  const start = useStartBoot(boot.boardId);
  const note = useNote(boot.id);
  const [, setSearch] = useSearchParams();
  const [text, setText] = useState("");
  const [large, setLarge] = useState(false);
  const [marking, setMarking] = useState(false);
  const [goTo, setGoTo] = useState(line ? { line, stamp: 0 } : null);
  // While the board is on its way, where it stands now is no evidence of anything.
  const evidence = evidenceOf(boot.live && !boot.settled ? undefined : diagnosis.data);
  const evidenceLines = [...evidence.keys()].sort((a, b) => a - b);
  const stamp = useRef(1);
  const show = (to: number) => setGoTo({ line: to, stamp: stamp.current++ });
  const firstEvidence = boot.live ? undefined : evidenceLines[0];
  const shownOnce = useRef(line !== null);
  useEffect(() => {
    if (shownOnce.current || firstEvidence === undefined) return;
    shownOnce.current = true;
    setGoTo({ line: firstEvidence, stamp: 0 });
  }, [firstEvidence]);

  const step = (direction: 1 | -1) => {
    const from = goTo?.line ?? (direction === 1 ? 0 : Infinity);
    const next =
      direction === 1 ? evidenceLines.find((n) => n > from) : [...evidenceLines].reverse().find((n) => n < from);
    const target = next ?? (direction === 1 ? evidenceLines[0] : evidenceLines.at(-1));
    if (target !== undefined) show(target);
  };
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
  useKeys({
    p: power,
    " ": () => setMarking(true),
    e: () => step(1),
    "shift+e": () => step(-1),
    l: () => setLarge(!large),
    Escape: () => setLarge(false),
  });
  const now = boot.placket.find((s) => s.state === "now" || s.state === "stopped" || s.state === "flawed");
  return (
    <div className={`boot ${large ? "large" : ""}`}>
      <div className="boot-placket">
        <StandingPlacket stages={boot.placket} onLine={show} />
      </div>
      <div className="boot-console">
        <p className="boot-origin">
          Attempt {boot.number}, from <code>{boot.source}</code>, {boot.byteCount.toLocaleString("en")} bytes
          {boot.attempts.length > 1 ? `, ${boot.attempts.length} starts` : ""}
        </p>
        <div className="boot-head">
          <p className="boot-word">
            <span role="status" aria-live="polite">
              <strong>{boot.word}</strong>
              {now?.state === "now" && ` at ${stageNames[now.stage].toLowerCase()}`}
            </span>
            {boot.nowSeconds !== null && (
              <span className="since">
                {" "}
                <span className="time">{clock(boot.nowSeconds)}</span> since{" "}
                {simulated || boot.powerMarked ? "power" : "the console was opened"}
              </span>
            )}
          </p>
          <p className="boot-links">
            {onNewest && (
              <button type="button" className="link" onClick={onNewest}>
                Newest boot
              </button>
            )}
            <a href={`/api/boots/${boot.id}/log`} download>
              Save log
            </a>
            <button type="button" className="link" onClick={onOther}>
              Other console
            </button>
            {!simulated && boot.live && (
              <button type="button" className="link" disabled={end.isPending} onClick={() => end.mutate(boot.id)}>
                End the capture
              </button>
            )}
            <Button variant="outline-secondary" size="sm" aria-pressed={large} onClick={() => setLarge(!large)}>
              {large ? "Small" : "Large"} <kbd>l</kbd>
            </Button>
          </p>
        </div>
        {boot.waiting && <ProblemNote error={boot.waiting} />}
        <ConsoleView bootId={boot.id} total={boot.lineCount} evidence={evidence} goTo={goTo} live={boot.live} />
        <Form
          className="boot-hands"
          onSubmit={(e) => {
            e.preventDefault();
            type.mutate(`${text}\r`);
            setText("");
          }}
        >
          <Form.Control
            aria-label="Type to the board"
            placeholder={boot.live ? "Type to the board" : simulated ? "The board is off" : "The capture has ended"}
            value={text}
            disabled={!boot.live}
            autoComplete="off"
            spellCheck={false}
            onChange={(e) => setText(e.target.value)}
          />
          <Button type="submit" variant="outline-secondary" disabled={!boot.live}>
            Enter
          </Button>
          <Button variant="outline-secondary" disabled={!boot.live} onClick={() => type.mutate(" ")}>
            Stop loader
          </Button>
          <Button
            variant="outline-secondary"
            disabled={end.isPending || start.isPending || mark.isPending}
            onClick={power}
          >
            {simulated
              ? boot.live
                ? "Power off"
                : "Power on"
              : !boot.live
                ? "Open the console"
                : applied
                  ? "Power taken"
                  : "Power applied"}{" "}
            <kbd>p</kbd>
          </Button>
          <Dropdown show={marking} onToggle={setMarking} align="end" drop="up">
            <Dropdown.Toggle variant="outline-secondary">
              Mark <kbd>space</kbd>
            </Dropdown.Toggle>
            <Dropdown.Menu>
              {seen.map((what) => (
                <Dropdown.Item key={what} as="button" type="button" onClick={() => note.mutate(what)}>
                  {what}
                </Dropdown.Item>
              ))}
            </Dropdown.Menu>
          </Dropdown>
        </Form>
        <ProblemNote error={type.error ?? end.error ?? start.error ?? note.error ?? mark.error} />
        <SilenceMeter boot={boot} received={received} />
        {boot.endedWhy && !boot.live && <p className="quiet">{boot.endedWhy}</p>}
        {boot.notes.length > 0 && (
          <ul className="notes" aria-label="What was seen">
            {boot.notes.map((n) => (
              <li key={n.milliseconds + n.text}>
                <span className="time">{clock(n.milliseconds / 1000)}</span> {n.text}
              </li>
            ))}
          </ul>
        )}
      </div>
    </div>
  );
}
