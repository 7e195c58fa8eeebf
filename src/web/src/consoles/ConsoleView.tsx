import { useQueries } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import type { LineView } from "../shared/api";
import { linesOfPage, linesQuery } from "../shared/queries";

/** The console: line numbers, time since power, marked evidence; only the visible lines exist, so a log of a million lines scrolls like a short one. */
export function ConsoleView({
  bootId,
  total,
  evidence,
  goTo,
  live,
}: {
  bootId: string;
  total: number;
  evidence: Map<number, string>;
  goTo: { line: number; stamp: number } | null;
  live: boolean;
}) {
  const scroller = useRef<HTMLDivElement>(null);
  const follow = useRef(live);
  // The virtualizer hands out functions that must be called anew at each drawing; nothing of it is kept.
  // eslint-disable-next-line react-hooks/incompatible-library
  const rows = useVirtualizer({
    count: total,
    getScrollElement: () => scroller.current,
    estimateSize: () => 20,
    overscan: 20,
  });
  const shown = rows.getVirtualItems();
  const pages = [...new Set(shown.map((r) => Math.floor(r.index / linesOfPage)))];
  const loaded = useQueries({
    queries: pages.map((page) => linesQuery(bootId, page, total)),
  });
  const lines = new Map<number, LineView>();
  for (const page of loaded) for (const line of page.data?.lines ?? []) lines.set(line.number, line);

  useEffect(() => {
    if (follow.current && total > 0 && live) rows.scrollToIndex(total - 1, { align: "end" });
  }, [total, live, rows]);
  useEffect(() => {
    if (!goTo) return;
    follow.current = false;
    rows.scrollToIndex(goTo.line - 1, { align: "center" });
  }, [goTo, rows]);

  return (
    <div
      ref={scroller}
      className="console"
      role="region"
      aria-label="Console"
      tabIndex={0}
      onScroll={(e) => {
        const box = e.currentTarget;
        follow.current = box.scrollHeight - box.scrollTop - box.clientHeight < 40;
      }}
    >
      {total === 0 && <p className="console-empty">Nothing has arrived yet. An empty window is right until power.</p>}
      <div className="console-lines" style={{ height: rows.getTotalSize() }}>
        {shown.map((row) => {
          const number = row.index + 1;
          const line = lines.get(number);
          const says = evidence.get(number);
          const before = lines.get(number - 1);
          const gap =
            line && before && line.seconds !== null && before.seconds !== null ? line.seconds - before.seconds : 0;
          const isTarget = goTo?.line === number;
          return (
            <div
              key={row.key}
              className={`console-line ${says === undefined ? "" : "evidence"} ${gap > 5 ? "late" : ""} ${isTarget ? "target" : ""}`}
              style={{ transform: `translateY(${row.start}px)` }}
              title={says || undefined}
            >
              <span className="number">{number}</span>
              <span className="flag">
                {says !== undefined ? (
                  <>
                    <span aria-hidden="true">◆</span>
                    <span className="visually-hidden">evidence</span>
                  </>
                ) : gap > 5 ? (
                  `${gap.toFixed(1)} s`
                ) : (
                  ""
                )}
              </span>
              <span className="seconds">{line?.seconds === null || !line ? "" : line.seconds.toFixed(3)}</span>
              <span className="text">{line?.text ?? ""}</span>
            </div>
          );
        })}
      </div>
    </div>
  );
}
