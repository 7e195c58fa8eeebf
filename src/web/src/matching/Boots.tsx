import type { MatchRow } from "../shared/api";
import { percent } from "../shared/words";

export const verdictNames: Record<MatchRow["verdict"], string> = {
  fits: "Fits",
  "fits-after-change": "Fits after a change",
  unproven: "Unproven",
  "will-not-start": "Will not start",
};

const nearNames: Record<MatchRow["near"][number]["nearness"], string> = {
  board: "on this board",
  revision: "on this revision",
  model: "on this model",
  "other-bench": "as other benches tell",
  processor: "on this processor",
};

function seconds(from: number | null, to: number | null) {
  if (from === null || to === null) return null;
  if (to >= 120) return `${Math.floor(from / 60)} to ${Math.ceil(to / 60)} min`;
  return from === to ? `${to} s` : `${from} to ${to} s`;
}

/** The record of real boots of an image, the nearest first. */
export function Boots({ row: m }: { row: MatchRow }) {
  if (m.near.length === 0) return <p>none yet</p>;
  return (
    <>
      {m.near.map((n) => (
        <p key={n.nearness}>
          {n.successes} of {n.tries} <span className="quiet">{nearNames[n.nearness]}</span>
        </p>
      ))}
      <p className="quiet">{percent(m.lowerEnd).replace(" ", "\u00a0")} or more, 9 times in 10</p>
      {m.successes > 0 && <p className="quiet">{seconds(m.fastestSeconds, m.slowestSeconds)}</p>}
    </>
  );
}
