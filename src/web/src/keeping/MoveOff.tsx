import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import type { MovePlan, MoveStep } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { StageButton } from "../shared/StageButton";
import { day, decimal } from "../shared/words";
import styles from "./FirstLogin.module.css";
import { useAddCopy, useBeginMove, useMove, useSendCommand } from "./queries";

const states = { open: "open", proven: "reached", told: "now", failed: "stopped" } as const;

/** A step of a move: sent over the console, and ticked by the line that shows that it took. */
function Step({ step, boardId, bootId }: { step: MoveStep; boardId: string; bootId: string | null }) {
  const send = useSendCommand();
  const { command } = step;
  return (
    <li className={styles.task}>
      <StageButton state={states[step.state ?? "open"]} size={20} />
      <div>
        <p>
          {step.text}{" "}
          {step.line && bootId && (
            <Link to={`/boards/${boardId}/boot?boot=${bootId}&line=${step.line}`} className={styles.word}>
              line {step.line}
            </Link>
          )}
        </p>
        {step.tells && <p className="refused">{step.tells}</p>}
        {step.state !== "proven" && step.caution && <p className="caution">{step.caution}</p>}
        {step.state !== "proven" && command && (
          <>
            <code className={styles.command}>{command}</code>
            {bootId && (
              <Button
                size="sm"
                variant="outline-secondary"
                disabled={send.isPending}
                onClick={() => send.mutate({ bootId, command })}
              >
                Send<span className="visually-hidden">: {step.text}</span>
              </Button>
            )}
          </>
        )}
        <ProblemNote error={send.error} />
      </div>
    </li>
  );
}

/** The disk that the running system is on, and the one that takes the copy: side by side, the second confirmed by its size. */
function Choose({ plan, onBegin }: { plan: MovePlan; onBegin: (device: string, confirm: string) => void }) {
  const [device, setDevice] = useState("");
  const [confirm, setConfirm] = useState("");
  const chosen = plan.candidates.find((c) => c.device === device);
  if (!plan.source) return null;
  if (plan.candidates.length === 0)
    return <p>The system runs from {plan.source}. It shows no disk of this kind beside it: fit it, and ask again.</p>;
  return (
    <Form
      onSubmit={(e) => {
        e.preventDefault();
        onBegin(device, confirm);
      }}
    >
      <p>
        The system runs from <strong>{plan.source}</strong>, which is only read. It is copied to:
      </p>
      {plan.candidates.map((c) => (
        <Form.Check
          key={c.device}
          type="radio"
          name={`target-${plan.target}`}
          id={`target-${c.device}`}
          disabled={c.refused !== null}
          checked={device === c.device}
          onChange={() => setDevice(c.device)}
          label={`${c.device}, ${decimal(c.bytes)}${c.model ? `, ${c.model}` : ""}${c.refused ? `. ${c.refused}` : ""}`}
        />
      ))}
      {chosen && (
        <Form.Group controlId={`confirm-${plan.target}`} className={styles.name ?? ""}>
          <Form.Label>Its size in GB ({chosen.confirm}), to confirm that it may be erased</Form.Label>
          <Form.Control
            value={confirm}
            inputMode="numeric"
            autoComplete="off"
            onChange={(e) => setConfirm(e.target.value)}
          />
        </Form.Group>
      )}
      <Button type="submit" size="sm" variant="outline-secondary" className="mt-2" disabled={!chosen}>
        Plan the copy to the {plan.target === "flash" ? "soldered flash" : plan.name}
      </Button>
    </Form>
  );
}

function Plan({
  plan,
  begun,
  boardId,
  bootId,
  onBegin,
}: {
  plan: MovePlan;
  begun: boolean;
  boardId: string;
  bootId: string | null;
  onBegin: (device: string, confirm: string) => void;
}) {
  return (
    <section aria-label={plan.name}>
      <h3>{plan.name}</h3>
      {plan.says.map((s) => (
        <p key={s}>{s}</p>
      ))}
      {plan.steps.length > 0 && (
        <ol className={styles.tasks}>
          {plan.steps.map((s) => (
            <Step key={s.text} step={s} boardId={boardId} bootId={bootId} />
          ))}
        </ol>
      )}
      {plan.possible !== false && !begun && <Choose plan={plan} onBegin={onBegin} />}
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
  const { plans, liveBootId, begun, proof, copies } = move.data;
  const shown = plans.map((p) => (
    <Plan
      key={p.target}
      plan={p}
      begun={begun === p.target}
      boardId={boardId}
      bootId={liveBootId}
      onBegin={(device, confirm) => begin.mutate({ target: p.target, device, confirm })}
    />
  ));
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
        {proof?.took === true ? (
          <details>
            <summary>The plans</summary>
            {shown}
          </details>
        ) : (
          shown
        )}
      </section>
      <Copies boardId={boardId} copies={copies} />
    </div>
  );
}
