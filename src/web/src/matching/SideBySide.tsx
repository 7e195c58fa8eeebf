import type { ImageProfile, MatchRow } from "../shared/api";
import { binary, consoleOf, decimal, memoryOf, yes } from "../shared/words";
import { Boots, verdictNames } from "./Boots";
import styles from "./Match.module.css";

/** Two images laid side by side; where they differ, the row is marked. */
export function SideBySide({ pair, images, onDone }: { pair: MatchRow[]; images: ImageProfile[]; onDone: () => void }) {
  const cards = pair.map((m) => images.find((i) => i.id === m.imageId));
  const rows: [string, (m: MatchRow, i: ImageProfile) => string][] = [
    ["For this board", (m) => verdictNames[m.verdict]],
    ["Kernel", (_, i) => i.kernel],
    [
      "Long-term support",
      (_, i) => (i.longTermUntil ? `to ${i.longTermUntil}` : yes(i.supports.length > 0 ? false : null)),
    ],
    ["Download", (_, i) => decimal(i.downloadBytes)],
    ["Unpacked", (_, i) => binary(i.expandedBytes)],
    ["Smallest card, better", (_, i) => `${i.smallestCardGb} GB, ${i.recommendedCardGb} GB`],
    ["Memory, better", (_, i) => memoryOf(i)],
    ["Console", (_, i) => consoleOf(i) ?? "none"],
    ["Root grows at first boot", (_, i) => yes(i.growsAtFirstBoot)],
    ["Needs the network at first boot", (_, i) => yes(i.needsNetworkAtFirstBoot)],
  ];
  return (
    <section className={styles.sideBySide} aria-labelledby="beside-title">
      <h2 id="beside-title">Side by side</h2>
      <div className="table-scroll" tabIndex={0} role="region" aria-label="Two images">
        <table className="table">
          <thead>
            <tr>
              <td />
              {pair.map((m) => (
                <th key={m.imageId} scope="col">
                  {m.title}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map(([name, value]) => {
              const values = pair.map((m, n) => {
                const card = cards[n];
                return card ? value(m, card) : "";
              });
              return (
                <tr key={name} className={values[0] === values[1] ? "" : styles.differs}>
                  <th scope="row">
                    {name}
                    {values[0] !== values[1] && <span className="visually-hidden">, differs</span>}
                  </th>
                  {values.map((v, n) => (
                    <td key={pair[n]?.imageId}>{v}</td>
                  ))}
                </tr>
              );
            })}
            <tr>
              <th scope="row">Boots</th>
              {pair.map((m) => (
                <td key={m.imageId}>
                  <Boots row={m} />
                </td>
              ))}
            </tr>
            <tr>
              <th scope="row">Reasons</th>
              {pair.map((m) => (
                <td key={m.imageId}>
                  {m.reasons.map((r) => (
                    <p key={r.text}>{r.text}</p>
                  ))}
                </td>
              ))}
            </tr>
          </tbody>
        </table>
      </div>
      <button type="button" className="link" onClick={onDone}>
        Back to the list
      </button>
    </section>
  );
}
