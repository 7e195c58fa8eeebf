import type { Preparation } from "../shared/api";
import { binary } from "../shared/words";

const names: Record<Preparation["schools"][number]["school"] & string, string> = {
  "one-card": "One system on the card",
  "boot-menu": "Several systems behind a boot menu",
  "loader-on-card": "Loader on the card, system on another medium",
  "flash-later": "Proven on the card, then into soldered flash",
};

/** The ways that systems lie on their media, with sizes, what to mind, and what stands against each. */
export function Schools({
  schools,
  recoveryMiB,
  onRecovery,
}: {
  schools: Preparation["schools"];
  recoveryMiB: number;
  onRecovery: (mebibytes: number) => void;
}) {
  return (
    <details className="schools">
      <summary>Other ways to lay it out</summary>
      <label htmlFor="recovery">Recovery partition kept at the end of the card, MiB</label>{" "}
      <input
        id="recovery"
        className="form-control recovery"
        type="number"
        min={0}
        max={1048576}
        value={recoveryMiB}
        onChange={(e) => onRecovery(Number(e.target.value))}
      />
      {schools.map((s) => (
        <section key={s.school} aria-label={names[s.school as keyof typeof names]}>
          <h3>{names[s.school as keyof typeof names]}</h3>
          {s.against.map((a) => (
            <p key={a} className="refused">
              {a}
            </p>
          ))}
          <ul>
            {s.parts.map((p) => (
              <li key={p.medium + p.name}>
                {p.medium}: {p.name}, {binary(p.bytes)}
              </li>
            ))}
          </ul>
          {s.steps.map((t) => (
            <p key={t} className="quiet">
              {t}
            </p>
          ))}
        </section>
      ))}
    </details>
  );
}
