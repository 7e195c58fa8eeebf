import { Link } from "react-router";
import type { BoardView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { usePreparation } from "../shared/queries";
import { binary } from "../shared/words";

/** The card: how the image lies on it, to scale, and the kernel command line that this board needs. */
export function PreparePage({ view }: { view: BoardView }) {
  const preparation = usePreparation(view.board.id);
  if (preparation.error) return <ProblemNote error={preparation.error} />;
  if (!preparation.data) return null;
  const { card, commandLine } = preparation.data;
  if (!card)
    return (
      <p className="lead">
        {view.imageTitle
          ? "No card is in this board yet. "
          : "No image is chosen yet, so there is nothing to put on the card. "}
        <Link to={`/boards/${view.board.id}/${view.imageTitle ? "identify" : "match"}`}>
          {view.imageTitle ? "Say which card" : "Choose an image"}
        </Link>
      </p>
    );
  const share = (bytes: number) => `${(Math.min(1, bytes / card.cardBytes) * 100).toFixed(2)}%`;
  const updates = Math.min(card.updateBytes, card.freeBytes);
  return (
    <div className="prepare">
      <p className="lead">
        {view.imageTitle} on a {card.cardGb} GB card, {binary(card.cardBytes)}.
      </p>
      <div
        className="card-strip"
        role="img"
        aria-label={`Image ${binary(card.imageBytes)}, kept for updates ${binary(updates)}, free ${binary(card.freeBytes - updates)}`}
      >
        <span className="strip-image" style={{ width: share(card.imageBytes) }} />
        <span className="strip-updates" style={{ width: share(updates) }} />
        <span className="strip-free" />
      </div>
      <ul className="strip-legend">
        <li className="strip-image">Image, {binary(card.imageBytes)}</li>
        <li className="strip-updates">Room for updates, {binary(card.updateBytes)}</li>
        <li className="strip-free">Free, {binary(Math.max(0, card.freeBytes - updates))}</li>
      </ul>
      <p>
        {!card.fits
          ? "The image does not fit on this card."
          : !card.hasRoom
            ? "It fits, but updates will not."
            : "It fits, with room for updates."}{" "}
        Writing and reading back take about {Math.ceil(card.writeSeconds / 60)} min with a card of speed class 10.
      </p>
      <h2>Kernel command line for this board</h2>
      <p>It must stay one line.</p>
      <pre className="command-line">{commandLine}</pre>
      {view.board.changes.length > 0 && (
        <>
          <h2>Changed on this card so far</h2>
          <ul>
            {view.board.changes.map((c) => (
              <li key={c}>{c}</li>
            ))}
          </ul>
        </>
      )}
      <p className="caution">Writing erases the chosen device. Look twice at its name and size.</p>
    </div>
  );
}
