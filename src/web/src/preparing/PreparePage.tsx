import { useState } from "react";
import { Link } from "react-router";
import type { BoardView, Preparation } from "../shared/api";
import { DryBootChain } from "../images/DryBootChain";
import { ProvedEdit } from "../asking/ProvedEdit";
import { ProfileChanges } from "../shared/ProfileChanges";
import { ProblemNote } from "../shared/ProblemNote";
import { RemovedList } from "../shared/RemovedList";
import { usePreparation } from "./queries";
import { CardLayout, type Layout } from "./CardLayout";
import { EditedFile } from "./EditedFile";
import { useFirstBootDraft } from "./firstBootDraft";
import { FirstBootForm } from "./FirstBootForm";
import styles from "./Prepare.module.css";
import { RenderedFiles } from "./RenderedFiles";
import { useFirstBootPreview } from "./useFirstBootPreview";
import { WriteCard } from "./WriteCard";

/** The card in the order of hands: how it is laid out, what is set before the first boot beside the files that it makes, then writing. */
export default function PreparePage({ view }: { view: BoardView }) {
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
  const [layout, setLayout] = useState<Layout>(p.write?.layout ?? "one-card");
  const preview = useFirstBootPreview(view.board.id, p, draft);
  return (
    <>
      {p.standIn && (
        <p className={styles.standIn}>
          <strong>A stand-in.</strong> Nobody has the file of this demo image: what is written is a stand-in of the same
          size without a system, and it goes into simulated slots only.
        </p>
      )}
      <ProvedEdit view={view} />
      <CardLayout
        view={view}
        preparation={p}
        layout={layout}
        onLayout={setLayout}
        recovery={recovery}
        onRecovery={onRecovery}
      />
      {p.kind === "installer" ? (
        <p>
          This is an installer: its files are copied onto a card formatted as FAT32, since the board&apos;s firmware
          reads nothing else. A raw image would replace everything and needs no format.
        </p>
      ) : (
        <div className={styles.set}>
          <section aria-labelledby="first-boot-title">
            <h2 id="first-boot-title">Before the first boot</h2>
            <FirstBootForm boardId={view.board.id} preparation={p} draft={draft} problems={preview.problems} />
          </section>
          <section aria-labelledby="files-title" className={styles.files}>
            <h2 id="files-title">Files as they will be written</h2>
            {p.looking ? (
              <p role="status" className="quiet">
                Looking into the image.
              </p>
            ) : (
              <RenderedFiles
                boardId={view.board.id}
                preparation={p}
                files={preview.files}
                notes={preview.notes}
                typed={draft.dirty}
              />
            )}
            <ProblemNote error={p.lookProblem ?? preview.error} />
            <EditedFile boardId={view.board.id} />
            {p.before && (
              <details className={styles.told}>
                <summary>The image as it was downloaded, played on this board without starting it</summary>
                <DryBootChain dry={p.before} />
              </details>
            )}
          </section>
        </div>
      )}
      <WriteCard view={view} preparation={p} layout={layout} draft={draft} files={preview.files.length} />
      <ProfileChanges view={view} />
      <RemovedList kinds={["correction", "recipe"]} />
    </>
  );
}
