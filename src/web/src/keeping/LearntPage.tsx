import { Bar, BarChart, CartesianGrid, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import type { PairCount } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { clock } from "../shared/words";
import styles from "./Learnt.module.css";
import { Shared } from "./Shared";
import { useStatistics } from "./queries";

const classes = 8;

/** How many boots took how long, in up to eight classes of equal width. */
function distribution(seconds: number[]): { from: string; boots: number }[] {
  const least = seconds[0] ?? 0;
  const most = seconds[seconds.length - 1] ?? 0;
  const width = Math.max(1, Math.ceil((most - least + 1) / classes));
  const first = Math.floor(least);
  return Array.from({ length: Math.floor((most - first) / width) + 1 }, (_, n) => {
    const from = first + n * width;
    return {
      from: `${clock(from)} to ${clock(from + width)}`,
      boots: seconds.filter((s) => s >= from && s < from + width).length,
    };
  });
}

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
      {pair.loginSeconds.length > 2 && (
        <div
          className={styles.chart}
          role="img"
          aria-label={distribution(pair.loginSeconds)
            .map((c) => `${c.from}: ${c.boots}`)
            .join("; ")}
        >
          <ResponsiveContainer width="100%" height={120}>
            <BarChart data={distribution(pair.loginSeconds)} margin={{ top: 4, right: 4, bottom: 0, left: -24 }}>
              <CartesianGrid vertical={false} stroke="var(--bh-thread)" />
              <XAxis dataKey="from" tick={{ fill: "var(--bh-quiet)", fontSize: 11 }} stroke="var(--bh-thread)" />
              <YAxis allowDecimals={false} tick={{ fill: "var(--bh-quiet)", fontSize: 11 }} stroke="var(--bh-thread)" />
              <Tooltip cursor={false} contentStyle={{ background: "var(--bh-raised)", color: "var(--bh-ink)" }} />
              <Bar dataKey="boots" name="Boots" fill="var(--bh-moss)" isAnimationActive={false} />
            </BarChart>
          </ResponsiveContainer>
        </div>
      )}
    </section>
  );
}

/** Statistics that help to decide: what boots, how long it takes, what was met, and what was there when it failed. */
export default function LearntPage() {
  const learnt = useStatistics();
  const all = learnt.data;
  return (
    <main className="page wide" id="page" aria-busy={!all && !learnt.error}>
      <title>What was learnt · Buttonhook</title>
      <h1>What was learnt</h1>
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
