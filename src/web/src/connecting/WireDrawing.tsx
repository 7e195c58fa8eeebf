import type { DrawnPin, Wiring } from "../shared/api";
import styles from "./Connect.module.css";

const rowHeight = 30;
/** A line of its own for each wire, so that nobody needs the colours to tell them apart. */
const dashes = ["", "9 5", "2 5"];
const names = ["ground", "transmit", "receive"];

/** The wires as they run between the adapter's row and the header's row, each end in its real order; they cross where they cross. */
export function WireDrawing({ wiring, adapter, board }: { wiring: Wiring; adapter: string; board: string }) {
  const rows = Math.max(wiring.adapterPins.length, wiring.boardPins.length);
  const height = rows * rowHeight;
  const middle = (index: number, count: number) => ((index + 0.5 + (rows - count) / 2) * height) / rows;
  const at = (pins: DrawnPin[], wire: number) => {
    const index = pins.findIndex((p) => p.wire === wire);
    return middle(index, pins.length);
  };
  return (
    <div className={styles.wireDrawing}>
      <div className={styles.wiresHead}>
        <span>{adapter}</span>
        <span>{board}</span>
      </div>
      <div className={styles.wireField} style={{ height }}>
        <PinRow pins={wiring.adapterPins} rows={rows} />
        <svg viewBox={`0 0 100 ${height}`} preserveAspectRatio="none" aria-hidden="true" style={{ height }}>
          {[0, 1, 2].map((wire) => (
            <line
              key={wire}
              x1="0"
              x2="100"
              y1={at(wiring.adapterPins, wire)}
              y2={at(wiring.boardPins, wire)}
              className={styles[`wire-${names[wire]}`]}
              strokeDasharray={dashes[wire]}
              vectorEffect="non-scaling-stroke"
            />
          ))}
        </svg>
        <PinRow pins={wiring.boardPins} rows={rows} />
      </div>
      <ul className={styles.wireList}>
        {wiring.wires.map((w, i) => (
          <li key={w.from}>
            <svg width="34" height="8" aria-hidden="true">
              <line x1="0" x2="34" y1="4" y2="4" className={styles[`wire-${names[i]}`]} strokeDasharray={dashes[i]} />
            </svg>
            {w.from} to {w.to}: <span className="quiet">{w.why}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}

function PinRow({ pins, rows }: { pins: DrawnPin[]; rows: number }) {
  return (
    <ol style={{ paddingBlock: ((rows - pins.length) / 2) * rowHeight }}>
      {pins.map((p) => (
        <li key={p.name} className={p.wire >= 0 ? "" : styles.free} style={{ height: rowHeight }}>
          {p.name}
          {p.colour && (
            <>
              {" "}
              <span className={styles.swatch} style={{ background: p.colour }} aria-hidden="true" />
              <span>{p.colour}</span>
            </>
          )}
          {p.leave && <strong className={styles.leave}>{p.leave}</strong>}
        </li>
      ))}
    </ol>
  );
}
