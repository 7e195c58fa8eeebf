import { Button } from "react-bootstrap";
import { useSearchParams } from "react-router";
import { ProblemNote } from "../shared/ProblemNote";
import styles from "./Diagnose.module.css";
import { useTriage } from "./queries";

const percent = (share: number) => `${Math.round(share * 100)} %`;

/** Finds out why a board says nothing: one look at a time, the one that tells most for its time and risk. What was seen stands in the address, so a reload keeps it. */
export function WithoutLog({ boardId }: { boardId: string }) {
  const [search, setSearch] = useSearchParams();
  const seen = Object.fromEntries(
    (search.get("seen") ?? "")
      .split(",")
      .filter((p) => p.includes("."))
      .map((p) => p.split(".", 2) as [string, string]),
  );
  const triage = useTriage(boardId, seen);
  const say = (answers: Record<string, string>) => {
    const pairs = Object.entries(answers).map(([q, a]) => `${q}.${a}`);
    setSearch((now) => {
      if (pairs.length > 0) now.set("seen", pairs.join(","));
      else now.delete("seen");
      return now;
    });
  };
  if (triage.error) return <ProblemNote error={triage.error} />;
  if (!triage.data) return <p aria-busy="true">Choosing the first look.</p>;
  const { next, causes, said, known, lights } = triage.data;
  const clear = next === null && causes[0] !== undefined;
  return (
    <section className={styles.triage} aria-labelledby="without-log">
      <h2 id="without-log">Nothing comes over the console</h2>
      {next && (
        <div className={styles.look} aria-live="polite">
          <h3>{next.ask}</h3>
          <p className="quiet">About {next.minutes} min. It is asked because its answer tells most for the effort.</p>
          {lights.length > 0 && next.ask.includes("light") && (
            <p className="quiet">The lights of this board, as its profile tells: {lights.join("; ")}.</p>
          )}
          {next.caution && <p className="caution">{next.caution}</p>}
          <ul className={styles.choices}>
            {next.answers.map((a) => (
              <li key={a.id}>
                <Button variant="outline-secondary" onClick={() => say({ ...seen, [next.id]: a.id })}>
                  {a.says}
                </Button>{" "}
                <span className="quiet">
                  then: {a.then}, {percent(a.probability)}
                </span>
              </li>
            ))}
            <li>
              <Button variant="link" onClick={() => say({ ...seen, [next.id]: "unseen" })}>
                I cannot look
              </Button>
            </li>
          </ul>
        </div>
      )}
      {clear && (
        <div className={styles.look} aria-live="polite">
          <h3>{causes[0]?.name}</h3>
          <p>
            {causes[0]?.fix ??
              "Nothing that can be seen from outside tells more: measure, or ask somebody who has the same board."}
          </p>
          {causes[0]?.caution && <p className="caution">{causes[0].caution}</p>}
        </div>
      )}
      <h3>What it may be</h3>
      <p className="quiet">These shares are estimated, not counted from boards.</p>
      <ol className={styles.shares} aria-label="Causes, the likeliest first">
        {causes.map((c) => (
          <li key={c.id}>
            <span className={styles.share}>{percent(c.probability)}</span> {c.name}
          </li>
        ))}
      </ol>
      {known.length > 0 && (
        <>
          <h3>What is known already</h3>
          <ul className={styles.shares}>
            {known.map((k) => (
              <li key={k}>
                {k.charAt(0).toUpperCase()}
                {k.slice(1)}.
              </li>
            ))}
          </ul>
        </>
      )}
      {said.length > 0 && (
        <>
          <h3>What you saw</h3>
          <ul className={styles.shares}>
            {said.map((s) => (
              <li key={s.id}>
                {s.ask} <strong>{s.says === "?" ? "could not look" : s.says}</strong>{" "}
                <Button
                  variant="link"
                  size="sm"
                  aria-label={`Ask again: ${s.ask}`}
                  onClick={() => say(Object.fromEntries(Object.entries(seen).filter(([q]) => q !== s.id)))}
                >
                  Ask again
                </Button>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
