import { clock } from "../shared/words";
import styles from "./Learnt.module.css";
import { distribution } from "./distribution";

const height = 120;
const foot = 18;
const head = 16;

/** Bars of how many boots took how long to the login. */
export function Histogram({ seconds }: { seconds: number[] }) {
  const classes = distribution(seconds);
  const most = Math.max(1, ...classes.map((c) => c.boots));
  const share = 100 / classes.length;
  return (
    <svg
      className={styles.chart}
      role="img"
      width="100%"
      height={height}
      aria-label={classes.map((c) => `${clock(c.from)} to ${clock(c.to)}: ${c.boots}`).join("; ")}
    >
      {classes.map((c, n) => {
        const bar = ((height - head - foot) * c.boots) / most;
        const middle = `${(n + 0.5) * share}%`;
        return (
          <g key={c.from}>
            <rect x={`${(n + 0.1) * share}%`} y={height - foot - bar} width={`${share * 0.8}%`} height={bar} />
            {c.boots > 0 && (
              <text x={middle} y={height - foot - bar - 4}>
                {c.boots}
              </text>
            )}
            <text x={middle} y={height - 4}>
              {clock(c.from)}
            </text>
          </g>
        );
      })}
      <line x1="0" x2="100%" y1={height - foot} y2={height - foot} />
    </svg>
  );
}
