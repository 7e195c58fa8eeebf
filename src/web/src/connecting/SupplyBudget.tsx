import type { components } from "../shared/wire";
import styles from "./Connect.module.css";

type Supply = components["schemas"]["SupplyVerdict"];
type Power = components["schemas"]["PowerInput"];

/** The supply as a budget: what each part takes, what the supply gives, and what the cable loses. */
export function SupplyBudget({ supply, power }: { supply: Supply; power: Power }) {
  const most = Math.max(supply.needAmps, supply.givesAmps ?? 0, 0.1);
  const share = (amps: number) => `${(amps / most) * 100}%`;
  return (
    <>
      <p className={supply.enough === false ? "refused" : ""}>{supply.text}</p>
      {supply.change && <p className="next-check">{supply.change}</p>}
      <div className={styles.budgetStrip} role="img" aria-label={supply.text}>
        {supply.consumers.map((c) => (
          <span key={c.name} className={styles.need} style={{ width: share(c.amps) }} title={c.name}>
            {c.amps / most > 0.09 ? `${c.amps} A` : "\u00A0"}
          </span>
        ))}
      </div>
      {supply.givesAmps !== null && (
        <div className={styles.budgetStrip} aria-hidden="true">
          <span
            className={`${styles.gives} ${supply.enough === false ? styles.short : ""}`}
            style={{ width: share(supply.givesAmps) }}
          >
            gives {supply.givesAmps} A
          </span>
        </div>
      )}
      <table className={`table ${styles.consumers}`}>
        <caption className="visually-hidden">What takes how much</caption>
        <tbody>
          {supply.consumers.map((c) => (
            <tr key={c.name}>
              <th scope="row">{c.name}</th>
              <td>{c.amps.toFixed(2)} A</td>
            </tr>
          ))}
          {supply.cableOhms !== null && (
            <tr>
              <th scope="row">The cable, there and back</th>
              <td>
                {supply.cableOhms.toFixed(2)} Ω
                {supply.voltsAtBoard !== null && `, ${supply.voltsAtBoard.toFixed(2)} V arrive`}
              </td>
            </tr>
          )}
          <tr>
            <th scope="row">It resets or throttles below</th>
            <td>{power.minimumVolts === null ? "not known" : `${power.minimumVolts.toFixed(2)} V`}</td>
          </tr>
        </tbody>
      </table>
    </>
  );
}
