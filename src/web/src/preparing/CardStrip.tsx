import type { Preparation } from "../shared/api";
import { binary, duration } from "../shared/words";

/** Image, room for updates and what stays free on this card, to scale, and how long it takes. */
export function CardStrip({
  title,
  card,
  times,
}: {
  title: string;
  card: NonNullable<Preparation["card"]>;
  times: NonNullable<Preparation["times"]>;
}) {
  const share = (bytes: number) => `${(Math.min(1, bytes / card.cardBytes) * 100).toFixed(2)}%`;
  const updates = Math.min(card.updateBytes, card.freeBytes);
  return (
    <>
      <p className="lead">
        {title} on a {card.cardGb} GB card: {binary(card.cardBytes)}
        {card.cardMostBytes > card.cardBytes && ` to ${binary(card.cardMostBytes)}`}
        {card.measuredCards > 0
          ? `, as ${card.measuredCards} measured cards held of their label.`
          : ", not measured yet."}
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
        {card.growsToBytes > card.imageBytes
          ? `At the first boot the root grows to ${binary(card.growsToBytes)}`
          : `The root stays at ${binary(card.growsToBytes)}, as the image has it`}
        ; the file system leaves {binary(card.usableBytes)} of that to fill.
      </p>
      <p>
        {!card.fits
          ? "The image does not fit on this card."
          : !card.hasRoom
            ? "It fits, but updates will not."
            : "It fits, with room for updates."}{" "}
        {times.downloadSeconds > 0 && `Download ${duration(times.downloadSeconds)}, `}write{" "}
        {duration(times.writeSeconds)}, read back {duration(times.readBackSeconds)}; the slowest link is{" "}
        {times.slowestLink}.{" "}
        <span className="quiet">
          {times.learnt > 0
            ? `Learnt from ${times.learnt === 1 ? "your last write" : `your last ${times.learnt} writes`}.`
            : "As speed class 10 promises; your own writes will correct it."}
        </span>
      </p>
    </>
  );
}
