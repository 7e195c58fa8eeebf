import { lazy, Suspense } from "react";
import { Navigate, useParams } from "react-router";
import type { BoardView, WorkStep } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useBoard } from "../shared/queries";
import { stepNames, steps } from "../shared/words";
import styles from "./BoardFrame.module.css";
import { NextThing } from "./NextThing";
import { Steps } from "./Steps";

const CheckFirst = lazy(() => import("../diagnosing/CheckFirst"));

/** The page of each step, loaded when it is opened. */
const pages: Record<WorkStep, React.ComponentType<{ view: BoardView }>> = {
  identify: lazy(() => import("../boards/IdentifyPage")),
  match: lazy(() => import("../matching/MatchPage")),
  prepare: lazy(() => import("../preparing/PreparePage")),
  connect: lazy(() => import("../connecting/ConnectPage")),
  boot: lazy(() => import("../consoles/BootPage")),
  diagnose: lazy(() => import("../diagnosing/DiagnosePage")),
  keep: lazy(() => import("../keeping/KeepPage")),
};

/** One board at one step: its sentence, the steps, the next thing and the step's page. */
export function BoardFrame() {
  const { id = "", step = "boot" } = useParams();
  const board = useBoard(id);
  if (!steps.includes(step as WorkStep)) return <Navigate to={`/boards/${id}/boot`} replace />;
  const current = step as WorkStep;
  const Page = pages[current];
  if (board.error)
    return (
      <main className="page" id="page">
        <h1>This board is not here</h1>
        <ProblemNote error={board.error} />
      </main>
    );
  if (!board.data) return <main className="page" id="page" aria-busy="true" />;
  return (
    <main className={`page ${styles.page} ${styles[current]}`} id="page">
      <title>{`${board.data.board.nickname}: ${stepNames[current]} · Buttonhook`}</title>
      <div className={styles.head}>
        <h1>{board.data.board.nickname}</h1>
        <p>
          {board.data.sentence} {board.data.toldBy}
        </p>
      </div>
      <div className={styles.steps}>
        <Steps view={board.data} step={current} />
      </div>
      <div className={styles.next}>
        {current === "diagnose" ? (
          <Suspense>
            <CheckFirst view={board.data} />
          </Suspense>
        ) : (
          <NextThing view={board.data} step={current} />
        )}
      </div>
      <div className={styles.step}>
        <Suspense fallback={<p aria-busy="true" />}>
          <Page view={board.data} key={id} />
        </Suspense>
      </div>
    </main>
  );
}

/** A board opens at the step that its next thing belongs to. */
export function BoardEntry() {
  const { id = "" } = useParams();
  const board = useBoard(id);
  if (board.error) return <BoardFrame />;
  if (!board.data) return <main className="page" id="page" aria-busy="true" />;
  const next = board.data.next.boot;
  const step = next?.action === "choose-image" ? "match" : board.data.settingsKept ? "keep" : "boot";
  return <Navigate to={`/boards/${id}/${step}`} replace />;
}
