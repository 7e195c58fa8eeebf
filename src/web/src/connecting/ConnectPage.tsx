import { Link } from "react-router";
import type { BoardView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useCatalogue, usePreparation } from "../shared/queries";

/** The three wires for this adapter and this console, and whether the supply is enough. */
export function ConnectPage({ view }: { view: BoardView }) {
  const preparation = usePreparation(view.board.id);
  const catalogue = useCatalogue();
  if (preparation.error) return <ProblemNote error={preparation.error} />;
  if (!preparation.data || !catalogue.data) return null;
  const { wiring, supply } = preparation.data;
  const adapter = catalogue.data.adapters.find((a) => a.id === view.board.connected.adapterId);
  const chosen = catalogue.data.supplies.find((s) => s.id === view.board.connected.supplyId);
  const { console: port, power } = view.model;
  const most = Math.max(power.amps, chosen?.amps ?? 0);
  const change = <Link to={`/boards/${view.board.id}/identify`}>Change what is connected</Link>;
  return (
    <div className="connect">
      <section>
        <h2>Console</h2>
        <p>{port.pins}.</p>
        {!wiring && <p>No console adapter is chosen. {change}</p>}
        {wiring?.refused && (
          <p className="refused">
            <strong>Do not wire this.</strong> {wiring.refused} {change}
          </p>
        )}
        {wiring && !wiring.refused && (
          <>
            <div className="wires-head">
              <span>{adapter?.name}</span>
              <span>{view.model.name}</span>
            </div>
            <ul className="wires">
              {wiring.wires.map((w) => (
                <li key={w.from} className={w.from === w.to ? "straight" : "crossed"}>
                  <span className="end">{w.from}</span>
                  <span className="wire" aria-hidden="true" />
                  <span className="visually-hidden"> to </span>
                  <span className="end">{w.to}</span>
                  <span className="why">{w.why}</span>
                </li>
              ))}
            </ul>
            <p>
              Set the console to <code>{port.speed} 8N1</code>, no flow control.
            </p>
            <ul>
              {wiring.notes.map((n) => (
                <li key={n}>{n}</li>
              ))}
            </ul>
          </>
        )}
      </section>
      <section>
        <h2>Supply</h2>
        <p className={supply.enough ? "" : "refused"}>{supply.text}</p>
        <div className="budget" role="img" aria-label={supply.text}>
          <span className="need" style={{ width: `${(power.amps / most) * 100}%` }}>
            needs {power.amps} A
          </span>
          {chosen && (
            <span
              className={`gives ${supply.enough ? "" : "short"}`}
              style={{ width: `${(chosen.amps / most) * 100}%` }}
            >
              gives {chosen.amps} A
            </span>
          )}
        </div>
        {view.model.lights.length > 0 && (
          <>
            <h2 className="second">Lights</h2>
            <ul>
              {view.model.lights.map((l) => (
                <li key={l.name + l.pattern}>
                  {l.name}, {l.pattern}: {l.meaning.toLowerCase()}
                </li>
              ))}
            </ul>
          </>
        )}
        <p className="caution">
          Take power off before moving wires. RS-232 or 5 V on a 3.3 V pin destroys the board. Mains adapters are never
          opened; where wiring leaves the bench, local codes and a licensed electrician decide.
        </p>
      </section>
    </div>
  );
}
