import { binary } from "./words";

/** How far long work is, with what can be done about it. */
export function Progress({
  name,
  done,
  total,
  children,
}: {
  name: string;
  done: number;
  total: number;
  children?: React.ReactNode;
}) {
  const share = total > 0 ? Math.min(1, done / total) : 0;
  return (
    <div className="progress-row">
      <span>
        {name}
        {total > 0 && (
          <>
            : <span className="time">{`${binary(done)} of ${binary(total)}`}</span>
          </>
        )}
      </span>
      <span
        className="meter"
        role="progressbar"
        aria-label={name}
        aria-valuenow={Math.round(share * 100)}
        aria-valuemin={0}
        aria-valuemax={100}
      >
        <span className="fill" style={{ width: `${share * 100}%` }} />
      </span>
      {children}
    </div>
  );
}
