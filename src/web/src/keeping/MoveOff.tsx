import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import type { MovePlan } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { StageButton } from "../shared/StageButton";
import { day } from "../shared/words";
import styles from "./FirstLogin.module.css";
import { useAddCopy, useBeginMove, useMove } from "./queries";

function Plan({ plan, begun, onBegin }: { plan: MovePlan; begun: boolean; onBegin: () => void }) {
  return (
    <section aria-label={plan.name}>
      <h3>{plan.name}</h3>
      {plan.says.map((s) => (
        <p key={s}>{s}</p>
      ))}
      {plan.possible !== false && !begun && (
        <Button size="sm" variant="outline-secondary" onClick={onBegin}>
          Move it to the {plan.target === "flash" ? "soldered flash" : plan.name}
        </Button>
      )}
      {begun && (
        <ol className={styles.tasks}>
          {plan.steps.map((s) => (
            <li key={s.text} className="mb-2">
              {s.text}
              {s.caution && <p className="caution">{s.caution}</p>}
              {s.command && <code className={styles.command}>{s.command}</code>}
            </li>
          ))}
        </ol>
      )}
    </section>
  );
}

/** Copies of the card as image files: where they lie, and their sums. */
function Copies({
  boardId,
  copies,
}: {
  boardId: string;
  copies: { id: number; place: string; sha256: string | null; bytes: number | null; madeAt: string }[];
}) {
  const add = useAddCopy(boardId);
  const [place, setPlace] = useState("");
  const [sum, setSum] = useState("");
  return (
    <section aria-labelledby="copies-title">
      <h2 id="copies-title">Copies of the card</h2>
      {copies.length === 0 && <p className="quiet">None is noted.</p>}
      <ul>
        {copies.map((c) => (
          <li key={c.id}>
            {c.place}, {day(c.madeAt)}
            {c.sha256 && (
              <>
                , SHA-256 <code>{c.sha256}</code>
              </>
            )}
          </li>
        ))}
      </ul>
      <Form
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate(
            { place, sha256: sum.trim() || null, bytes: null },
            {
              onSuccess: () => {
                setPlace("");
                setSum("");
              },
            },
          );
        }}
      >
        <Form.Group controlId="copy-place">
          <Form.Label>Where it lies</Form.Label>
          <Form.Control value={place} maxLength={400} onChange={(e) => setPlace(e.target.value)} />
        </Form.Group>
        <Form.Group controlId="copy-sum" className="mt-2">
          <Form.Label>Its SHA-256, if you took it</Form.Label>
          <Form.Control value={sum} maxLength={64} onChange={(e) => setSum(e.target.value)} />
        </Form.Group>
        <Button type="submit" variant="outline-secondary" className="mt-2" disabled={place.trim() === ""}>
          Note this copy
        </Button>
        <ProblemNote error={add.error} takeFocus />
      </Form>
    </section>
  );
}

/** From the card to flash, SSD or USB: planned for this board, and proven by the next boot. */
export function MoveOff({ boardId }: { boardId: string }) {
  const move = useMove(boardId);
  const begin = useBeginMove(boardId);
  if (move.error) return <ProblemNote error={move.error} />;
  if (!move.data) return <p aria-busy="true">Looking at the board.</p>;
  const { plans, begun, proof, copies } = move.data;
  return (
    <div className={styles.columns}>
      <section aria-labelledby="move-title">
        <h2 id="move-title">Off the card</h2>
        {proof && (
          <p className={styles.proof} role="status">
            <StageButton
              state={proof.took === true ? "reached" : proof.took === false ? "stopped" : "open"}
              size={20}
            />{" "}
            {proof.bootNumber !== null && <>Boot {proof.bootNumber}: </>}
            {proof.says}{" "}
            {proof.line && (
              <Link to={`/boards/${boardId}/boot?boot=${proof.bootId}&line=${proof.line}`}>line {proof.line}</Link>
            )}{" "}
            {proof.took === true && <>Keep the card as the rescue.</>}
          </p>
        )}
        {begun && (
          <Button size="sm" variant="link" onClick={() => begin.mutate(null)}>
            Leave it on the card
          </Button>
        )}
        <ProblemNote error={begin.error} takeFocus />
        {plans.map((p) => (
          <Plan key={p.target} plan={p} begun={begun === p.target} onBegin={() => begin.mutate(p.target)} />
        ))}
      </section>
      <Copies boardId={boardId} copies={copies} />
    </div>
  );
}
