import { useState } from "react";
import { Form } from "react-bootstrap";
import { Link } from "react-router";
import { benchGroups, isGrouped } from "../frame/groups";
import type { BoardSummary } from "../shared/api";
import { LyingStageBar } from "../shared/StageBar";
import { ProblemNote } from "../shared/ProblemNote";
import { useBench } from "../shared/queries";
import { RemovedList } from "../shared/RemovedList";
import { clock } from "../shared/words";
import { ImportPanel } from "./ImportPanel";
import styles from "./BenchPage.module.css";

/** All boards at a glance, with the one thing to do next for each. */
export default function BenchPage() {
  const bench = useBench();
  const [text, setText] = useState("");
  const boards = bench.data ?? [];
  const waiting = boards.filter((b) => b.waits === "look").length;
  const toDo = boards.filter((b) => b.waits !== "nothing").length;
  if (bench.data?.length === 0)
    return (
      <main className="page wide" id="page">
        <title>Bench · Buttonhook</title>
        <ImportPanel />
        <RemovedList kinds={["board"]} />
      </main>
    );
  return (
    <main className="page wide" id="page" aria-busy={!bench.data}>
      <title>Bench · Buttonhook</title>
      <h1>The bench</h1>
      <ProblemNote error={bench.error} />
      {bench.data && (
        <p className="lead">
          {boards.length} {boards.length === 1 ? "board" : "boards"}, {toDo} still to do
          {waiting > 0 && `, ${waiting === toDo ? "all" : waiting} of them ${waiting === 1 ? "needs" : "need"} a look`}.
        </p>
      )}
      {isGrouped(boards) && (
        <Form.Control
          type="search"
          className={styles.find ?? ""}
          aria-label="Narrow the bench"
          placeholder="Filter by nickname, model or state"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      )}
      {benchGroups(boards, text).map((group) => (
        <section key={group.waits ?? "all"} aria-label={group.name ?? "On the bench"}>
          {group.name !== null && (
            <h2 className={styles.group}>
              {group.name} <span className="time">{group.boards.length}</span>
            </h2>
          )}
          <ul className={styles.boards}>
            {group.boards.map((b) => (
              <BoardOnBench key={b.id} board={b} level={group.name === null ? 2 : 3} />
            ))}
          </ul>
        </section>
      ))}
      <p>
        <Link to="/boards/new">Put a board on the bench</Link>
      </p>
      <RemovedList kinds={["board"]} />
    </main>
  );
}

function BoardOnBench({ board: b, level }: { board: BoardSummary; level: 2 | 3 }) {
  const Name = level === 2 ? "h2" : "h3";
  return (
    <li>
      <div>
        <Name className={styles.name}>
          <Link to={`/boards/${b.id}`}>{b.nickname}</Link>
        </Name>
        <p className="quiet">{b.model}</p>
      </div>
      <div>
        <LyingStageBar stages={b.stageBar} size={22} />
        <p>
          {b.word}
          {b.seconds !== null && (
            <>
              {" "}
              at <span className="time">{clock(b.seconds)}</span>
            </>
          )}
        </p>
      </div>
      <div className={styles.next}>
        <p>
          <Link to={`/boards/${b.id}`}>{b.next.title}</Link>
        </p>
        <p className="quiet">
          {b.next.why[0]} {b.next.minutes > 0 && <span>{b.next.minutes} min.</span>}
        </p>
      </div>
    </li>
  );
}
