import { useEffect, useLayoutEffect, useRef, useState } from "react";
import styles from "./Console.module.css";
import { ConsoleText } from "./ConsoleLine";
import { useLines } from "./lines";

/** A silence before a line that is worth showing, in seconds. */
const longGap = 5;

/** Browsers stop at heights of about 17 million pixels; a longer log moves more lines with each pixel. */
const tallest = 16_000_000;

/** A line to be shown; the stamp makes that the same line can be asked for again. */
export type GoTo = { line: number; stamp: number };

/** A range of lines that a person marked at their numbers. */
export type Marked = { from: number; to: number };

/** The scroll position at which a line stands in the middle of the view, when all lines are one row high. */
function middleOf(line: number, total: number, row: number, view: number, extent: number): number {
  const room = total * row - view;
  if (room <= 0) return 0;
  const share = ((line - 1) * row - view / 2) / room;
  return Math.min(1, Math.max(0, share)) * (extent - view);
}

/**
 * The console: line numbers, time since power, marked evidence. Only the lines in view exist. Where the scroll bar stands between its ends,
 * there stands the view between first and last line; so lines may be of any height, and a million of them scroll like a hundred.
 */
export function ConsoleView({
  bootId,
  raw = false,
  total,
  evidence,
  goTo,
  live,
  wrap,
  words,
  marked,
  onMark,
  row = 18,
}: {
  bootId: string;
  /** Whether control characters are shown as signs. */
  raw?: boolean;
  total: number;
  evidence: Map<number, string>;
  goTo: GoTo | null;
  live: boolean;
  wrap: boolean;
  /** Words that are marked where they stand; empty for none. */
  words: string;
  marked: Marked | null;
  onMark: (marked: Marked | null) => void;
  /** The height of a row in pixels. */
  row?: number;
}) {
  const scroller = useRef<HTMLDivElement>(null);
  const block = useRef<HTMLDivElement>(null);
  const follow = useRef(live);
  const [top, setTop] = useState(0);
  const [view, setView] = useState(504);
  const [rowsOfFew, setRowsOfFew] = useState(0);

  const fits = Math.ceil(view / row) + 2;
  // Wrapped, a log of few lines may be higher than its number of lines tells.
  const rows = total <= fits * 2 ? Math.max(total, rowsOfFew) : total;
  const extent = Math.min(tallest, Math.max(view, rows * row));
  const share = extent > view ? Math.min(1, top / (extent - view)) : 0;
  const at = Math.min(Math.max(0, total - 1), Math.floor(share * total));
  const first = Math.max(1, at + 1 - fits);
  const last = Math.min(total, at + 1 + fits);
  const lines = useLines(bootId, first, last, total, raw);

  useEffect(() => {
    const box = scroller.current;
    if (!box) return;
    const sizes = new ResizeObserver(() => setView(box.clientHeight));
    sizes.observe(box);
    return () => sizes.disconnect();
  }, []);
  useLayoutEffect(() => {
    const rowsBox = block.current;
    const anchor = rowsBox?.querySelector<HTMLElement>(`[data-line="${at + 1}"]`);
    if (!rowsBox || !anchor) return;
    const within = share * total - at;
    const from = extent > view ? anchor.offsetTop + within * anchor.offsetHeight - share * view : 0;
    rowsBox.style.transform = `translateY(${-from}px)`;
    if (total <= fits * 2 && first === 1 && last === total) {
      const high = Math.ceil(rowsBox.offsetHeight / row);
      if (high !== rowsOfFew) setRowsOfFew(high);
    }
  }, [at, share, total, extent, view, fits, first, last, row, rowsOfFew, lines, wrap]);
  useLayoutEffect(() => {
    const box = scroller.current;
    if (box && follow.current && live) box.scrollTop = box.scrollHeight;
  }, [total, live, extent]);
  const shownStamp = useRef<GoTo | null>(null);
  useLayoutEffect(() => {
    const box = scroller.current;
    if (!box || !goTo || shownStamp.current === goTo || total === 0) return;
    shownStamp.current = goTo;
    follow.current = goTo.line >= total && live;
    box.scrollTop = goTo.line >= total ? box.scrollHeight : middleOf(goTo.line, total, row, box.clientHeight, extent);
  }, [goTo, total, row, extent, live]);

  const numbers: number[] = [];
  for (let n = first; n <= last; n++) numbers.push(n);
  const digits = String(total).length;
  return (
    <div
      ref={scroller}
      className={`${styles.console} ${wrap ? styles.wrapped : styles.sideways}`}
      role="region"
      aria-label="Console"
      tabIndex={0}
      style={
        {
          "--row": `${row}px`,
          "--numbers": `${Math.max(4, digits + 1)}ch`,
        } as React.CSSProperties
      }
      onScroll={(e) => {
        const box = e.currentTarget;
        follow.current = box.scrollHeight - box.scrollTop - box.clientHeight < 2 * row;
        setTop(box.scrollTop);
      }}
      onCopy={(e) => {
        const text = getSelection()?.toString();
        if (!text) return;
        e.clipboardData.setData("text/plain", text);
        e.preventDefault();
      }}
    >
      <div className={styles.extent} style={{ height: extent }}>
        <div className={styles.view} style={{ height: view }}>
          {total === 0 && (
            <p className={styles.empty}>Nothing has arrived yet. An empty window is right until power.</p>
          )}
          <div ref={block} className={styles.lines}>
            {numbers.map((number) => {
              const line = lines.get(number);
              const says = evidence.get(number);
              const before = lines.get(number - 1);
              const gap =
                line && before && line.seconds !== null && before.seconds !== null ? line.seconds - before.seconds : 0;
              const isMarked = marked !== null && number >= marked.from && number <= marked.to;
              return (
                <div
                  key={number}
                  data-line={number}
                  data-evidence={says === undefined ? undefined : ""}
                  aria-current={goTo?.line === number ? "true" : undefined}
                  className={[
                    styles.line,
                    says !== undefined && styles.evidence,
                    gap > longGap && styles.late,
                    isMarked && styles.marked,
                  ]
                    .filter(Boolean)
                    .join(" ")}
                  title={says || undefined}
                >
                  <span
                    className={styles.gutter}
                    onMouseDown={(e) => {
                      e.preventDefault();
                      if (e.shiftKey && marked)
                        onMark({ from: Math.min(marked.from, number), to: Math.max(marked.from, number) });
                      else onMark(isMarked && marked.from === marked.to ? null : { from: number, to: number });
                    }}
                  >
                    <span className={styles.number}>{number}</span>
                    <span className={styles.flag}>
                      {says !== undefined ? (
                        <>
                          <span aria-hidden="true">◆</span>
                          <span className="visually-hidden">evidence</span>
                        </>
                      ) : gap > longGap ? (
                        `${gap.toFixed(1)} s`
                      ) : (
                        ""
                      )}
                    </span>
                    <span className={styles.seconds}>
                      {line?.seconds === null || !line ? "" : line.seconds.toFixed(3)}
                    </span>
                  </span>
                  <span className={styles.text}>{line && <ConsoleText line={line} words={words} />}</span>
                </div>
              );
            })}
          </div>
        </div>
      </div>
    </div>
  );
}
