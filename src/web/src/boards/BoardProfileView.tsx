import type { BoardProfile } from "../shared/api";
import { Facts } from "../shared/Facts";
import { memory, setName } from "../shared/words";
import styles from "./Boards.module.css";

/** A board profile: everything that is known of a model. */
export function BoardProfileView({ model, revisionId }: { model: BoardProfile; revisionId?: string }) {
  const facts: [string, React.ReactNode][] = [
    ["Processor", [model.processor, setName(model.instructionSet)].filter(Boolean).join(", ")],
    ["Memory", model.memoryMiB.map(memory).join(" or ") || "not known"],
    [
      "Starts from",
      model.bootMedia.length === 0
        ? "not known"
        : `${model.bootMedia.join(", then ")}${model.flashGb ? ` (${model.flashGb} GB soldered)` : ""}`,
    ],
    [
      "Console",
      <>
        {model.console.device === null ? "device not known" : <code>{model.console.device}</code>}
        {model.console.speed === null ? ", speed not known" : <code> {model.console.speed}</code>}.{" "}
        {model.console.pins ?? "Pins not known."}
      </>,
    ],
    [
      "Supply",
      [
        model.power.volts === null ? "volts not known" : `${model.power.volts} V`,
        model.power.amps === null ? "amperes not known" : `up to ${model.power.amps} A at boot`,
        model.power.connector ?? "socket not known",
      ].join(", ") + (model.power.hint ? `. A hint, no proof: ${model.power.hint}` : ""),
    ],
    ["Boot switch", model.switches.map((s) => `${s.where}, ${s.setting}: ${s.effect.toLowerCase()}`).join(". ")],
    [
      "Screens, in plug order",
      model.videoOutputs
        .map((v) => `${v.name}${v.plug ? ` (${v.plug})` : ""}${v.note ? `: ${v.note}` : ""}`)
        .join(". "),
    ],
    [
      "Lights",
      model.lights
        .map((l) => [l.name, l.colour, l.pattern].filter(Boolean).join(", ") + (l.meaning ? `: ${l.meaning}` : ""))
        .join(". "),
    ],
    ["Ports", model.ports.map((p) => `${p.name}${p.note ? `: ${p.note}` : ""}`).join(". ")],
    [
      "Wireless",
      model.wireless
        ? `${model.wireless.bands ?? "fitted"}${model.wireless.antenna ? `. ${model.wireless.antenna}` : ""}`
        : "none that is known",
    ],
    ["Cooling", model.cooling],
    [
      "Mind",
      model.quirks.length > 0 && (
        <ul className={styles.quirks}>
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
    <div>
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
              <tr key={r.id} className={r.id === revisionId ? styles.own : ""}>
                <th scope="row">
                  {r.id}
                  {r.id === revisionId && <span className="quiet">, yours</span>}
                </th>
                <td>{r.mark === null ? "not known" : <span className="printed">{r.mark}</span>}</td>
                <td>{r.where}</td>
                <td>
                  <code>{r.codes.join(" ") || "none"}</code>
                </td>
                <td>{r.compatible === null ? "not known" : <code>{r.compatible}</code>}</td>
                <td>
                  {r.changed ?? (model.revisions.length > 1 ? "the first one" : "")}
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
