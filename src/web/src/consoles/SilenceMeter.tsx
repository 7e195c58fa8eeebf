import { useEffect, useState } from "react";
import type { BootView } from "../shared/api";
import { clock } from "../shared/words";
import styles from "./Boot.module.css";

/** How long the console has been quiet, against the longest silence of good boots of this board and image. */
export function SilenceMeter({ boot, received }: { boot: BootView; received: number }) {
  const [now, setNow] = useState(received);
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 500);
    return () => clearInterval(timer);
  }, []);
  if (!boot.live || boot.quietSeconds === null) return null;
  const quiet = boot.quietSeconds + Math.max(0, now - received) / 1000;
  const usual = boot.usualQuietSeconds;
  const scale = Math.max((usual ?? 30) * 2, 10);
  const over = usual !== null && quiet > usual && !boot.settled;
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
        aria-valuemax={scale}
        aria-valuenow={Math.min(scale, Math.round(quiet))}
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
        ) : usual === null ? (
          "no good boot here yet to compare with"
        ) : (
          <>
            here it is usual up to <span className="time">{clock(usual)}</span>
          </>
        )}
      </span>
    </div>
  );
}
