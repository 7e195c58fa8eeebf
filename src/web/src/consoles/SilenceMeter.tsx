import { useEffect, useState } from "react";
import type { BootView } from "../shared/api";
import { clock } from "../shared/words";
import styles from "./Boot.module.css";

/** How long it has been quiet, now: the server's figure and the time since it came. Null when nothing is heard. */
export function useQuiet(boot: BootView, received: number): number | null {
  const [now, setNow] = useState(received);
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 500);
    return () => clearInterval(timer);
  }, []);
  return boot.live && boot.quiet !== null ? boot.quiet.seconds + Math.max(0, now - received) / 1000 : null;
}

/** Whether a silence is longer than it should be here. */
export const isWorrying = (boot: BootView, quiet: number | null) =>
  quiet !== null && !boot.settled && boot.quiet?.worrySeconds != null && quiet > boot.quiet.worrySeconds;

/** How long the console has been quiet, against good boots at this very point and what the system is at. */
export function SilenceMeter({ boot, quiet }: { boot: BootView; quiet: number | null }) {
  if (quiet === null || boot.quiet === null) return null;
  const { usualSeconds: usual, worrySeconds: worry, basis, work } = boot.quiet;
  const scale = Math.max((worry ?? usual ?? 30) * 1.3, (usual ?? 0) * 2, 10);
  const over = isWorrying(boot, quiet);
  return (
    <div className={styles.silence}>
      <span>
        Quiet for <span className="time">{clock(quiet)}</span>
      </span>
      <span
        className="meter"
        role="meter"
        aria-label="Quiet time"
        aria-valuemin={0}
        aria-valuemax={Math.round(scale)}
        aria-valuenow={Math.min(Math.round(scale), Math.round(quiet))}
      >
        <span
          className={`fill ${over ? styles.late : ""}`}
          style={{ width: `${Math.min(100, (quiet / scale) * 100)}%` }}
        />
        {usual !== null && <span className={styles.tick} style={{ left: `${(usual / scale) * 100}%` }} />}
      </span>
      <span>
        {boot.settled ? (
          "the board waits for you"
        ) : work ? (
          <>
            <strong>{work.says}</strong>: up to <span className="time">{clock(work.usualSeconds)}</span>
            {work.keepPower && <strong>, do not take power</strong>}
          </>
        ) : usual === null ? (
          "no good boot yet to compare with"
        ) : (
          <>
            {over ? "worrying" : "wait"}: it was up to <span className="time">{clock(usual)}</span> {basis}
          </>
        )}
      </span>
    </div>
  );
}
