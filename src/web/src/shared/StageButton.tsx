import styles from "./StageBar.module.css";

/** One button of the stage bar: its shape tells the state, colour only helps. Drawn on a 28 by 28 field. */
export function StageButton({ state, size }: { state: string; size: number }) {
  const holes = (
    <g fill="var(--bh-ground)">
      {[
        [11.5, 11.5],
        [16.5, 11.5],
        [11.5, 16.5],
        [16.5, 16.5],
      ].map(([x, y]) => (
        <circle key={`${x}-${y}`} cx={x} cy={y} r="1.3" />
      ))}
    </g>
  );
  return (
    <svg
      className={`${styles.button} ${styles[state]}`}
      width={size}
      height={size}
      viewBox="0 0 28 28"
      aria-hidden="true"
    >
      {state === "reached" && (
        <>
          <circle cx="14" cy="14" r="9" fill="currentColor" />
          {holes}
          <path d="M14 1.5A12.500 12.500 0 1 0 14 26.500" fill="none" stroke="currentColor" strokeWidth="1.5" />
        </>
      )}
      {state === "flawed" && (
        <>
          <path d="M14 5a9 9 0 1 0 9 9l-9 0z" fill="currentColor" />
          <path d="M14 1.5A12.500 12.500 0 1 0 14 26.500" fill="none" stroke="currentColor" strokeWidth="1.5" />
        </>
      )}
      {state === "now" && (
        <>
          <circle cx="14" cy="14" r="8.500" fill="none" stroke="currentColor" strokeWidth="1.5" />
          <path d="M5.500 14a8.500 8.500 0 0 0 17 0z" fill="currentColor" />
        </>
      )}
      {state === "stopped" && (
        <>
          <rect x="4" y="4" width="20" height="20" fill="currentColor" />
          <path d="m9.500 9.500 9 9m0-9-9 9" stroke="var(--bh-ground)" strokeWidth="2" />
        </>
      )}
      {state === "hidden" && <path d="M7 14h14" stroke="currentColor" strokeWidth="2.500" />}
      {state === "open" && <circle cx="14" cy="14" r="10" fill="none" stroke="currentColor" strokeWidth="2" />}
    </svg>
  );
}
