import type { BarStage } from "./api";
import { StageButton } from "./StageButton";
import styles from "./StageBar.module.css";
import { clock, stageNames, stateWords } from "./words";

/** The stage bar lying down: eight small buttons on one thread. */
export function LyingStageBar({ stages, size = 13 }: { stages: BarStage[]; size?: number }) {
  const reached = stages.filter((s) => s.state === "reached" || s.state === "flawed").map((s) => stageNames[s.stage]);
  const special = stages.find((s) => s.state === "stopped" || s.state === "now");
  const words = [
    reached.length ? `Reached ${reached.join(", ").toLowerCase()}` : "Nothing reached",
    special ? `${special.state === "now" ? "now at" : "stopped at"} ${stageNames[special.stage].toLowerCase()}` : "",
  ];
  return (
    <span className={styles.lying} role="img" aria-label={words.filter(Boolean).join("; ")}>
      {stages.map((s) => (
        <StageButton key={s.stage} state={s.state} size={size} />
      ))}
    </span>
  );
}

function usual(stage: BarStage) {
  if (stage.usualFrom === null || stage.usualTo === null) return null;
  const from = clock(stage.usualFrom);
  const to = clock(stage.usualTo);
  return (
    <span className={styles.usual} title="When good boots of this board and image reach it">
      {from === to ? (
        `usually ${to}`
      ) : (
        <>
          <span className="visually-hidden">usually </span>
          {from} to {to}
        </>
      )}
    </span>
  );
}

/** The stage bar standing beside a console: each stage with its time since power and the band in which it is usual. */
export function StandingStageBar({
  stages,
  onLine,
  lies = false,
}: {
  stages: BarStage[];
  onLine: (line: number) => void;
  /** Whether it lies down where the window is narrow. */
  lies?: boolean;
}) {
  return (
    <ol className={`${styles.standing} ${lies ? styles.lies : ""}`} aria-label="Stages of this boot">
      {stages.map((s, i) => {
        const next = stages[i + 1];
        const whole = next !== undefined && s.state !== "open" && next.state !== "open";
        const torn = s.state === "stopped";
        const late = s.seconds !== null && s.usualTo !== null && s.seconds > s.usualTo * 1.5 + 2;
        return (
          <li key={s.stage} className={`${styles.row} ${styles[s.state]}`}>
            <span
              className={`${styles.thread} ${styles[i === stages.length - 1 ? "none" : torn ? "torn" : whole ? "whole" : "dashed"]}`}
            />
            <StageButton state={s.state} size={28} />
            <span className={styles.text}>
              {s.line ? (
                <button type="button" className={styles.name} onClick={() => onLine(s.line ?? 1)}>
                  {stageNames[s.stage]}
                </button>
              ) : (
                <span className={styles.name}>{stageNames[s.stage]}</span>
              )}
              <span className="visually-hidden">, {stateWords[s.state]}</span>
              <span className={styles.times}>
                {s.state === "hidden" ? (
                  "not shown here"
                ) : (
                  <>
                    {s.seconds !== null && <span className={late ? styles.late : ""}>{clock(s.seconds)}</span>}{" "}
                    {usual(s)}
                  </>
                )}
              </span>
            </span>
          </li>
        );
      })}
    </ol>
  );
}
