import { Form } from "react-bootstrap";
import type { BootRow } from "../shared/api";
import { stageNames } from "../shared/words";
import styles from "./Logs.module.css";
import type { LogFilter } from "./queries";

const outcomes: Record<NonNullable<BootRow["outcome"]>, string> = {
  "reached-login": "Reached login",
  degraded: "Login, with something failed",
  stopped: "Stopped",
  rebooting: "Restarts again and again",
  silent: "Silent",
  garbled: "Garbled",
  cut: "Cut",
};

/** The values that logs have, each once, with the names a person reads. */
function choices<K extends string>(boots: BootRow[], of: (b: BootRow) => [K | null, string | null]) {
  const all = new Map<string, string>();
  for (const boot of boots) {
    const [value, name] = of(boot);
    if (value !== null) all.set(value, name ?? value);
  }
  return [...all].sort((a, b) => a[1].localeCompare(b[1], "en", { numeric: true }));
}

/** The words to look for in all logs, and which logs are meant. */
export function LogFilters({
  boots,
  filter,
  onFilter,
  text,
  onText,
  nicknames,
  causes,
}: {
  boots: BootRow[];
  filter: LogFilter;
  onFilter: (filter: LogFilter) => void;
  text: string;
  onText: (text: string) => void;
  nicknames: Map<string, string>;
  causes: Map<string, string>;
}) {
  const selects: [keyof LogFilter, string, [string, string][]][] = [
    ["board", "Board", choices(boots, (b) => [b.boardId, nicknames.get(b.boardId) ?? "removed"])],
    [
      "revision",
      "Revision",
      choices(boots, (b) => [`${b.modelId} ${b.revisionId}`, `${b.modelId}, rev ${b.revisionId}`]),
    ],
    ["image", "Image", choices(boots, (b) => [b.imageId, b.imageTitle])],
    ["outcome", "Outcome", choices(boots, (b) => [b.outcome, b.outcome && outcomes[b.outcome]])],
    ["stage", "Stage", choices(boots, (b) => [b.lastStage, b.lastStage && stageNames[b.lastStage]])],
    [
      "cause",
      "Cause",
      choices(boots, (b) => [b.topCause, causes.get(b.topCause ?? "") ?? (b.topCause === "none" ? "No cause" : null)]),
    ],
  ];
  return (
    <div className={styles.filters} role="search" aria-label="All logs">
      <Form.Control
        type="search"
        aria-label="Find words in all logs"
        placeholder="Find words in the lines of all logs"
        value={text}
        maxLength={200}
        onChange={(e) => onText(e.target.value)}
      />
      {selects.map(([key, any, values]) => (
        <Form.Select
          key={key}
          size="sm"
          aria-label={`Only this ${any.toLowerCase()}`}
          value={filter[key] ?? ""}
          onChange={(e) => onFilter({ ...filter, [key]: e.target.value || undefined })}
        >
          <option value="">{any}</option>
          {values.map(([value, name]) => (
            <option key={value} value={value}>
              {name}
            </option>
          ))}
        </Form.Select>
      ))}
    </div>
  );
}
