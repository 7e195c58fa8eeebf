import { Fragment, useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useLocation } from "react-router";
import styles from "./ListPage.module.css";
import { ProblemNote } from "./ProblemNote";
import { useRemove, useRestore } from "./queries";
import type { RemovedKind } from "./queries";
import { RemovedList } from "./RemovedList";

/** A column: what stands in it, and what it is sorted and narrowed by (a number or a text; null stands last). */
export type Column<T> = {
  name: string;
  show: (row: T) => React.ReactNode;
  by: (row: T) => string | number | null;
};

/** Something that can be done with the rows that are chosen. */
export type RowAction<T> = { name: string; of: (rows: T[]) => string };

function compare(a: string | number | null, b: string | number | null): number {
  if (a === null || b === null) return a === b ? 0 : a === null ? 1 : -1;
  return typeof a === "number" && typeof b === "number"
    ? a - b
    : String(a).localeCompare(String(b), "en", { numeric: true });
}

/** One page for everything that lies on a shelf or in a drawer: narrowed, sorted, opened row by row; what is chosen can be taken as a file or removed, and taken back. */
export function ListPage<T extends { id: string }>({
  title,
  lead,
  columns,
  rows,
  error,
  more,
  hint,
  tools,
  above,
  empty,
  details,
  removable,
  downloads,
  pair,
  removedKinds,
}: {
  title: string;
  lead: React.ReactNode;
  columns: [Column<T>, ...Column<T>[]];
  /** Undefined until they have arrived. */
  rows: T[] | undefined;
  error: unknown;
  /** More words that a row is found by. */
  more?: (row: T) => string;
  hint: string;
  /** What stands beside the field that narrows the list. */
  tools?: React.ReactNode;
  above?: React.ReactNode;
  /** What belongs here and how it gets here. */
  empty: React.ReactNode;
  details?: (row: T) => React.ReactNode;
  /** The kind to remove it as, or null where it cannot be removed. */
  removable?: (row: T) => RemovedKind | null;
  downloads?: RowAction<T>[];
  /** Where two that are chosen are laid beside each other. */
  pair?: { name: string; of: (a: T, b: T) => string };
  removedKinds?: RemovedKind[];
}) {
  const { hash } = useLocation();
  const [text, setText] = useState("");
  const [sort, setSort] = useState<{ column: number; down: boolean } | null>(null);
  const [open, setOpen] = useState<ReadonlySet<string>>(() => new Set(hash ? [decodeURIComponent(hash.slice(1))] : []));
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [taken, setTaken] = useState<{ kind: RemovedKind; id: string; name: string }[]>([]);
  const remove = useRemove();
  const restore = useRestore();
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = (rows ?? []).filter((r) => {
    const all = [...columns.map((c) => c.by(r) ?? ""), more?.(r) ?? ""].join(" ").toLowerCase();
    return words.every((w) => all.includes(w));
  });
  const column = sort && columns[sort.column];
  const shown = column ? [...found].sort((a, b) => compare(column.by(a), column.by(b)) * (sort.down ? -1 : 1)) : found;
  const choosable = removable !== undefined || (downloads ?? []).length > 0;
  const picked = (rows ?? []).filter((r) => chosen.has(r.id));
  const toRemove = picked.flatMap((r) => {
    const kind = removable?.(r);
    return kind ? [{ kind, id: r.id, name: String(columns[0].by(r)) }] : [];
  });
  const toggle = (set: ReadonlySet<string>, id: string) => {
    const next = new Set(set);
    if (!next.delete(id)) next.add(id);
    return next;
  };
  const removeAll = async () => {
    const asked = toRemove.map((t) => t.id);
    const gone: typeof taken = [];
    // What is chosen while the answers are on their way stays chosen.
    setChosen((now) => new Set([...now].filter((id) => !asked.includes(id))));
    try {
      for (const thing of toRemove) {
        await remove.mutateAsync(thing);
        gone.push(thing);
      }
    } catch {
      // What was not removed is chosen again; the note says why.
      setChosen((now) => new Set([...now, ...asked.filter((id) => !gone.some((g) => g.id === id))]));
    }
    setTaken(gone);
  };
  const takeBack = async () => {
    const back = taken;
    for (const thing of back) await restore.mutateAsync(thing).catch(() => undefined);
    // What was removed in the meantime stays to be taken back.
    setTaken((now) => (now === back ? [] : now));
  };
  return (
    <main className="page wide" id="page">
      <title>{`${title} · Buttonhook`}</title>
      <h1>{title}</h1>
      <p className="lead">{lead}</p>
      {above}
      <div className={styles.tools}>
        <Form.Control
          className={styles.filter ?? ""}
          type="search"
          aria-label="Narrow the list"
          placeholder={hint}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        {tools}
        <span className="quiet" role="status">
          {rows && words.length > 0 && `${found.length} of ${rows.length}`}
        </span>
      </div>
      <ProblemNote error={error ?? remove.error ?? restore.error} />
      {picked.length > 0 && (
        <div className={styles.picked} role="group" aria-label="For what is chosen">
          <strong>{picked.length} chosen</strong>
          {downloads?.map((d) => (
            <a key={d.name} href={d.of(picked)} download>
              {d.name}
            </a>
          ))}
          {pair && picked[0] && picked[1] && picked.length === 2 && (
            <Link to={pair.of(picked[0], picked[1])}>{pair.name}</Link>
          )}
          {toRemove.length > 0 && (
            <Button variant="outline-secondary" size="sm" disabled={remove.isPending} onClick={() => void removeAll()}>
              Remove {toRemove.length === picked.length ? (picked.length === 1 ? "it" : "them") : toRemove.length}
            </Button>
          )}
          {toRemove.length < picked.length && removable && (
            <span className="quiet">{picked.length - toRemove.length} came with Buttonhook and stay.</span>
          )}
          <button type="button" className="link" onClick={() => setChosen(new Set())}>
            Choose none
          </button>
        </div>
      )}
      {taken.length > 0 && (
        <p className={styles.picked} role="status">
          <span>Removed: {taken.map((t) => t.name).join("; ")}.</span>
          <Button variant="outline-secondary" size="sm" disabled={restore.isPending} onClick={() => void takeBack()}>
            Take it back
          </Button>
        </p>
      )}
      {rows?.length === 0 && <div className={styles.empty}>{empty}</div>}
      {rows && rows.length > 0 && (
        <div className="table-scroll" tabIndex={0} role="region" aria-label={title}>
          <table className={styles.table}>
            <thead>
              <tr>
                {choosable && (
                  <th className={styles.choice}>
                    <Form.Check
                      aria-label={`Choose all ${shown.length}`}
                      checked={shown.length > 0 && shown.every((r) => chosen.has(r.id))}
                      onChange={(e) => setChosen(new Set(e.target.checked ? shown.map((r) => r.id) : []))}
                    />
                  </th>
                )}
                {columns.map((c, n) => {
                  const direction = sort?.column === n ? (sort.down ? "descending" : "ascending") : undefined;
                  return (
                    <th key={c.name} scope="col" aria-sort={direction}>
                      <button
                        type="button"
                        onClick={() => setSort({ column: n, down: direction === "ascending" })}
                        aria-label={`Sort by ${c.name.toLowerCase()}`}
                      >
                        {c.name}
                        <span aria-hidden="true">
                          {direction === "ascending" ? " ↑" : direction === "descending" ? " ↓" : ""}
                        </span>
                      </button>
                    </th>
                  );
                })}
              </tr>
            </thead>
            <tbody>
              {shown.map((row) => {
                const isOpen = open.has(row.id);
                const name = String(columns[0].by(row) ?? row.id);
                return (
                  <Fragment key={row.id}>
                    <tr id={row.id} className={isOpen ? styles.open : ""}>
                      {choosable && (
                        <td className={styles.choice}>
                          <Form.Check
                            aria-label={`Choose ${name}`}
                            checked={chosen.has(row.id)}
                            onChange={() => setChosen(toggle(chosen, row.id))}
                          />
                        </td>
                      )}
                      {columns.map((c, n) =>
                        n === 0 ? (
                          <th key={c.name} scope="row">
                            {details ? (
                              <button
                                type="button"
                                className={styles.opener}
                                aria-expanded={isOpen}
                                onClick={() => setOpen(toggle(open, row.id))}
                              >
                                {c.show(row)}
                              </button>
                            ) : (
                              c.show(row)
                            )}
                          </th>
                        ) : (
                          <td key={c.name}>{c.show(row)}</td>
                        ),
                      )}
                    </tr>
                    {isOpen && details && (
                      <tr className={styles.details}>
                        {choosable && <td />}
                        <td colSpan={columns.length}>
                          <div role="group" aria-label={`Details of ${name}`}>
                            {details(row)}
                          </div>
                        </td>
                      </tr>
                    )}
                  </Fragment>
                );
              })}
            </tbody>
          </table>
        </div>
      )}
      {rows && rows.length > 0 && shown.length === 0 && <p className="quiet">Nothing here has these words.</p>}
      {removedKinds && <RemovedList kinds={removedKinds} />}
    </main>
  );
}
