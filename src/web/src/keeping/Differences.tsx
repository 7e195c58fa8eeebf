import type { SettingDifference } from "../shared/api";

/** Differences in words; that there are none is said too. */
export function Differences({ differences }: { differences: SettingDifference[] }) {
  if (differences.length === 0) return <p>Both say the same.</p>;
  return (
    <ul>
      {differences.map((d) => (
        <li key={d.kind + d.says}>{d.says}</li>
      ))}
    </ul>
  );
}
