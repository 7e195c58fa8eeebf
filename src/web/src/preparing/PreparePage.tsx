import { useState } from "react";
import { Link } from "react-router";
import type { BoardView, Preparation } from "../shared/api";
import { DryBootChain } from "../images/DryBootChain";
import { CardChanges } from "../shared/CardChanges";
import { ProblemNote } from "../shared/ProblemNote";
import { RemovedList } from "../shared/RemovedList";
import { usePreparation } from "../shared/queries";
import { CardStrip } from "./CardStrip";
import { EditedFile } from "./EditedFile";
import { useFirstBootDraft } from "./firstBootDraft";
import { FirstBootForm } from "./FirstBootForm";
import { RenderedFiles } from "./RenderedFiles";
import { Schools } from "./Schools";
import { WriteCard } from "./WriteCard";

/** The card: how the image lies on it, what is set before the first boot, the files as they will be written, and writing. */
export function PreparePage({ view }: { view: BoardView }) {
  const [recovery, setRecovery] = useState(0);
  const preparation = usePreparation(view.board.id, recovery);
  if (preparation.error) return <ProblemNote error={preparation.error} />;
  const p = preparation.data;
  if (!p)
    return (
      <p role="status" className="quiet">
        Looking at the image and the card.
      </p>
    );
  if (!view.imageTitle)
    return (
      <p className="lead">
        No image is chosen yet, so there is nothing to put on the card.{" "}
        <Link to={`/boards/${view.board.id}/match`}>Choose an image</Link>
      </p>
    );
  return <Prepared view={view} preparation={p} recovery={recovery} onRecovery={setRecovery} />;
}

function Prepared({
  view,
  preparation: p,
  recovery,
  onRecovery,
}: {
  view: BoardView;
  preparation: Preparation;
  recovery: number;
  onRecovery: (mebibytes: number) => void;
}) {
  const draft = useFirstBootDraft(view.board.id, p);
  return (
    <div className="prepare">
      {p.standIn && (
        <p className="stand-in">
          <strong>A stand-in.</strong> Nobody has the file of this demo image: what is written is a stand-in of the same
          size without a system, and it goes into simulated slots only.
        </p>
      )}
      {p.card && p.times ? (
        <CardStrip title={view.imageTitle ?? ""} card={p.card} times={p.times} />
      ) : (
        <p className="lead">
          No card is in this board yet. <Link to={`/boards/${view.board.id}/identify`}>Say which card</Link>
        </p>
      )}
      {p.kind === "installer" && (
        <p>
          This is an installer: its files are copied onto a card formatted as FAT32, since the board&apos;s firmware
          reads nothing else. A raw image would replace everything and needs no format.
        </p>
      )}
      <Schools schools={p.schools} recoveryMiB={recovery} onRecovery={onRecovery} />
      <WriteCard view={view} preparation={p} draft={draft} />
      {p.kind !== "installer" && (
        <>
          <h2>Before the first boot</h2>
          <FirstBootForm boardId={view.board.id} preparation={p} draft={draft} />
          <h2>Files as they will be written</h2>
          {draft.dirty && (
            <p className="quiet" role="status">
              These show what is set; what you typed above is not in them yet. It is set before a card is written.
            </p>
          )}
          {p.looking ? (
            <p role="status" className="quiet">
              Looking into the image.
            </p>
          ) : (
            <RenderedFiles boardId={view.board.id} preparation={p} />
          )}
          <ProblemNote error={p.lookProblem} />
          <EditedFile boardId={view.board.id} />
          {p.before && (
            <details className="told">
              <summary>The image as it was downloaded, played on this board without starting it</summary>
              <DryBootChain dry={p.before} />
            </details>
          )}
        </>
      )}
      <CardChanges view={view} />
      <RemovedList kinds={["correction", "recipe"]} />
    </div>
  );
}
