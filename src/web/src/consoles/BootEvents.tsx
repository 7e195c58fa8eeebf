import type { BootView } from "../shared/api";
import { clock } from "../shared/words";
import styles from "./Boot.module.css";

/** So many events are read at a glance; the ones before them are opened. */
const glance = 6;

const signs: Record<BootView["events"][number]["kind"], string> = {
  mark: "seen",
  power: "power",
  gap: "gap",
  back: "heard again",
  line: "line",
  typed: "typed",
  secret: "typed",
  sequence: "sequence",
  tried: "tried",
};

function EventList({ events, label }: { events: BootView["events"]; label: string }) {
  return (
    <ul className={styles.notes} aria-label={label}>
      {events.map((e, n) => (
        <li key={n} className={e.kind === "gap" || e.kind === "back" ? styles.gapEvent : undefined}>
          <span className="time">{clock(e.seconds)}</span> <span className="quiet">{signs[e.kind]}</span> {e.text}
        </li>
      ))}
    </ul>
  );
}

/** What happened beside the bytes: what was seen, typed, set; when the console was away. */
export function BootEvents({ events }: { events: BootView["events"] }) {
  const before = events.slice(0, -glance);
  return (
    <>
      {before.length > 0 && (
        <details>
          <summary>{before.length} before</summary>
          <EventList events={before} label="What happened before" />
        </details>
      )}
      <EventList events={events.slice(-glance)} label="What was seen and done" />
    </>
  );
}
