import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { CardSlot, SimulatedCardSetup } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useSetSlot } from "./queries";
import styles from "./Prepare.module.css";

const fields: [keyof SimulatedCardSetup, string][] = [
  ["labelGb", "Label, GB"],
  ["trueGb", "Really holds, GB"],
  ["readOnlyFromMiB", "Read-only after, MiB"],
  ["unreadableAtMiB", "Bad sector at, MiB"],
  ["removedAtMiB", "Pulled out after, MiB"],
  ["megabytesPerSecond", "Speed, MB a second"],
];

/** The card of a simulated slot and what is wrong with it; a change puts another, empty card in. */
export function SlotForm({ boardId, slot }: { boardId: string; slot: CardSlot }) {
  const [setup, setSetup] = useState(slot.setup);
  const change = useSetSlot(boardId);
  if (!setup) return null;
  return (
    <details className={styles.slot}>
      <summary>Put another simulated card in this slot</summary>
      <Form
        className="source-row"
        onSubmit={(e) => {
          e.preventDefault();
          change.mutate({ id: slot.id, name: slot.name, setup });
        }}
      >
        {fields.map(([field, label]) => (
          <Form.Group key={field} controlId={`slot-${field}`}>
            <Form.Label>{label}</Form.Label>
            <Form.Control
              type="number"
              min={0}
              step="any"
              value={setup[field] ?? ""}
              onChange={(e) => setSetup({ ...setup, [field]: e.target.value === "" ? null : Number(e.target.value) })}
            />
          </Form.Group>
        ))}
        <Button type="submit" variant="outline-secondary" disabled={change.isPending}>
          Put it in
        </Button>
      </Form>
      <ProblemNote error={change.error} />
      <p role="status" className="quiet">
        {change.isSuccess ? "An empty card is in the slot." : ""}
      </p>
    </details>
  );
}
