import type { PairCount } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { clock } from "../shared/words";
import { Histogram } from "./Histogram";
import styles from "./Learnt.module.css";
import { Shared } from "./Shared";
import { useStatistics } from "./queries";

/** The boots of one image on one revision, and how long they took to the login. */
function Pair({ pair }: { pair: PairCount }) {
  const middle = pair.loginSeconds[Math.ceil(pair.loginSeconds.length / 2) - 1];
  return (
    <section className={styles.pair} aria-label={`${pair.image} on ${pair.board}`}>
      <div>
        <h3>
          {pair.image} on {pair.board}
        </h3>
        <p>
          {pair.good} of {pair.boots} {pair.boots === 1 ? "boot" : "boots"} reached the login
          {pair.degraded > 0 && <>, {pair.degraded} of them with a fault</>}.
        </p>
        {middle !== undefined && (
          <p>
            To the login: {clock(pair.loginSeconds[0] ?? 0)}
            {pair.loginSeconds.length > 1 && (
              <>
                {" "}
                to {clock(pair.loginSeconds[pair.loginSeconds.length - 1] ?? 0)}, half of them within {clock(middle)}
              </>
            )}
            .
          </p>
        )}
      </div>
      {pair.loginSeconds.length > 2 && <Histogram seconds={pair.loginSeconds} />}
    </section>
  );
}

/** Statistics that help to decide: what boots, how long it takes, what was met, and what was there when it failed. */
export default function LearntPage() {
  const learnt = useStatistics();
  const all = learnt.data;
  return (
    <main className="page wide" id="page" aria-busy={!all && !learnt.error}>
      <title>Statistics · Buttonhook</title>
      <h1>Statistics</h1>
      <ProblemNote error={learnt.error} />
      {all && (
        <>
          <p className="lead">
            {all.counted} boots are counted; captures that were cut or could not be read count for nothing.{" "}
            <a href="/api/backup.zip" download>
              All data as one file
            </a>{" "}
            <span className="quiet">(it holds password hashes and wireless keys)</span>
          </p>
          <h2>What boots</h2>
          {all.pairs.length === 0 && <p className="quiet">No boot with a known image yet.</p>}
          {all.pairs.map((p) => (
            <Pair key={p.image + p.board} pair={p} />
          ))}
          <div className={styles.columns}>
            <section aria-labelledby="met-title">
              <h2 id="met-title">What was met, and what mended it</h2>
              {all.causes.length === 0 && <p className="quiet">Nothing yet.</p>}
              <ul>
                {all.causes.map((c) => (
                  <li key={c.id}>
                    <strong>{c.name}</strong>, in {c.boots} {c.boots === 1 ? "boot" : "boots"}
                    {c.fixes.length > 0 && (
                      <ul>
                        {c.fixes.map((f) => (
                          <li key={f.text}>
                            {f.text}{" "}
                            <span className="quiet">
                              {f.proven > 0 ? `proven ${f.proven} of ${f.times} times` : "not proven yet"}
                            </span>
                          </li>
                        ))}
                      </ul>
                    )}
                  </li>
                ))}
              </ul>
            </section>
            <section aria-labelledby="there-title">
              <h2 id="there-title">What was there when it failed</h2>
              {all.parts.length === 0 && <p className="quiet">Nothing yet.</p>}
              <ul>
                {all.parts.map((p) => (
                  <li key={p.kind + p.name}>
                    {p.name}: {p.failed} of {p.boots} boots failed
                  </li>
                ))}
              </ul>
              {all.cards.length > 0 && <h3>Cards</h3>}
              <ul>
                {all.cards.map((c) => (
                  <li key={c.slot}>
                    {c.slot}: {c.written.join(", ")} MB/s written
                    {c.slower && <strong>; it grew slow</strong>}
                  </li>
                ))}
              </ul>
            </section>
          </div>
          <Shared told={all.told} counted={all.counted} />
        </>
      )}
    </main>
  );
}
