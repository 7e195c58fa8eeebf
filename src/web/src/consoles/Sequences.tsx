import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { BootView, Sequence } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import styles from "./Boot.module.css";
import { useKeepSequence, useRemoveSequence, useRunSequence, useSequences } from "./queries";

type Step = Sequence["steps"][number];

const emptyStep: Step = { waitFor: null, send: null, seconds: 30, secret: false, failsOn: null };

/** A sequence while it is written. */
function SequenceForm({ boardId, sequence, onDone }: { boardId: string; sequence: Sequence; onDone: () => void }) {
  const keep = useKeepSequence(boardId);
  const [name, setName] = useState(sequence.name);
  const [steps, setSteps] = useState<Step[]>(sequence.steps);
  const change = (n: number, part: Partial<Step>) => setSteps(steps.map((s, at) => (at === n ? { ...s, ...part } : s)));
  return (
    <Form
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate({ name, steps }, { onSuccess: onDone });
      }}
    >
      <div className={styles.handRow}>
        <Form.Group controlId="sequence-name">
          <Form.Label>Name of the sequence</Form.Label>
          <Form.Control value={name} onChange={(e) => setName(e.target.value)} />
        </Form.Group>
      </div>
      {steps.map((step, n) => (
        <fieldset key={n} className={styles.handRow}>
          <legend className="visually-hidden">Step {n + 1}</legend>
          <Form.Group controlId={`wait-${n}`}>
            <Form.Label>{n + 1}. Wait for</Form.Label>
            <Form.Control value={step.waitFor ?? ""} onChange={(e) => change(n, { waitFor: e.target.value || null })} />
          </Form.Group>
          <Form.Group controlId={`send-${n}`}>
            <Form.Label>Then type</Form.Label>
            <Form.Control
              value={step.send ?? ""}
              placeholder="text\r"
              onChange={(e) => change(n, { send: e.target.value || null })}
            />
          </Form.Group>
          <Form.Group controlId={`seconds-${n}`} className={styles.narrowField ?? ""}>
            <Form.Label>Within, s</Form.Label>
            <Form.Control
              type="number"
              min={1}
              max={3600}
              value={step.seconds}
              onChange={(e) => change(n, { seconds: Number(e.target.value) })}
            />
          </Form.Group>
          <Form.Check
            id={`secret-${n}`}
            label="Secret"
            checked={step.secret}
            onChange={(e) => change(n, { secret: e.target.checked })}
          />
        </fieldset>
      ))}
      <div className={styles.handRow}>
        <Button variant="outline-secondary" onClick={() => setSteps([...steps, emptyStep])}>
          Add a step
        </Button>
        <Button type="submit" variant="outline-secondary">
          Keep the sequence
        </Button>
        <button type="button" className="link" onClick={onDone}>
          Leave it
        </button>
      </div>
      <p className="quiet">
        In what is typed, \r is Enter, \e is Esc, \t is Tab, \x03 is Ctrl+C. Several texts to wait for stand with a bar
        between them.
      </p>
      <ProblemNote error={keep.error} />
    </Form>
  );
}

/** What the computer types by itself at the right moments, kept for this board. */
export function Sequences({ boardId, boot }: { boardId: string; boot: BootView }) {
  const sequences = useSequences(boardId);
  const run = useRunSequence(boot.id);
  const remove = useRemoveSequence(boardId);
  const [writing, setWriting] = useState<Sequence | null>(null);
  const close = () => {
    setWriting(null);
    void sequences.refetch();
  };
  return (
    <section aria-label="Sequences">
      <h3>Sequences of this board</h3>
      {writing ? (
        <SequenceForm boardId={boardId} sequence={writing} onDone={close} />
      ) : (
        <ul className={styles.sequences}>
          {sequences.data?.map((s) => (
            <li key={s.name}>
              <Button variant="outline-secondary" size="sm" disabled={!boot.live} onClick={() => run.mutate(s.name)}>
                {s.name}
              </Button>{" "}
              <button type="button" className="link" onClick={() => setWriting(s)}>
                Change
              </button>{" "}
              <button
                type="button"
                className="link"
                onClick={() => remove.mutate(s.name, { onSuccess: () => void sequences.refetch() })}
              >
                Remove
              </button>
            </li>
          ))}
          <li>
            <button
              type="button"
              className="link"
              onClick={() => setWriting({ name: "", steps: [{ ...emptyStep, send: "\\r" }] })}
            >
              Write a sequence
            </button>
          </li>
        </ul>
      )}
      <ProblemNote error={sequences.error ?? run.error ?? remove.error} />
    </section>
  );
}
