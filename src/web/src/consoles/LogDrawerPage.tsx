import { Link } from "react-router";
import { Facts } from "../shared/Facts";
import { ListPage } from "../shared/ListPage";
import { useBench, useBoots, useRules } from "../shared/queries";
import { day } from "../shared/words";

/** The newest boots of all boards. */
export default function LogDrawerPage() {
  const boots = useBoots();
  const bench = useBench();
  const rules = useRules();
  const nicknames = new Map(bench.data?.map((b) => [b.id, b.nickname]));
  const causes = new Map(rules.data?.map((r) => [r.id, r.name]));
  const rows = boots.data?.map((b) => ({
    ...b,
    name: `${nicknames.get(b.boardId) ?? "A board that was removed"}, boot ${b.number}`,
    cause: causes.get(b.topCause ?? "") ?? null,
  }));
  return (
    <ListPage
      title="Log drawer"
      lead="Every console log that was captured or dropped here, byte by byte as it came."
      rows={rows}
      error={boots.error}
      hint="Narrow by board, image, outcome or cause"
      columns={[
        { name: "Boot", show: (b) => b.name, by: (b) => b.name },
        { name: "When", show: (b) => day(b.startedAt), by: (b) => b.startedAt },
        { name: "Image", show: (b) => b.imageTitle ?? "not known", by: (b) => b.imageTitle },
        { name: "How it ended", show: (b) => b.word, by: (b) => b.word },
        { name: "Cause", show: (b) => b.cause ?? "", by: (b) => b.cause },
      ]}
      more={(b) => b.source}
      empty={
        <>
          <p>No log is here yet.</p>
          <p>
            A log comes of a boot that is watched, or of a file that is dropped on a board's Boot page or on the empty
            bench.
          </p>
        </>
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
      removedKinds={["log"]}
    />
  );
}
