import type { Inspection } from "../shared/api";
import { Facts } from "../shared/Facts";
import { binary } from "../shared/words";
import { DryBootChain } from "./DryBootChain";
import styles from "./Images.module.css";

/** What was found in an image: its partitions to scale, kernel, trees, system, first boot, and the dry boot. */
export function FoundImage({ inspection: i }: { inspection: Inspection }) {
  const first = i.firstBoot;
  const facts: [string, React.ReactNode][] = [
    ["Kernel", i.kernel ? `${i.kernel.path}${i.kernel.version ? `, ${i.kernel.version}` : ""}` : "not found"],
    ["Command line", <code>{i.commandLine ?? "not reached"}</code>],
    [
      "Device trees",
      i.deviceTrees.length === 0
        ? "none"
        : `${i.deviceTrees.length}, such as ${i.deviceTrees[0]?.model ?? i.deviceTrees[0]?.path}`,
    ],
    ["First loader", i.firstLoaders.map((l) => `${l.name} at byte ${l.atBytes}`).join(", ")],
    ["Users", first?.users.map((u) => u.name).join(", ")],
    ["Login on", first?.logins.join(", ")],
    ["Root grows", first && (first.growsBy ? `at first boot, by ${first.growsBy}` : "not by itself")],
    ["Desktop", first?.desktop],
    ["Made", first?.systemDate],
  ];
  if (i.nature)
    return (
      <div className={`elsewhere ${styles.found}`} role="note">
        <p className="lead">
          <strong>{i.nature.says}</strong> {i.nature.why}
        </p>
        <p>{i.nature.instead}</p>
      </div>
    );
  return (
    <div className={styles.found}>
      <p className="lead">
        <strong>{i.os?.name ?? "A system that does not tell its name"}</strong>, {binary(i.expandedBytes)}
        {i.compression !== "none" && `, packed as ${i.compression} in ${binary(i.sizeBytes)}`}. Smallest card:{" "}
        {binary(i.smallestCardBytes)}; better one of {i.recommendedCardGb} GB.
      </p>
      <PartitionStrip inspection={i} />
      <Facts facts={facts} />
      {i.notes.length > 0 && (
        <ul className="quiet">
          {i.notes.map((n) => (
            <li key={n}>{n}</li>
          ))}
        </ul>
      )}
      {i.dryBoot && <DryBootChain dry={i.dryBoot} />}
    </div>
  );
}

/** The partitions to scale on the smallest card that holds them. */
function PartitionStrip({ inspection: i }: { inspection: Inspection }) {
  const whole = Math.max(1, i.smallestCardBytes);
  return (
    <>
      <div
        className={`${styles.cardStrip} ${styles.partitions}`}
        role="img"
        aria-label={`${i.partitions.length} partitions to scale`}
      >
        {i.partitions.map((p) => (
          <span
            key={p.number}
            style={{ width: `${(p.lengthBytes / whole) * 100}%` }}
            className={styles[`kind-${p.fileSystem}`]}
          >
            {p.number}
          </span>
        ))}
      </div>
      <ul className={styles.stripLegend}>
        {i.partitions.map((p) => (
          <li key={p.number}>
            {p.number}: {p.fileSystem ?? "not read"}
            {p.label && ` “${p.label}”`}, {binary(p.lengthBytes)}
          </li>
        ))}
      </ul>
    </>
  );
}
