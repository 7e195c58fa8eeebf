import { useState } from "react";
import { Link, useParams } from "react-router";
import type { BootView, LineView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useBench } from "../shared/queries";
import { useBeside, useBoot } from "./queries";
import { ConsoleText } from "./ConsoleLine";
import { useLinesAt } from "./lines";
import styles from "./Logs.module.css";

/** Equal lines shown around a place where the logs part. */
const around = 3;

/** Lines of one run that are shown at once; the rest is opened. */
const mostOfRun = 400;

type Row = { left: number | null; right: number | null; same: boolean };
type Run = { same: boolean; leftFrom: number; leftCount: number; rightFrom: number; rightCount: number };

const rowsOf = (run: Run, from: number, count: number): Row[] =>
  Array.from({ length: count }, (_, n) => ({
    left: from + n < run.leftCount ? run.leftFrom + from + n : null,
    right: from + n < run.rightCount ? run.rightFrom + from + n : null,
    same: run.same,
  }));

/** What of the runs is shown: all that differs, and equal lines near it; what is folded is told by its length. */
function shownOf(runs: Run[], opened: ReadonlySet<number>): (Row | { folded: number; run: number })[] {
  return runs.flatMap((run, n) => {
    const count = Math.max(run.leftCount, run.rightCount);
    const [head, tail] = run.same ? [n === 0 ? 0 : around, n === runs.length - 1 ? 0 : around] : [mostOfRun, 0];
    if (opened.has(n) || count <= head + tail + 2) return rowsOf(run, 0, count);
    return [...rowsOf(run, 0, head), { folded: count - head - tail, run: n }, ...rowsOf(run, count - tail, tail)];
  });
}

function Title({ boot, nickname }: { boot: BootView | undefined; nickname: string | undefined }) {
  if (!boot) return null;
  return (
    <Link to={`/boards/${boot.boardId}/boot?boot=${boot.id}`}>
      {nickname ?? "A board"}, boot {boot.number}: {boot.word.toLowerCase()}
    </Link>
  );
}

function Cell({ number, line, only }: { number: number | null; line: LineView | undefined; only: boolean }) {
  return (
    <>
      <td className={styles.number}>{number}</td>
      <td className={only ? styles.only : undefined}>
        {only && <span className="visually-hidden">only here: </span>}
        {line && <ConsoleText line={line} />}
      </td>
    </>
  );
}

/** Two logs beside each other, by the shapes of their lines: times, numbers and names aside. */
export default function BesidePage() {
  const { left = "", right = "" } = useParams();
  const beside = useBeside(left, right);
  const bench = useBench();
  const boots = [useBoot(left), useBoot(right)];
  const [opened, setOpened] = useState<ReadonlySet<number>>(new Set());
  const rows = beside.data ? shownOf(beside.data.runs, opened) : [];
  const numbers = (side: "left" | "right") =>
    rows.flatMap((r) => ("folded" in r ? [] : r[side] === null ? [] : [r[side]]));
  const lefts = useLinesAt(left, numbers("left"), beside.data?.leftTotal ?? 0);
  const rights = useLinesAt(right, numbers("right"), beside.data?.rightTotal ?? 0);
  const name = (boot: BootView | undefined) => bench.data?.find((b) => b.id === boot?.boardId)?.nickname;
  const parts = beside.data?.runs.filter((r) => !r.same).length ?? 0;
  const first = beside.data?.firstParting != null ? beside.data.runs[beside.data.firstParting] : undefined;
  return (
    <main className="page wide" id="page">
      <title>Two logs · Buttonhook</title>
      <h1>Compare two logs</h1>
      <p className="lead">
        {beside.data &&
          (first
            ? `They part ${parts === 1 ? "once" : `${parts} times`}, ${parts === 1 ? "" : "first "}at line ${first.leftFrom} and line ${first.rightFrom}.`
            : "Line by line they say the same.")}{" "}
        Times, numbers and addresses are not compared.
      </p>
      <ProblemNote error={beside.error ?? boots[0]?.error ?? boots[1]?.error} />
      {beside.data && (
        <div className={`table-scroll ${styles.beside}`} tabIndex={0} role="region" aria-label="Both logs">
          <table>
            <colgroup>
              <col className={styles.numbers} />
              <col />
              <col className={styles.numbers} />
              <col />
            </colgroup>
            <thead>
              <tr>
                <th colSpan={2} scope="colgroup">
                  <Title boot={boots[0]?.data} nickname={name(boots[0]?.data)} />
                </th>
                <th colSpan={2} scope="colgroup">
                  <Title boot={boots[1]?.data} nickname={name(boots[1]?.data)} />
                </th>
              </tr>
            </thead>
            <tbody>
              {rows.map((row, n) =>
                "folded" in row ? (
                  <tr key={n}>
                    <td colSpan={4} className={styles.fold}>
                      <button type="button" className="link" onClick={() => setOpened(new Set([...opened, row.run]))}>
                        {row.folded} {beside.data.runs[row.run]?.same ? "lines alike" : "more lines"}
                      </button>
                    </td>
                  </tr>
                ) : (
                  <tr key={n}>
                    <Cell
                      number={row.left}
                      line={row.left === null ? undefined : lefts.get(row.left)}
                      only={!row.same && row.left !== null}
                    />
                    <Cell
                      number={row.right}
                      line={row.right === null ? undefined : rights.get(row.right)}
                      only={!row.same && row.right !== null}
                    />
                  </tr>
                ),
              )}
            </tbody>
          </table>
        </div>
      )}
    </main>
  );
}
