import type { LineView } from "../shared/api";
import styles from "./Console.module.css";

/** A stretch of text that is drawn in one way. */
type Stretch = { text: string; colour: string | null; bold: boolean; found: boolean };

/** A line cut where its colour changes and where the words that are searched for begin and end. */
export function stretchesOf(line: LineView, words: string): Stretch[] {
  const { text } = line;
  const cuts = new Set([0, text.length]);
  const matches: [number, number][] = [];
  if (words !== "") {
    const low = text.toLowerCase();
    const wanted = words.toLowerCase();
    for (let at = low.indexOf(wanted); at >= 0; at = low.indexOf(wanted, at + wanted.length)) {
      matches.push([at, at + wanted.length]);
      cuts.add(at).add(at + wanted.length);
    }
  }
  const runs = line.runs ?? [];
  for (const run of runs) cuts.add(run.from).add(run.from + run.length);
  const at = [...cuts].filter((c) => c <= text.length).sort((a, b) => a - b);
  return at.slice(0, -1).map((from, n) => {
    const run = runs.find((r) => r.from <= from && from < r.from + r.length);
    return {
      text: text.slice(from, at[n + 1]),
      colour: run?.colour ?? null,
      bold: run?.bold ?? false,
      found: matches.some(([a, b]) => a <= from && from < b),
    };
  });
}

/** The text of a console line in the colours that the system sent, with the searched words marked. */
export function ConsoleText({ line, words = "" }: { line: LineView; words?: string }) {
  if (!line.runs && words === "") return line.text;
  return stretchesOf(line, words).map((s, n) => {
    if (!s.colour && !s.bold && !s.found) return s.text;
    const exact = s.colour?.startsWith("#") ? s.colour : undefined;
    const Tag = s.found ? "mark" : "span";
    return (
      <Tag
        key={n}
        className={[s.colour && !exact && styles[s.colour], s.bold && styles.bold].filter(Boolean).join(" ")}
        style={exact && !s.found ? { color: exact } : undefined}
      >
        {s.text}
      </Tag>
    );
  });
}
