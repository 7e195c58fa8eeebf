import type { Diagnosis } from "../shared/api";

/** Several faults that each stand by themselves, in the order in which they must be mended. */
export function MendInOrder({ diagnosis }: { diagnosis: Diagnosis }) {
  const faults = (diagnosis.mendInOrder ?? []).map((id) => diagnosis.causes.find((c) => c.id === id)?.name ?? id);
  if (faults.length < 2) return null;
  return (
    <section aria-label="Faults in the order of mending">
      <p>
        This log shows <strong>{faults.length} faults</strong>. Mend them in this order:
      </p>
      <ol>
        {faults.map((name) => (
          <li key={name}>{name}</li>
        ))}
      </ol>
    </section>
  );
}
