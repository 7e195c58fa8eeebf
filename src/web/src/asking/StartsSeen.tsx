import type { BootView, OneStart, StageTimes } from "../shared/api";
import { seconds, stageNames } from "../shared/words";
import { useEndTyping } from "../consoles/queries";
import styles from "./Starts.module.css";
import { useStarts } from "./queries";
import { useStopAtAnyKey } from "./useStopAtAnyKey";

const cameWords: Record<OneStart["came"], string> = {
  up: "came up",
  failed: "did not come up",
  "cut-short": "cut short by power, not counted",
  helped: "helped by hand, not counted",
  running: "under way",
};

const width = 9;
const height = 34;

/** How long each start took to one stage: a bar a start, in their order. */
function StageChart({ times, starts }: { times: StageTimes; starts: OneStart[] }) {
  const name = stageNames[times.stage];
  return (
    <figure className={styles.chart}>
      <figcaption>
        {name} <span className="time">{seconds(times.middle)}</span>
      </figcaption>
      <svg
        role="img"
        width={starts.length * width}
        height={height}
        aria-label={`${name}: ${seconds(times.least)} to ${seconds(times.most)}, in the middle ${seconds(times.middle)}`}
      >
        {starts.map((start, n) => {
          const took = times.seconds[n] ?? null;
          const bar = took === null ? 2 : Math.max(2, (height * took) / times.most);
          return (
            <rect
              key={start.number}
              className={took === null ? styles.none : start.came === "failed" ? styles.failed : undefined}
              x={n * width}
              y={height - bar}
              width={width - 2}
              height={bar}
            />
          );
        })}
      </svg>
      <span className="quiet">
        {seconds(times.least)} to {seconds(times.most)}
      </span>
    </figure>
  );
}

/** The starts of a capture: how many came up of how many, how long each took, what those that failed share. */
export function StartsSeen({ boot, onLine }: { boot: BootView; onLine: (line: number) => void }) {
  const starts = useStarts(boot.id, boot.live && boot.attempts.length > 1);
  const end = useEndTyping(boot.id);
  const running = boot.live && boot.typing?.name === "Start it again and again" && boot.typing.state === "waiting";
  useStopAtAnyKey(running, () => end.mutate(undefined));
  if (!starts.data || (starts.data.all.length < 2 && !running)) return null;
  const { all, says, times, shared } = starts.data;
  const failed = all.filter((s) => s.came === "failed").length;
  return (
    <section className={styles.starts} aria-label="Starts">
      <p>
        <strong>{says ? `${says}.` : "No start has come to its end yet."}</strong>
      </p>
      <ol className={styles.row} aria-label="Each start">
        {all.map((start) => {
          const words = `Start ${start.number}: ${cameWords[start.came]}${start.cause ? `, ${start.cause}` : ""}`;
          return (
            <li key={start.number}>
              <button
                type="button"
                className={styles[start.came === "cut-short" ? "cut" : start.came]}
                title={words}
                aria-label={`${words}. Show line ${start.line}`}
                onClick={() => onLine(start.line)}
              >
                {start.number}
              </button>
            </li>
          );
        })}
      </ol>
      {shared.length > 0 && (
        <ul className={styles.shared} aria-label="What the starts that failed share">
          {shared.map((s) => (
            <li key={s.says}>
              <span className="time">
                {s.starts} of {failed}
              </span>{" "}
              {s.says}{" "}
              {s.line !== null && (
                <button type="button" className="btn btn-link p-0" onClick={() => s.line !== null && onLine(s.line)}>
                  line {s.line}
                </button>
              )}
            </li>
          ))}
        </ul>
      )}
      <div className={styles.charts}>
        {times.map((t) => (
          <StageChart key={t.stage} times={t} starts={all} />
        ))}
      </div>
    </section>
  );
}
