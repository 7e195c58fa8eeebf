import { useState } from "react";
import { Link } from "react-router";
import type { BootRow } from "../shared/api";
import { Facts } from "../shared/Facts";
import { ListPage } from "../shared/ListPage";
import { useBench, useBoots, useRules } from "../shared/queries";
import { day } from "../shared/words";
import { FoundInLogs } from "./FoundInLogs";
import { LogFilters } from "./LogFilters";
import type { LogFilter } from "./queries";

const keep = (b: BootRow, filter: LogFilter) =>
  (!filter.board || b.boardId === filter.board) &&
  (!filter.revision || `${b.modelId} ${b.revisionId}` === filter.revision) &&
  (!filter.image || b.imageId === filter.image) &&
  (!filter.outcome || b.outcome === filter.outcome) &&
  (!filter.stage || b.lastStage === filter.stage) &&
  (!filter.cause || b.topCause === filter.cause);

const zipOf = (form: string) => (rows: { id: string }[]) =>
  `/api/logs/zip?form=${form}&ids=${rows.map((r) => r.id).join(",")}`;

/** All logs: searched line by line, filtered, taken together, laid beside each other. */
export default function LogDrawerPage() {
  const boots = useBoots();
  const bench = useBench();
  const rules = useRules();
  const [filter, setFilter] = useState<LogFilter>({});
  const [text, setText] = useState("");
  const nicknames = new Map(bench.data?.map((b) => [b.id, b.nickname]));
  const causes = new Map(rules.data?.map((r) => [r.id, r.name]));
  const rows = boots.data
    ?.filter((b) => keep(b, filter))
    .map((b) => ({
      ...b,
      name: `${nicknames.get(b.boardId) ?? "A board that was removed"}, boot ${b.number}`,
      cause: causes.get(b.topCause ?? "") ?? null,
    }));
  const narrowed = Object.values(filter).some(Boolean);
  return (
    <ListPage
      title="Log drawer"
      lead="Every console log that was captured or dropped here, byte by byte as it came."
      rows={rows}
      error={boots.error}
      hint="Filter by board, image, outcome or cause"
      above={
        <>
          <LogFilters
            boots={boots.data ?? []}
            filter={filter}
            onFilter={setFilter}
            text={text}
            onText={setText}
            nicknames={nicknames}
            causes={causes}
          />
          {text.trim() !== "" && <FoundInLogs text={text.trim()} filter={filter} nicknames={nicknames} />}
        </>
      }
      columns={[
        { name: "Boot", show: (b) => b.name, by: (b) => b.name },
        { name: "When", show: (b) => day(b.startedAt), by: (b) => b.startedAt },
        { name: "Image", show: (b) => b.imageTitle ?? "not known", by: (b) => b.imageTitle },
        { name: "How it ended", show: (b) => b.word, by: (b) => b.word },
        { name: "Cause", show: (b) => b.cause ?? "", by: (b) => b.cause },
      ]}
      more={(b) => b.source}
      empty={
        narrowed ? (
          <p>No log is of this kind.</p>
        ) : (
          <>
            <p>No log is here yet.</p>
            <p>
              A log comes of a boot that is watched, or of a file that is dropped on a board's Boot page or on the empty
              bench.
            </p>
          </>
        )
      }
      details={(b) => (
        <>
          <Facts facts={[["Came from", b.source]]} />
          <p>
            <Link to={`/boards/${b.boardId}/boot?boot=${b.id}`}>Read it</Link>
            {" · "}
            <Link to={`/boards/${b.boardId}/diagnose?boot=${b.id}`}>Diagnose it</Link>
            {" · "}
            <a href={`/api/boots/${b.id}/log`} download>
              Save it
            </a>
          </p>
        </>
      )}
      removable={() => "log"}
      downloads={[
        { name: "Save as one zip", of: zipOf("raw") },
        { name: "As plain text", of: zipOf("text") },
        { name: "As asciicast", of: zipOf("asciicast") },
      ]}
      pair={{ name: "Compare", of: (a, b) => `/logs/beside/${a.id}/${b.id}` }}
      removedKinds={["log"]}
    />
  );
}
