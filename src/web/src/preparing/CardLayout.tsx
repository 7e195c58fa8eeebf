import { Form } from "react-bootstrap";
import { Link } from "react-router";
import type { BoardView, Preparation } from "../shared/api";
import { binary, duration } from "../shared/words";
import styles from "./Prepare.module.css";

type LayoutPlan = Preparation["layouts"][number];
export type Layout = LayoutPlan["layout"];

const names: Record<Layout, string> = {
  "one-card": "One system on the card",
  "boot-menu": "Several systems behind a boot menu",
  "loader-on-card": "Loader on the card, system on another medium",
  "flash-later": "Proven on the card, then into soldered flash",
};

/** The card and how it is laid out: one choice, drawn to scale. */
export function CardLayout({
  view,
  preparation: p,
  layout,
  onLayout,
  recovery,
  onRecovery,
}: {
  view: BoardView;
  preparation: Preparation;
  layout: Layout;
  onLayout: (layout: Layout) => void;
  recovery: number;
  onRecovery: (mebibytes: number) => void;
}) {
  const plan = p.layouts.find((s) => s.layout === layout) ?? p.layouts[0];
  const { card, times } = p;
  return (
    <section aria-labelledby="card-title">
      <h2 id="card-title" className={styles.first}>
        The card
      </h2>
      {!card && (
        <p className="lead">
          How large the card is, is not known yet: it is measured when it is written, or{" "}
          <Link to={`/boards/${view.board.id}/identify`}>say which card</Link>.
        </p>
      )}
      <div className={styles.layout}>
        <Form.Group controlId="layout">
          <Form.Label>How it is laid out</Form.Label>
          <Form.Select value={layout} onChange={(e) => onLayout(e.target.value as Layout)}>
            {p.layouts.map((s) => (
              <option key={s.layout} value={s.layout}>
                {names[s.layout as keyof typeof names]}
                {card && s.against.length > 0 ? ": does not fit here" : ""}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
        <Form.Group controlId="recovery">
          <Form.Label>Kept for recovery at the end, MiB</Form.Label>
          <Form.Control
            type="number"
            min={0}
            max={1048576}
            value={recovery}
            onChange={(e) => onRecovery(Number(e.target.value))}
          />
        </Form.Group>
      </div>
      {plan && <LayoutDrawing plan={plan} cardBytes={card?.cardBytes ?? 0} />}
      {plan?.against.map((a) => (
        <p key={a} className="refused">
          {a}
        </p>
      ))}
      {card && times && (
        <p>
          {view.imageTitle} on a {card.cardGb} GB card: {binary(card.cardBytes)}
          {card.cardMostBytes > card.cardBytes && ` to ${binary(card.cardMostBytes)}`}
          {card.measuredCards > 0
            ? `, as ${card.measuredCards} measured cards held of their label`
            : ", not measured yet"}
          .{" "}
          {!card.fits
            ? "The image does not fit on this card."
            : !card.hasRoom
              ? "It fits, but updates will not."
              : "It fits, with room for updates."}{" "}
          {card.growsToBytes > card.imageBytes
            ? `At the first boot the root grows to ${binary(card.growsToBytes)}`
            : `The root stays at ${binary(card.growsToBytes)}, as the image has it`}
          ; the file system leaves {binary(card.usableBytes)} of that to fill.{" "}
          {times.downloadSeconds > 0 && `Download ${duration(times.downloadSeconds)}, `}write{" "}
          {duration(times.writeSeconds)}, read back {duration(times.readBackSeconds)}; the slowest link is{" "}
          {times.slowestLink}.{" "}
          <span className="quiet">
            {times.learnt > 0
              ? `Learnt from ${times.learnt === 1 ? "your last write" : `your last ${times.learnt} writes`}.`
              : "As speed class 10 promises; your own writes will correct it."}
          </span>
        </p>
      )}
      {plan && plan.steps.length > 0 && (
        <details className={styles.told}>
          <summary>What to mind with this layout</summary>
          <ul>
            {plan.steps.map((t) => (
              <li key={t}>{t}</li>
            ))}
          </ul>
        </details>
      )}
    </section>
  );
}

/** The parts of each medium to scale; what stays free is told. */
function LayoutDrawing({ plan, cardBytes }: { plan: LayoutPlan; cardBytes: number }) {
  const media = [...new Set(plan.parts.map((p) => p.medium))];
  return (
    <div className={styles.drawing}>
      {media.map((medium) => {
        const parts = plan.parts.filter((p) => p.medium === medium);
        const used = parts.reduce((sum, p) => sum + p.bytes, 0);
        const whole = Math.max(used, medium === "card" ? cardBytes : 0);
        const free = whole - used;
        return (
          <figure key={medium}>
            <div
              className={styles.strip}
              role="img"
              aria-label={`${medium}: ${parts.map((p) => `${p.name} ${binary(p.bytes)}`).join(", ")}${free > 0 ? `, free ${binary(free)}` : ""}`}
            >
              {parts.map((p, n) => (
                <span
                  key={p.name}
                  className={
                    p.name.startsWith("Room for updates") ? styles.updates : n % 2 === 0 ? styles.even : styles.odd
                  }
                  style={{ width: `${(p.bytes / Math.max(1, whole)) * 100}%` }}
                />
              ))}
            </div>
            <figcaption>
              {medium.charAt(0).toUpperCase() + medium.slice(1)}:
              {parts.map((p, n) => (
                <span key={p.name}>
                  <i
                    aria-hidden="true"
                    className={
                      p.name.startsWith("Room for updates") ? styles.updates : n % 2 === 0 ? styles.even : styles.odd
                    }
                  />
                  {p.name}, {binary(p.bytes)}
                </span>
              ))}
              {free > 0 && (
                <span>
                  <i aria-hidden="true" />
                  Free, {binary(free)}
                </span>
              )}
            </figcaption>
          </figure>
        );
      })}
    </div>
  );
}
