import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useNavigate } from "react-router";
import type { BoardView, MatchRow } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useCatalogue, useChooseImage } from "../shared/queries";
import { useMatches } from "./queries";
import type { Wish } from "./queries";
import { setName } from "../shared/words";
import { Boots, verdictNames } from "./Boots";
import { SideBySide } from "./SideBySide";
import { WishForm } from "./WishForm";
import styles from "./Match.module.css";

/** What is known of the chosen image: choosing it writes nothing. */
const onCard: Record<BoardView["proof"]["card"], string> = {
  "no-image": "",
  chosen: "Chosen, not on a card yet",
  "being-written": "Being written",
  "half-written": "Half written",
  written: "On the card",
  told: "On the card, as you say",
  seen: "On the card",
};

/** The images for this very board in four groups, the losing reason first. */
export default function MatchPage({ view }: { view: BoardView }) {
  const go = useNavigate();
  const { connected } = view.board;
  const [wish, setWish] = useState<Wish>({ screen: connected.screen, longTerm: true, layout: "one-card" });
  const matches = useMatches(view.board.id, wish);
  const choose = useChooseImage(view.board.id);
  const catalogue = useCatalogue();
  const [laid, setLaid] = useState<string[]>([]);
  const rows = matches.data ?? [];
  const sets = new Map(catalogue.data?.images.map((i) => [i.id, setName(i.instructionSet)]));
  const pair = rows.filter((m) => laid.includes(m.imageId));
  return (
    <div>
      <ProblemNote error={matches.error ?? choose.error} />
      <p className={styles.wanted}>
        {rows.length} images on the shelf, for a board{" "}
        <strong>{connected.screen ? "with a screen" : "without screen"}</strong>,{" "}
        {connected.network ? "on the network" : "without network"}, starting from{" "}
        <strong>{connected.cardGb ? `a ${connected.cardGb} GB card` : "no card yet"}</strong>.{" "}
        <Link to={`/boards/${view.board.id}/identify`}>Change what is connected</Link>
      </p>
      {matches.data?.length === 0 && (
        <p>
          The shelf is empty. <Link to="/images">Look into an image file</Link>: name it by its path, or drop it there.
          What it is for is read from it.
        </p>
      )}
      <WishForm wish={wish} onWish={setWish} />
      {pair.length === 2 ? (
        <SideBySide pair={pair} images={catalogue.data?.images ?? []} onDone={() => setLaid([])} />
      ) : (
        <p role="status" className="quiet">
          {pair.length === 1 && `${pair[0]?.title} waits for a second one to lie beside it.`}
        </p>
      )}
      {(Object.keys(verdictNames) as MatchRow["verdict"][]).map((verdict) => {
        const own = rows.filter((m) => m.verdict === verdict);
        if (own.length === 0) return null;
        return (
          <section
            key={verdict}
            className={`${styles.matchGroup} ${styles[verdict]}`}
            aria-labelledby={`group-${verdict}`}
          >
            <h2 id={`group-${verdict}`}>{verdictNames[verdict]}</h2>
            <ul>
              {own.map((m) => (
                <li key={m.imageId}>
                  <div className={styles.image}>
                    <h3>{m.title}</h3>
                    <p>
                      {sets.get(m.imageId)}, kernel {m.kernel}
                      {m.longTermUntil ? `, long-term to ${m.longTermUntil}` : ""}
                    </p>
                    <Form.Check
                      type="checkbox"
                      id={`lay-${m.imageId}`}
                      label="Compare"
                      aria-label={`Compare ${m.title}, ${sets.get(m.imageId)}`}
                      checked={laid.includes(m.imageId)}
                      onChange={(e) =>
                        setLaid(
                          e.target.checked ? [...laid.slice(-1), m.imageId] : laid.filter((id) => id !== m.imageId),
                        )
                      }
                    />
                  </div>
                  <Reasons row={m} />
                  <div className={styles.record}>
                    <Boots row={m} />
                    {m.chosen ? (
                      <p className="chosen">{onCard[view.proof.card]}</p>
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

/** Up to three reasons at once, all of them on demand. */
function Reasons({ row: m }: { row: MatchRow }) {
  return (
    <div className={styles.reasons}>
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
  );
}
