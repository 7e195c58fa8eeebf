import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { BoardModel, CardDraft, InstructionSet } from "../shared/api";
import { Facts } from "../shared/Facts";
import { ProblemNote } from "../shared/ProblemNote";
import { useAddBoardCard } from "../shared/queries";
import { setNames } from "../shared/words";

const levels: Record<BoardModel["console"]["level"], string> = {
  logic18: "1.8 V logic",
  logic33: "3.3 V logic",
  logic5: "5 V logic",
  rs232: "RS-232",
  unknown: "not known: measure it first",
};

/** A card that was read from a board: what was read from where, and a field for each thing that only the person knows. */
export function CardDraftForm({ draft, onMade }: { draft: CardDraft; onMade: (card: BoardModel) => void }) {
  const [card, setCard] = useState(draft.card);
  const add = useAddBoardCard();
  const set = (change: Partial<BoardModel>) => setCard({ ...card, ...change });
  return (
    <Form
      className="draft"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate(card, {
          onSuccess: (added) => onMade({ ...card, id: added.boards[0] ?? card.id }),
        });
      }}
    >
      <h2>A new board card</h2>
      <Facts facts={draft.read.map((r) => [`${r.field}, from the ${r.from.replace(/^the /, "")}`, r.value])} />
      <p className="lead">What cannot be read, only you can tell.</p>
      <div className="draft-questions">
        {draft.ask.map((q) => (
          <Question key={q.field} field={q.field} question={q.question} card={card} set={set} />
        ))}
      </div>
      <ProblemNote error={add.error} />
      <Button type="submit" variant="outline-primary" disabled={add.isPending}>
        Keep this card
      </Button>
    </Form>
  );
}

function Question({
  field,
  question,
  card,
  set,
}: {
  field: string;
  question: string;
  card: BoardModel;
  set: (change: Partial<BoardModel>) => void;
}) {
  const revision = card.revisions[0];
  const ofRevision = (change: Partial<BoardModel["revisions"][number]>) =>
    revision && set({ revisions: [{ ...revision, ...change }] });
  const port = (change: Partial<BoardModel["console"]>) => set({ console: { ...card.console, ...change } });
  const power = (change: Partial<BoardModel["power"]>) => set({ power: { ...card.power, ...change } });
  const text = (value: string, change: (value: string) => void) => (
    <TextField label={question} value={value === "unknown" ? "" : value} onChange={change} />
  );
  switch (field) {
    case "maker":
    case "name":
    case "processor":
    case "banner":
      return text(card[field], (value) => set({ [field]: value }));
    case "mark":
    case "where":
    case "compatible":
      return text(revision?.[field] ?? "", (value) => ofRevision({ [field]: value }));
    case "instructionSet":
      return (
        <Form.Group controlId="draft-set">
          <Form.Label>{question}</Form.Label>
          <Form.Select
            value={card.instructionSet}
            onChange={(e) => set({ instructionSet: e.target.value as InstructionSet })}
          >
            {Object.entries(setNames).map(([id, name]) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
      );
    case "memoryMiB":
      return (
        <NumberField
          label={`${question} In MB`}
          value={card.memoryMiB[0] ?? 0}
          onChange={(value) => set({ memoryMiB: [value] })}
        />
      );
    case "console":
      return (
        <fieldset>
          <legend>{question}</legend>
          <TextField label="Device" value={card.console.device} onChange={(device) => port({ device })} />
          <NumberField label="Bits a second" value={card.console.speed} onChange={(speed) => port({ speed })} />
        </fieldset>
      );
    case "pins":
      return (
        <fieldset>
          <legend>{question}</legend>
          <TextField label="Header" value={card.console.where} onChange={(where) => port({ where })} />
          <TextField label="Ground pin" value={card.console.ground} onChange={(ground) => port({ ground })} />
          <TextField label="Transmit pin" value={card.console.transmit} onChange={(transmit) => port({ transmit })} />
          <TextField label="Receive pin" value={card.console.receive} onChange={(receive) => port({ receive })} />
          <Form.Group controlId="draft-level">
            <Form.Label>Level</Form.Label>
            <Form.Select
              value={card.console.level}
              onChange={(e) => port({ level: e.target.value as BoardModel["console"]["level"] })}
            >
              {Object.entries(levels).map(([id, name]) => (
                <option key={id} value={id}>
                  {name}
                </option>
              ))}
            </Form.Select>
          </Form.Group>
        </fieldset>
      );
    case "power":
      return (
        <fieldset>
          <legend>{question}</legend>
          <NumberField label="Volts" step={0.1} value={card.power.volts} onChange={(volts) => power({ volts })} />
          <NumberField label="Amperes" step={0.1} value={card.power.amps} onChange={(amps) => power({ amps })} />
          <TextField label="Socket" value={card.power.connector} onChange={(connector) => power({ connector })} />
        </fieldset>
      );
    case "bootMedia":
      return (
        <TextField
          label={`${question} With commas between`}
          value={card.bootMedia.join(", ")}
          onChange={(value) =>
            set({
              bootMedia: value
                .split(",")
                .map((m) => m.trim())
                .filter(Boolean),
            })
          }
        />
      );
    default:
      return null;
  }
}

function TextField({ label, value, onChange }: { label: string; value: string; onChange: (value: string) => void }) {
  return (
    <Form.Group controlId={`draft-${label}`}>
      <Form.Label>{label}</Form.Label>
      <Form.Control defaultValue={value} required onChange={(e) => onChange(e.target.value)} />
    </Form.Group>
  );
}

function NumberField({
  label,
  value,
  step = 1,
  onChange,
}: {
  label: string;
  value: number;
  step?: number;
  onChange: (value: number) => void;
}) {
  return (
    <Form.Group controlId={`draft-${label}`}>
      <Form.Label>{label}</Form.Label>
      <Form.Control
        type="number"
        min={step}
        step={step}
        defaultValue={value}
        required
        onChange={(e) => onChange(Number(e.target.value))}
      />
    </Form.Group>
  );
}
