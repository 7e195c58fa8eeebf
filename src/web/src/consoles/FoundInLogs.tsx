import { useDeferredValue } from "react";
import { Link } from "react-router";
import { ProblemNote } from "../shared/ProblemNote";
import { day } from "../shared/words";
import styles from "./Logs.module.css";
import { useFoundLogs } from "./queries";
import type { LogFilter } from "./queries";

/** A line with the words in it marked. */
function Marked({ text, words }: { text: string; words: string[] }) {
  const low = text.toLowerCase();
  const parts: React.ReactNode[] = [];
  let at = 0;
  while (at < text.length) {
    const next = words
      .map((w) => ({ w, from: low.indexOf(w, at) }))
      .filter((m) => m.from >= 0)
      .sort((a, b) => a.from - b.from || b.w.length - a.w.length)[0];
    if (!next) break;
    parts.push(
      text.slice(at, next.from),
      <mark key={next.from}>{text.slice(next.from, next.from + next.w.length)}</mark>,
    );
    at = next.from + next.w.length;
  }
  parts.push(text.slice(at));
  return parts;
}

/** The lines of all logs that hold some words, each between its neighbours. */
export function FoundInLogs({
  text,
  filter,
  nicknames,
}: {
  text: string;
  filter: LogFilter;
  nicknames: Map<string, string>;
}) {
  const asked = useDeferredValue(text);
  const found = useFoundLogs(asked, filter);
  const words = asked.toLowerCase().split(/\s+/).filter(Boolean);
  const lines = found.data?.logs.reduce((n, l) => n + l.lines.length, 0) ?? 0;
  return (
    <section className={styles.found} aria-label="Found in the logs">
      <p role="status" className="quiet">
        {found.data &&
          (lines === 0
            ? "No line of a log that has ended holds these words."
            : `${lines} ${lines === 1 ? "line" : "lines"} in ${found.data.logs.length} ${found.data.logs.length === 1 ? "log" : "logs"}${found.data.more ? ", and more" : ""}.`)}
      </p>
      <ProblemNote error={found.error} />
      {found.data?.logs.map((log) => (
        <div key={log.id}>
          <p className={styles.log}>
            {nicknames.get(log.boardId) ?? "A board that was removed"}, boot {log.number}, {day(log.startedAt)}
          </p>
          <ul>
            {log.lines.map((line) => (
              <li key={line.number}>
                <Link to={`/boards/${log.boardId}/boot?boot=${log.id}&line=${line.number}`}>line {line.number}</Link>
                <pre>
                  {line.before?.trim() && <span className={styles.around}>{line.before + "\n"}</span>}
                  <Marked text={line.text} words={words} />
                  {line.after?.trim() && <span className={styles.around}>{"\n" + line.after}</span>}
                </pre>
              </li>
            ))}
          </ul>
        </div>
      ))}
    </section>
  );
}
