/** Named facts side by side; those without a value are left out. */
export function Facts({ facts, label }: { facts: [string, React.ReactNode][]; label?: string }) {
  return (
    <dl className="facts" aria-label={label}>
      {facts.map(([name, value]) =>
        value ? (
          <div key={name}>
            <dt>{name}</dt>
            <dd>{value}</dd>
          </div>
        ) : null,
      )}
    </dl>
  );
}
