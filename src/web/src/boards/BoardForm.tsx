import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { BoardInput, Catalogue } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { ConnectedParts } from "./ConnectedParts";
import type { Told } from "./TellBoard";
import { WhichBoard } from "./WhichBoard";
import styles from "./Boards.module.css";

const told = [
  ["mark", "The mark on the board"],
  ["loader", "The loader's banner"],
  ["person", "I know it"],
] as const;

/** Which board it is, by what that was told, and what is connected to it. */
export function BoardForm({
  catalogue,
  start,
  told: toldNow,
  error,
  busy,
  onSave,
}: {
  catalogue: Catalogue;
  start: BoardInput;
  /** Which board it was told to be, when it was told here. */
  told: Told | null;
  error: unknown;
  busy: boolean;
  onSave: (input: BoardInput) => void;
}) {
  const [input, setInput] = useState(start);
  // What was told later changes the board, not what was typed.
  const [taken, setTaken] = useState(toldNow);
  if (taken !== toldNow) {
    setTaken(toldNow);
    setInput({ ...input, ...toldNow });
  }
  const set = (change: Partial<BoardInput>) => setInput({ ...input, ...change });
  return (
    <Form
      className={styles.boardForm}
      onSubmit={(e) => {
        e.preventDefault();
        onSave(input);
      }}
    >
      <section>
        <h2>Which board</h2>
        <WhichBoard catalogue={catalogue} input={input} onChange={set} />
        <fieldset>
          <legend>Told by</legend>
          <div className="choices">
            {told.map(([id, words]) => (
              <Form.Check
                key={id}
                type="checkbox"
                id={`told-${id}`}
                checked={input.toldBy.includes(id)}
                onChange={(e) =>
                  set({ toldBy: e.target.checked ? [...input.toldBy, id] : input.toldBy.filter((t) => t !== id) })
                }
                label={words}
              />
            ))}
          </div>
        </fieldset>
        <p className="quiet">{input.simulated ? "It is simulated." : "It is a real board."}</p>
      </section>
      <section>
        <h2>What is connected</h2>
        <ConnectedParts
          catalogue={catalogue}
          connected={input.connected}
          onChange={(change) => set({ connected: { ...input.connected, ...change } })}
        />
        <ProblemNote error={error} takeFocus />
        <Button type="submit" variant="outline-secondary" disabled={busy}>
          Save what changed
        </Button>
      </section>
    </Form>
  );
}
