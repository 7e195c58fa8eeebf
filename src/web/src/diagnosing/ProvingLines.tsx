import { useState } from "react";
import { Link } from "react-router";
import { ConsoleText } from "../consoles/ConsoleLine";
import { useLinesAt } from "../consoles/lines";
import type { ProvingLine } from "./provingLines";
import styles from "./Diagnose.module.css";

/** How many lines stand around a proving one. */
const around = 3;

/** Up to so many lines stand in their surroundings from the beginning. */
const shortEnough = 12;

/** The numbers from three before to three behind each line, each once. */
function surroundings(lines: ProvingLine[], total: number): number[] {
  const numbers = new Set<number>();
  for (const { line } of lines)
    for (let n = Math.max(1, line - around); n <= Math.min(total, line + around); n++) numbers.add(n);
  return [...numbers].sort((a, b) => a - b);
}

/** The lines that prove a cause, or speak against it, with what stands around them folded. */
export function ProvingLines({
  lines,
  bootId,
  boardId,
  total,
  label,
  unfold,
  good = false,
  onPoint,
}: {
  lines: ProvingLine[];
  bootId: string;
  boardId: string;
  total: number;
  label: string;
  /** Whether the surroundings are shown from the beginning, where they are short. */
  unfold: boolean;
  /** Whether they tell that it went well. */
  good?: boolean;
  onPoint: (line: number) => void;
}) {
  const shown = lines.slice(0, 6);
  const everything = surroundings(shown, total);
  const [open, setOpen] = useState(unfold && everything.length <= shortEnough);
  const proving = new Map(shown.map((l) => [l.line, l]));
  const numbers = open ? everything : shown.map((l) => l.line).sort((a, b) => a - b);
  const loaded = useLinesAt(bootId, numbers, total);
  return (
    <div className={styles.proof}>
      <ol aria-label={label}>
        {numbers.map((number, n) => {
          const proof = proving.get(number);
          const line = loaded.get(number);
          const before = numbers[n - 1];
          return (
            <li
              key={number}
              className={proof ? (good ? styles.well : styles.proving) : ""}
              onPointerEnter={() => proof && onPoint(number)}
              onFocus={() => proof && onPoint(number)}
            >
              {before !== undefined && before !== number - 1 && (
                <span className={styles.gap} aria-hidden="true">
                  ⋮
                </span>
              )}
              <span className={styles.line}>
                {proof ? (
                  <Link to={`/boards/${boardId}/boot?boot=${bootId}&line=${number}`} aria-label={`Line ${number}`}>
                    {number}
                  </Link>
                ) : (
                  <span className={styles.number}>{number}</span>
                )}
                <code>{line ? <ConsoleText line={line} /> : (proof?.text ?? "")}</code>
              </span>
              {proof && (proof.says || proof.times > 1) && (
                <span className={styles.says}>
                  {proof.says}
                  {proof.times > 1 &&
                    `${proof.says ? "; " : ""}${proof.times} times${proof.also.length > 0 ? `, also at ${proof.also.join(", ")}${proof.times > proof.also.length + 1 ? " …" : ""}` : ""}`}
                </span>
              )}
            </li>
          );
        })}
      </ol>
      <button type="button" className="link" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? "Only these lines" : "With the lines around"}
      </button>
    </div>
  );
}
