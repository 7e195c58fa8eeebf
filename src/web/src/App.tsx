import { useState } from "react";
import { Navigate, Route, Routes, useLocation, useNavigate, useParams } from "react-router";
import { BenchPage } from "./boards/BenchPage";
import { ChangesPage } from "./boards/ChangesPage";
import { BoardCardsPage } from "./boards/BoardCardsPage";
import { IdentifyPage } from "./boards/IdentifyPage";
import { NewBoardPage } from "./boards/NewBoardPage";
import { ConnectPage } from "./connecting/ConnectPage";
import { BootPage } from "./consoles/BootPage";
import { LogDrawerPage } from "./consoles/LogDrawerPage";
import { DiagnosePage } from "./diagnosing/DiagnosePage";
import { RuleBookPage } from "./diagnosing/RuleBookPage";
import { ImageShelfPage } from "./images/ImageShelfPage";
import { KeepPage } from "./keeping/KeepPage";
import { MatchPage } from "./matching/MatchPage";
import { PreparePage } from "./preparing/PreparePage";
import type { BoardView, SeamStep } from "./shared/api";
import { BenchColumn } from "./shared/BenchColumn";
import { FindDialog } from "./shared/FindDialog";
import { useKeys } from "./shared/keys";
import { KeysDialog } from "./shared/KeysDialog";
import { NextPanel } from "./shared/NextPanel";
import { ProblemNote } from "./shared/ProblemNote";
import { useBench, useBoard, useLiveBench } from "./shared/queries";
import { Seam } from "./shared/Seam";
import { stepNames, steps } from "./shared/words";

const pages: Record<SeamStep, (props: { view: BoardView }) => React.ReactNode> = {
  identify: IdentifyPage,
  match: MatchPage,
  prepare: PreparePage,
  connect: ConnectPage,
  boot: BootPage,
  diagnose: DiagnosePage,
  keep: KeepPage,
};

/** One board at one step: its sentence, the seam, the step's page and the next thing. */
function BoardFrame() {
  const { id = "", step = "boot" } = useParams();
  const board = useBoard(id);
  if (!steps.includes(step as SeamStep)) return <Navigate to={`/boards/${id}/boot`} replace />;
  const current = step as SeamStep;
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
    <>
      <title>{`${board.data.board.nickname}: ${stepNames[current]} · Buttonhook`}</title>
      <main className="page" id="page">
        <div className="board-head">
          <h1>{board.data.board.nickname}</h1>
          <p>
            {board.data.sentence} {board.data.toldBy}
          </p>
        </div>
        <Seam view={board.data} step={current} />
        <Page view={board.data} key={id} />
      </main>
      <NextPanel view={board.data} step={current} />
    </>
  );
}

/** A board opens at the step that its next thing belongs to. */
function BoardEntry() {
  const { id = "" } = useParams();
  const board = useBoard(id);
  if (board.error) return <BoardFrame />;
  if (!board.data) return <main className="page" id="page" aria-busy="true" />;
  const next = board.data.next.boot;
  const step = next?.action === "choose-image" ? "match" : board.data.settingsKept ? "keep" : "boot";
  return <Navigate to={`/boards/${id}/${step}`} replace />;
}

export function App() {
  useLiveBench();
  const go = useNavigate();
  const location = useLocation();
  const bench = useBench();
  const [dialog, setDialog] = useState<"find" | "keys" | null>(null);
  const [, , boardId, step] = location.pathname.split("/");
  const onBoard = location.pathname.startsWith("/boards/") && boardId !== "new";
  const beside = (offset: number) => {
    const ids = bench.data?.map((b) => b.id) ?? [];
    const at = ids.indexOf(boardId ?? "");
    const next = ids[(at + offset + ids.length) % ids.length];
    if (next) void go(`/boards/${next}${onBoard && step ? `/${step}` : ""}`);
  };
  useKeys({
    "/": () => setDialog("find"),
    "?": () => setDialog("keys"),
    "shift+?": () => setDialog("keys"),
    b: () => void go("/"),
    a: () => void go("/boards/new"),
    "[": () => beside(-1),
    "]": () => beside(1),
    ...Object.fromEntries(steps.map((s, i) => [String(i + 1), () => onBoard && void go(`/boards/${boardId}/${s}`)])),
  });
  return (
    <div className="frame">
      <a href="#page" className="skip">
        Skip to the page
      </a>
      <BenchColumn onFind={() => setDialog("find")} />
      <Routes>
        <Route path="/" element={<BenchPage />} />
        <Route path="/boards/new" element={<NewBoardPage />} />
        <Route path="/boards/:id" element={<BoardEntry />} />
        <Route path="/boards/:id/:step" element={<BoardFrame />} />
        <Route path="/cards" element={<BoardCardsPage />} />
        <Route path="/images" element={<ImageShelfPage />} />
        <Route path="/logs" element={<LogDrawerPage />} />
        <Route path="/rules" element={<RuleBookPage />} />
        <Route path="/changes" element={<ChangesPage />} />
        <Route path="*" element={<Navigate to="/" replace />} />
      </Routes>
      {dialog === "find" && <FindDialog onClose={() => setDialog(null)} />}
      {dialog === "keys" && <KeysDialog onClose={() => setDialog(null)} />}
    </div>
  );
}
