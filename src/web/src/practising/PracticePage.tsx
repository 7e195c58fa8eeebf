import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useNavigate } from "react-router";
import { ProblemNote } from "../shared/ProblemNote";
import { useBench } from "../shared/queries";
import { day } from "../shared/words";
import styles from "./Practice.module.css";
import { useBeginRound, usePractice } from "./queries";

const levels = ["Its log names it", "Its log must be read", "It is silent, or misleads"];

/** Practice: begin a round, and see how one is doing. */
export default function PracticePage() {
  const go = useNavigate();
  const practice = usePractice();
  const bench = useBench();
  const begin = useBeginRound();
  const [level, setLevel] = useState(1);
  const [board, setBoard] = useState("");
  const [fault, setFault] = useState("");
  const view = practice.data;
  const won = view?.past.filter((r) => r.won).length ?? 0;
  return (
    <main className="page wide" id="page" aria-busy={!view && !practice.error}>
      <title>Practice · Buttonhook</title>
      <h1>Practice</h1>
      <p className="lead">
        A simulated board with a hidden fault. Each look costs its minutes, each fix what it takes on the bench and a
        boot. Find it before the hour is over. Faults that this bench has met come more often.
      </p>
      <ProblemNote error={practice.error} />
      <div className={styles.columns}>
        <section aria-labelledby="round-title">
          <h2 id="round-title">A round</h2>
          {view?.going && (
            <p>
              One goes on. <Link to={`/practice/${view.going}`}>Back to it</Link>
            </p>
          )}
          <Form
            className={styles.begin}
            onSubmit={(e) => {
              e.preventDefault();
              begin.mutate(
                { boardId: board || null, level, faultId: fault || null },
                { onSuccess: (round) => void go(`/practice/${round.id}`) },
              );
            }}
          >
            <fieldset disabled={fault !== ""}>
              <legend>How hard</legend>
              {levels.map((name, n) => (
                <Form.Check
                  key={name}
                  type="radio"
                  name="level"
                  id={`level-${n + 1}`}
                  label={name}
                  checked={level === n + 1}
                  onChange={() => setLevel(n + 1)}
                />
              ))}
            </fieldset>
            <Form.Group controlId="practice-board">
              <Form.Label>Which board</Form.Label>
              <Form.Select value={board} onChange={(e) => setBoard(e.target.value)}>
                <option value="">One is drawn</option>
                {bench.data?.map((b) => (
                  <option key={b.id} value={b.id}>
                    {b.nickname}, {b.model}
                  </option>
                ))}
              </Form.Select>
            </Form.Group>
            <Form.Group controlId="practice-fault">
              <Form.Label>Hide a fault for somebody else</Form.Label>
              <Form.Select value={fault} onChange={(e) => setFault(e.target.value)}>
                <option value="">No, one is drawn</option>
                {view?.faults.map((f) => (
                  <option key={f.id} value={f.id}>
                    {f.name}
                  </option>
                ))}
              </Form.Select>
            </Form.Group>
            <Button type="submit" disabled={begin.isPending}>
              Begin
            </Button>
            <ProblemNote error={begin.error} takeFocus />
          </Form>
        </section>
        <section aria-labelledby="past-title">
          <h2 id="past-title">So far</h2>
          {view?.past.length === 0 && <p className="quiet">No round yet.</p>}
          {view && view.past.length > 0 && (
            <>
              <p>
                {won} of {view.past.length} won.
              </p>
              <table className="table table-sm">
                <thead>
                  <tr>
                    <th scope="col">Fault</th>
                    <th scope="col">Round</th>
                    <th scope="col">Minutes</th>
                    <th scope="col">Given away</th>
                  </tr>
                </thead>
                <tbody>
                  {view.past.slice(0, 20).map((r) => (
                    <tr key={r.id}>
                      <td>
                        <Link to={`/practice/${r.id}`}>{r.fault}</Link>
                      </td>
                      <td>
                        {r.won ? "won" : "lost"}, {day(r.startedAt)}
                      </td>
                      <td>{r.minutes}</td>
                      <td>{r.lost === null ? "" : Math.round(r.lost)}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </>
          )}
          {view && view.mixedUp.length > 0 && (
            <>
              <h3>Mixed up</h3>
              <ul>
                {view.mixedUp.slice(0, 6).map((m) => (
                  <li key={m.meant + m.was}>
                    “{m.meant}” was mended, and it was “{m.was}”{m.times > 1 && <>, {m.times} times</>}
                  </li>
                ))}
              </ul>
            </>
          )}
        </section>
      </div>
    </main>
  );
}
