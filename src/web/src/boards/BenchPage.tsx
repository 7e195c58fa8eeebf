import { Link } from "react-router";
import { ArrivalPanel } from "./ArrivalPanel";
import { LyingPlacket } from "../shared/Placket";
import { ProblemNote } from "../shared/ProblemNote";
import { useBench } from "../shared/queries";
import { RemovedList } from "../shared/RemovedList";
import { clock, stageNames } from "../shared/words";

/** All boards at a glance, with the one thing to do next for each. */
export function BenchPage() {
  const bench = useBench();
  const boards = bench.data ?? [];
  const waiting = boards.filter((b) => b.word !== "Working settings").length;
  if (bench.data?.length === 0)
    return (
      <main className="page wide" id="page">
        <title>Bench · Buttonhook</title>
        <ArrivalPanel />
        <RemovedList kinds={["board"]} />
      </main>
    );
  return (
    <main className="page wide" id="page">
      <title>Bench · Buttonhook</title>
      <h1>The bench</h1>
      <ProblemNote error={bench.error} />
      {bench.data && (
        <p className="lead">
          {boards.length} {boards.length === 1 ? "board" : "boards"}, {waiting} still to do.
        </p>
      )}
      <ul className="table-of-boards">
        {boards.map((b) => (
          <li key={b.id}>
            <div className="who">
              <h2>
                <Link to={`/boards/${b.id}`}>{b.nickname}</Link>
              </h2>
              <p>{b.model}</p>
            </div>
            <div className="how">
              <LyingPlacket stages={b.placket} size={24} />
              <p>
                {b.word}
                {b.seconds !== null && (
                  <>
                    {" "}
                    at <span className="time">{clock(b.seconds)}</span>
                  </>
                )}
              </p>
              <p className="legend" aria-hidden="true">
                {b.placket
                  .filter((s) => s.state === "stopped" || s.state === "now" || s.state === "flawed")
                  .map((s) => stageNames[s.stage])
                  .join(", ")}
              </p>
            </div>
            <div className="what">
              <p>
                <Link to={`/boards/${b.id}`}>{b.next.title}</Link>
              </p>
              <p className="quiet">
                {b.next.why[0]} {b.next.minutes > 0 && <span>{b.next.minutes} min.</span>}
              </p>
            </div>
          </li>
        ))}
      </ul>
      <p>
        <Link to="/boards/new">Put a board on the bench</Link>
      </p>
      <RemovedList kinds={["board"]} />
    </main>
  );
}
