import { useState } from "react";
import { Button, Dropdown } from "react-bootstrap";
import type { BootView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { clock, stageNames } from "../shared/words";
import styles from "./Boot.module.css";
import type { Marked } from "./ConsoleView";

/** How a log is shown: its lines, every byte as a sign, or a terminal. */
export type Shown = "lines" | "raw" | "terminal";

const shownNames: [Shown, string, string | null][] = [
  ["lines", "Lines, as a terminal leaves them", null],
  ["raw", "Lines with every control character", "r"],
  ["terminal", "Terminal, for menus and editors", "v"],
];

const forms: [string, string][] = [
  ["text", "Save as plain text"],
  ["timed", "Save with the time of each line"],
  ["asciicast", "Save as asciicast, to play it"],
  ["typescript", "Save as typescript with timing"],
];
import { useTextOf } from "./lines";

/** When an attempt reached its last stage, in seconds from its begin; null without times. */
function lastSeconds(attempt: BootView["attempts"][number]): number | null {
  const times = attempt.stages.flatMap((s) => (s.milliseconds === null ? [] : [s.milliseconds / 1000]));
  return times.length === 0 ? null : Math.max(...times);
}

/** Puts a text on the clipboard; without a secure connection the browser's own copying does it. */
async function putOnClipboard(text: string) {
  if (window.isSecureContext) {
    await navigator.clipboard.writeText(text);
    return;
  }
  const field = document.createElement("textarea");
  field.value = text;
  document.body.append(field);
  field.select();
  document.execCommand("copy");
  field.remove();
}

/** What is done with the log as it is shown: find, wrap, jump, copy, save. */
export function BootTools({
  boot,
  simulated,
  ending,
  wrap,
  shown,
  large,
  sound,
  marked,
  evidenceLines,
  stages,
  attempts,
  onShow,
  onStep,
  onFind,
  onWrap,
  onShown,
  onLarge,
  onSound,
  onReplay,
  onOther,
  onNewest,
  onEnd,
  onUnmark,
}: {
  boot: BootView;
  simulated: boolean;
  ending: boolean;
  wrap: boolean;
  shown: Shown;
  large: boolean;
  sound: boolean;
  marked: Marked | null;
  evidenceLines: number[];
  stages: number[];
  attempts: number[];
  onShow: (line: number) => void;
  onStep: (lines: number[], direction: 1 | -1) => void;
  onFind: () => void;
  onWrap: () => void;
  onShown: (shown: Shown) => void;
  onLarge: () => void;
  onSound: () => void;
  onReplay: (pace: number) => void;
  onOther: () => void;
  onNewest: (() => void) | null;
  onEnd: () => void;
  onUnmark: () => void;
}) {
  const textOf = useTextOf(boot.id, boot.lineCount);
  const [copied, setCopied] = useState<string | null>(null);
  const [error, setError] = useState<unknown>(null);
  const copy = async ({ from, to }: Marked) => {
    try {
      await putOnClipboard(await textOf(from, to));
      setError(null);
      setCopied(from === to ? `Line ${from} is copied.` : `Lines ${from} to ${to} are copied.`);
      onUnmark();
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <div className={styles.tools}>
      {marked && (
        <Button variant="outline-secondary" size="sm" onClick={() => void copy(marked)}>
          Copy {marked.from === marked.to ? `line ${marked.from}` : `lines ${marked.from} to ${marked.to}`}
        </Button>
      )}
      <span role="status" className="visually-hidden">
        {copied}
      </span>
      <ProblemNote error={error} />
      {onNewest && (
        <Button variant="outline-secondary" size="sm" onClick={onNewest}>
          Newest boot
        </Button>
      )}
      <Button variant="outline-secondary" size="sm" onClick={onFind}>
        Find <kbd>f</kbd>
      </Button>
      <Button variant="outline-secondary" size="sm" aria-pressed={wrap} onClick={onWrap}>
        Wrap <kbd>w</kbd>
      </Button>
      <Dropdown align="end">
        <Dropdown.Toggle variant="outline-secondary" size="sm">
          View
        </Dropdown.Toggle>
        <Dropdown.Menu>
          {shownNames.map(([value, name, key]) => (
            <Dropdown.Item
              key={value}
              as="button"
              type="button"
              aria-current={shown === value ? "true" : undefined}
              onClick={() => onShown(value)}
            >
              {shown === value ? "● " : ""}
              {name} {key && <kbd>{key}</kbd>}
            </Dropdown.Item>
          ))}
          <Dropdown.Divider />
          <Dropdown.Item as="button" type="button" aria-pressed={sound} onClick={onSound}>
            {sound ? "Sounds off" : "Sounds for a stage, the login, a worrying silence"}
          </Dropdown.Item>
        </Dropdown.Menu>
      </Dropdown>
      <Dropdown align="end">
        <Dropdown.Toggle variant="outline-secondary" size="sm">
          Jump
        </Dropdown.Toggle>
        <Dropdown.Menu>
          <Dropdown.Item as="button" type="button" onClick={() => onShow(1)}>
            Start <kbd>Home</kbd>
          </Dropdown.Item>
          <Dropdown.Item as="button" type="button" onClick={() => onShow(boot.lineCount)}>
            End <kbd>End</kbd>
          </Dropdown.Item>
          {evidenceLines.length > 0 && (
            <Dropdown.Item as="button" type="button" onClick={() => onStep(evidenceLines, 1)}>
              Next of {evidenceLines.length} evidence {evidenceLines.length === 1 ? "line" : "lines"} <kbd>e</kbd>
            </Dropdown.Item>
          )}
          {stages.length > 0 && (
            <>
              <Dropdown.Divider />
              {boot.stageBar
                .filter((s) => s.line !== null)
                .map((s) => (
                  <Dropdown.Item key={s.stage} as="button" type="button" onClick={() => onShow(s.line ?? 1)}>
                    {stageNames[s.stage]}
                  </Dropdown.Item>
                ))}
            </>
          )}
          {attempts.length > 1 && (
            <>
              <Dropdown.Divider />
              {boot.attempts.map((a) => (
                <Dropdown.Item key={a.number} as="button" type="button" onClick={() => onShow(a.firstLine)}>
                  Start {a.number}, line {a.firstLine}
                  {a.lastStage && `: ${stageNames[a.lastStage].toLowerCase()}`}
                  {lastSeconds(a) !== null && ` after ${clock(lastSeconds(a) ?? 0)}`}
                </Dropdown.Item>
              ))}
            </>
          )}
        </Dropdown.Menu>
      </Dropdown>
      <Dropdown align="end">
        <Dropdown.Toggle variant="outline-secondary" size="sm">
          Log
        </Dropdown.Toggle>
        <Dropdown.Menu>
          <Dropdown.Item href={`/api/boots/${boot.id}/log`} download>
            Save log, {boot.byteCount.toLocaleString("en")} bytes
          </Dropdown.Item>
          {forms.map(([form, name]) => (
            <Dropdown.Item key={form} href={`/api/boots/${boot.id}/log?form=${form}`} download>
              {name}
            </Dropdown.Item>
          ))}
          {!boot.live && (
            <>
              <Dropdown.Divider />
              <Dropdown.Item as="button" type="button" onClick={() => onReplay(1)}>
                Play it again at its own pace
              </Dropdown.Item>
              <Dropdown.Item as="button" type="button" onClick={() => onReplay(20)}>
                Play it again twenty times as fast
              </Dropdown.Item>
            </>
          )}
          <Dropdown.Divider />
          <Dropdown.Item as="button" type="button" onClick={onOther}>
            Other console
          </Dropdown.Item>
          {!simulated && boot.live && (
            <Dropdown.Item as="button" type="button" disabled={ending} onClick={onEnd}>
              End the capture
            </Dropdown.Item>
          )}
        </Dropdown.Menu>
      </Dropdown>
      <Button variant="outline-secondary" size="sm" aria-pressed={large} onClick={onLarge}>
        {large ? "Small" : "Large"} <kbd>l</kbd>
      </Button>
    </div>
  );
}
