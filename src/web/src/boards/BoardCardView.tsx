import type { BoardModel } from "../shared/api";
import { Facts } from "../shared/Facts";
import { memory, setNames } from "../shared/words";

/** A board card: everything that is known of a model. */
export function BoardCardView({ model, revisionId }: { model: BoardModel; revisionId?: string }) {
  const facts: [string, React.ReactNode][] = [
    ["Processor", `${model.processor}, ${setNames[model.instructionSet]}`],
    ["Memory", model.memoryMiB.map(memory).join(" or ")],
    ["Starts from", `${model.bootMedia.join(", then ")}${model.flashGb ? ` (${model.flashGb} GB soldered)` : ""}`],
    [
      "Console",
      <>
        <code>{`${model.console.device} ${model.console.speed}`}</code>. {model.console.pins}
      </>,
    ],
    ["Supply", `${model.power.volts} V, up to ${model.power.amps} A at boot, ${model.power.connector}`],
    ["Boot switch", model.switches.map((s) => `${s.where}, ${s.setting}: ${s.effect.toLowerCase()}`).join(". ")],
    [
      "Screens, in plug order",
      model.videoOutputs.map((v) => `${v.name} (${v.plug})${v.note ? `: ${v.note}` : ""}`).join(". "),
    ],
    ["Lights", model.lights.map((l) => `${l.name}, ${l.pattern}: ${l.meaning.toLowerCase()}`).join(". ")],
    ["Ports", model.ports.map((p) => `${p.name}${p.note ? `: ${p.note}` : ""}`).join(". ")],
    [
      "Wireless",
      model.wireless ? `${model.wireless.bands}${model.wireless.antenna ? `. ${model.wireless.antenna}` : ""}` : "none",
    ],
    ["Cooling", model.cooling],
    [
      "Mind",
      model.quirks.length > 0 && (
        <ul className="quirks">
          {model.quirks.map((q) => (
            <li key={q.text}>
              {q.text} <span className="quiet">{q.source}</span>
            </li>
          ))}
        </ul>
      ),
    ],
  ];
  return (
    <div className="board-card">
      <Facts facts={facts} />
      <div className="table-scroll" tabIndex={0} role="region" aria-label={`Revisions of ${model.name}`}>
        <table className="table">
          <thead>
            <tr>
              <th scope="col">Revision</th>
              <th scope="col">Mark</th>
              <th scope="col">Where it stands</th>
              <th scope="col">Codes</th>
              <th scope="col">Device tree</th>
              <th scope="col">What changed</th>
            </tr>
          </thead>
          <tbody>
            {model.revisions.map((r) => (
              <tr key={r.id} className={r.id === revisionId ? "own" : ""}>
                <th scope="row">
                  {r.id}
                  {r.id === revisionId && <span className="quiet">, yours</span>}
                </th>
                <td>
                  <span className="printed">{r.mark}</span>
                </td>
                <td>{r.where}</td>
                <td>
                  <code>{r.codes.join(" ") || "none"}</code>
                </td>
                <td>
                  <code>{r.compatible}</code>
                </td>
                <td>
                  {r.changed ?? "the first one"}
                  {r.kernelFrom && `, from kernel ${r.kernelFrom} on`}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}
