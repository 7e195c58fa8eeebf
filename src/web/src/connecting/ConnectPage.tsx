import { Link } from "react-router";
import type { BoardView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useCatalogue } from "../shared/queries";
import { useConnection } from "./queries";
import { SupplyBudget } from "./SupplyBudget";
import { WireDrawing } from "./WireDrawing";
import styles from "./Connect.module.css";

/** The wires for this adapter and this console, the supply as a budget, and what to do before power. */
export default function ConnectPage({ view }: { view: BoardView }) {
  const connection = useConnection(view.board.id);
  const catalogue = useCatalogue();
  if (connection.error) return <ProblemNote error={connection.error} />;
  if (!connection.data || !catalogue.data) return null;
  const { wiring, speed, logBytes, supply, beforePower } = connection.data;
  const adapter = catalogue.data.adapters.find((a) => a.id === view.board.connected.adapterId);
  const { console: port } = view.model;
  const change = <Link to={`/boards/${view.board.id}/identify`}>Change what is connected</Link>;
  return (
    <div className={styles.connect}>
      <section>
        <h2>Console</h2>
        {port.pins === null ? (
          <p>
            Where its pins are is not known. <Link to={`/boards/${view.board.id}/identify#board-facts`}>Say it</Link>{" "}
            once you have looked.
          </p>
        ) : (
          <p>{port.pins}.</p>
        )}
        {!wiring && <p>No console adapter is chosen. {change}</p>}
        {wiring?.refused && (
          <p className="refused">
            <strong>Do not wire this.</strong> {wiring.refused} {change}
          </p>
        )}
        {wiring?.measure && (
          <p className="refused">
            <strong>Measure first.</strong> {wiring.measure}
          </p>
        )}
        {wiring && !wiring.refused && !wiring.measure && (
          <>
            {wiring.caution && <p className="caution">{wiring.caution}</p>}
            <ul>
              {wiring.notes.map((n) => (
                <li key={n}>{n}</li>
              ))}
            </ul>
            <WireDrawing wiring={wiring} adapter={adapter?.name ?? ""} board={view.model.name} />
            <p>
              {port.speed === null ? (
                "Its speed is not known."
              ) : (
                <>
                  Set the console to <code>{port.speed} 8N1</code>, no flow control.
                </>
              )}{" "}
              {speed?.text}
            </p>
            {speed && (
              <p>
                {Math.round(speed.bytesPerSecond).toLocaleString("en")} bytes a second
                {logBytes
                  ? `: the last boot printed ${logBytes.toLocaleString("en")} bytes, ${(logBytes / speed.bytesPerSecond).toFixed(1)} s of the boot on the wire.`
                  : "."}
              </p>
            )}
          </>
        )}
      </section>
      <section>
        <h2>Supply</h2>
        <SupplyBudget supply={supply} power={view.model.power} />
        <p>
          {change}
          {supply.missing !== null && (
            <>
              {" "}
              or <Link to={`/boards/${view.board.id}/identify#board-facts`}>say what the board takes</Link>
            </>
          )}
        </p>
      </section>
      <section className={styles.beforePower} aria-labelledby="before-power">
        <h2 id="before-power">Before power</h2>
        <ol>
          {beforePower.map((s) => (
            <li key={s.text}>
              {s.text}
              {s.caution && <span className="caution">{s.caution}</span>}
            </li>
          ))}
        </ol>
      </section>
    </div>
  );
}
