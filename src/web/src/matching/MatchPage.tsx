import { Button } from "react-bootstrap";
import { Link, useNavigate } from "react-router";
import type { BoardView, MatchRow } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useChooseImage, useMatches } from "../shared/queries";
import { percent } from "../shared/words";

const groups: [MatchRow["verdict"], string][] = [
  ["fits", "Fits"],
  ["fits-after-change", "Fits after a change"],
  ["unproven", "Unproven"],
  ["will-not-start", "Will not start"],
];

function seconds(from: number | null, to: number | null) {
  if (from === null || to === null) return null;
  if (to >= 120) return `${Math.floor(from / 60)} to ${Math.ceil(to / 60)} min`;
  return from === to ? `${to} s` : `${from} to ${to} s`;
}

/** The images for this very board in four groups, the losing reason first. */
export function MatchPage({ view }: { view: BoardView }) {
  const go = useNavigate();
  const matches = useMatches(view.board.id);
  const choose = useChooseImage(view.board.id);
  const { connected } = view.board;
  const rows = matches.data ?? [];
  return (
    <div className="match">
      <ProblemNote error={matches.error ?? choose.error} />
      <p className="wanted">
        {rows.length} images on the shelf, for a board{" "}
        <strong>{connected.screen ? "with a screen" : "without screen"}</strong>,{" "}
        {connected.network ? "on the network" : "without network"}, starting from{" "}
        <strong>{connected.cardGb ? `a ${connected.cardGb} GB card` : "no card yet"}</strong>.{" "}
        <Link to={`/boards/${view.board.id}/identify`}>Change what is connected</Link>
      </p>
      {groups.map(([verdict, name]) => {
        const own = rows.filter((m) => m.verdict === verdict);
        if (own.length === 0) return null;
        return (
          <section key={verdict} className={`match-group ${verdict}`} aria-labelledby={`group-${verdict}`}>
            <h2 id={`group-${verdict}`}>{name}</h2>
            <ul>
              {own.map((m) => (
                <li key={m.imageId}>
                  <div className="image">
                    <h3>{m.title}</h3>
                    <p>
                      kernel {m.kernel}
                      {m.longTermUntil ? `, long-term to ${m.longTermUntil}` : ""}
                    </p>
                  </div>
                  <div className="reasons">
                    {m.reasons
                      .filter((r) => r.rule !== "long-term")
                      .slice(0, 3)
                      .map((r) => (
                        <span key={r.text}>{r.text} </span>
                      ))}
                    {m.reasons.length > 3 && (
                      <details>
                        <summary>All reasons</summary>
                        <ul>
                          {m.reasons.map((r) => (
                            <li key={r.text}>{r.text}</li>
                          ))}
                        </ul>
                      </details>
                    )}
                  </div>
                  <div className="record">
                    <p>{m.tries === 0 ? "none yet" : `${m.successes} of ${m.tries} boots`}</p>
                    {m.tries > 0 && <p className="quiet">at worst {percent(m.lowerEnd)}</p>}
                    {m.successes > 0 && <p className="quiet">{seconds(m.fastestSeconds, m.slowestSeconds)}</p>}
                    {m.chosen ? (
                      <p className="chosen">On the card</p>
                    ) : (
                      <Button
                        variant="outline-secondary"
                        size="sm"
                        disabled={choose.isPending}
                        aria-label={`Take ${m.title}`}
                        onClick={() =>
                          choose.mutate(m.imageId, { onSuccess: () => void go(`/boards/${view.board.id}/prepare`) })
                        }
                      >
                        Take
                      </Button>
                    )}
                  </div>
                </li>
              ))}
            </ul>
          </section>
        );
      })}
    </div>
  );
}
