import { lazy, Suspense, useState } from "react";
import { Navigate, Route, Routes, useLocation, useNavigate } from "react-router";
import { BoardEntry, BoardFrame } from "./frame/BoardFrame";
import { BenchColumn } from "./frame/BenchColumn";
import { FindDialog } from "./frame/FindDialog";
import { useKeys } from "./shared/keys";
import { useBench, useLiveBench } from "./shared/queries";
import { steps } from "./shared/words";
import { useKeptFocus } from "./frame/useKeptFocus";
import { useStored } from "./frame/useStored";
import { useWide } from "./frame/useWide";

const BenchPage = lazy(() => import("./boards/BenchPage"));
const NewBoardPage = lazy(() => import("./boards/NewBoardPage"));
const BoardProfilesPage = lazy(() => import("./boards/BoardProfilesPage"));
const BatchesPage = lazy(() => import("./keeping/BatchesPage"));
const BatchPage = lazy(() => import("./keeping/BatchPage"));
const LearntPage = lazy(() => import("./keeping/LearntPage"));
const PracticePage = lazy(() => import("./practising/PracticePage"));
const PracticeRound = lazy(() => import("./practising/PracticeRound"));
const PrintedSheet = lazy(() => import("./keeping/PrintedSheet"));
const ChangesPage = lazy(() => import("./boards/ChangesPage"));
const ImageShelfPage = lazy(() => import("./images/ImageShelfPage"));
const BesidePage = lazy(() => import("./consoles/BesidePage"));
const LogDrawerPage = lazy(() => import("./consoles/LogDrawerPage"));
const PartsPage = lazy(() => import("./connecting/PartsPage"));
const RuleBookPage = lazy(() => import("./diagnosing/RuleBookPage"));
const AdapterOffer = lazy(() => import("./consoles/AdapterOffer"));
const ShareDialog = lazy(() => import("./frame/ShareDialog"));
const KeysDialog = lazy(() => import("./frame/KeysDialog"));

/** From this width on the bench stays open beside a board's pages. */
const roomForBench = 1601;

/** Below this width the bench lies above the page. */
const roomBeside = 768;

/** Moves the focus to the board that is shown, or to the first one on the bench. */
function focusBench() {
  const boards = document.querySelectorAll<HTMLElement>("#bench nav ul a");
  ([...boards].find((b) => b.getAttribute("aria-current") === "page") ?? boards[0])?.focus();
}

/** Whether the bench is folded, and what folds or opens it: as the person left it, else by the room. */
function useFold(onBoard: boolean) {
  const [chosen, choose] = useStored("bench");
  const wide = useWide(roomForBench);
  const beside = useWide(roomBeside);
  const folded = onBoard && beside && (chosen === null ? !wide : chosen === "folded");
  return { folded, fold: () => choose(folded ? "open" : "folded") };
}

export function App() {
  useLiveBench();
  useKeptFocus();
  const go = useNavigate();
  const location = useLocation();
  const bench = useBench();
  const [dialog, setDialog] = useState<"find" | "keys" | "share" | null>(null);
  const [, , boardId, step] = location.pathname.split("/");
  const onBoard = location.pathname.startsWith("/boards/") && boardId !== "new";
  const { folded, fold } = useFold(onBoard);
  const beside = (offset: number) => {
    const ids = bench.data?.map((b) => b.id) ?? [];
    const at = ids.indexOf(boardId ?? "");
    const next = ids[(at + offset + ids.length) % ids.length];
    if (next) void go(`/boards/${next}${onBoard && step ? `/${step}` : ""}`);
  };
  const foldOrOpen = () => {
    fold();
    if (folded) setTimeout(focusBench);
  };
  useKeys({
    "/": () => setDialog("find"),
    "?": () => setDialog("keys"),
    "shift+?": () => setDialog("keys"),
    b: () => (onBoard ? foldOrOpen() : void go("/")),
    "shift+b": () => void go("/"),
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
      <BenchColumn
        folded={folded}
        onFold={onBoard ? foldOrOpen : null}
        onFind={() => setDialog("find")}
        onKeys={() => setDialog("keys")}
        onShare={() => setDialog("share")}
      />
      <Suspense fallback={<main className="page" id="page" aria-busy="true" />}>
        <Routes>
          <Route path="/" element={<BenchPage />} />
          <Route path="/boards/new" element={<NewBoardPage />} />
          <Route path="/boards/:id" element={<BoardEntry />} />
          <Route path="/boards/:id/:step" element={<BoardFrame />} />
          <Route path="/boards/:id/settings/:version/sheet" element={<PrintedSheet />} />
          <Route path="/profiles" element={<BoardProfilesPage />} />
          <Route path="/images" element={<ImageShelfPage />} />
          <Route path="/logs" element={<LogDrawerPage />} />
          <Route path="/logs/beside/:left/:right" element={<BesidePage />} />
          <Route path="/parts" element={<PartsPage />} />
          <Route path="/rules" element={<RuleBookPage />} />
          <Route path="/batches" element={<BatchesPage />} />
          <Route path="/batches/:id" element={<BatchPage />} />
          <Route path="/learnt" element={<LearntPage />} />
          <Route path="/practice" element={<PracticePage />} />
          <Route path="/practice/:id" element={<PracticeRound />} />
          <Route path="/changes" element={<ChangesPage />} />
          <Route path="*" element={<Navigate to="/" replace />} />
        </Routes>
      </Suspense>
      {dialog === "find" && <FindDialog onClose={() => setDialog(null)} />}
      <Suspense>{dialog === "keys" && <KeysDialog onClose={() => setDialog(null)} />}</Suspense>
      <Suspense>{dialog === "share" && <ShareDialog onClose={() => setDialog(null)} />}</Suspense>
      <Suspense>
        <AdapterOffer boards={bench.data ?? []} shown={onBoard ? boardId : undefined} />
      </Suspense>
    </div>
  );
}
