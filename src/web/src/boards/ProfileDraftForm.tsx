import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { BoardProfile, ProfileDraft, InstructionSet } from "../shared/api";
import { Facts } from "../shared/Facts";
import { ProblemNote } from "../shared/ProblemNote";
import { useAddBoardProfile } from "./queries";
import { setChoices } from "../shared/words";
import styles from "./Boards.module.css";

const levels: Record<BoardProfile["console"]["level"], string> = {
  logic18: "1.8 V logic",
  logic33: "3.3 V logic",
  logic5: "5 V logic",
  rs232: "RS-232",
  unknown: "not known: measure it first",
};

/** A card that was read from a board: what was read from where, and a field for each thing that only the person knows. */
export function ProfileDraftForm({ draft, onMade }: { draft: ProfileDraft; onMade: (card: BoardProfile) => void }) {
  const [card, setCard] = useState(draft.card);
  const add = useAddBoardProfile();
  const set = (change: Partial<BoardProfile>) => setCard({ ...card, ...change });
  return (
    <Form
      className={styles.draft}
      aria-label="A profile for it"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate(card, {
          onSuccess: (added) => onMade({ ...card, id: added.boards[0] ?? card.id }),
        });
      }}
    >
      <h2>A new board profile</h2>
      <Facts facts={draft.read.map((r) => [`${r.field}, from ${r.from}`, r.value])} />
      <p className="lead">What cannot be read, only you can tell. What you leave empty stays unknown.</p>
      <div className={styles.draftQuestions}>
        {draft.ask.map((q) => (
          <Question key={q.field} field={q.field} question={q.question} card={card} set={set} />
        ))}
      </div>
      <ProblemNote error={add.error} />
      <Button type="submit" variant="outline-primary" disabled={add.isPending}>
        Keep this profile
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
  card: BoardProfile;
  set: (change: Partial<BoardProfile>) => void;
}) {
  const revision = card.revisions[0];
  const ofRevision = (change: Partial<BoardProfile["revisions"][number]>) =>
    revision && set({ revisions: [{ ...revision, ...change }] });
  const port = (change: Partial<BoardProfile["console"]>) => set({ console: { ...card.console, ...change } });
  const power = (change: Partial<BoardProfile["power"]>) => set({ power: { ...card.power, ...change } });
  const text = (value: string | null, change: (value: string | null) => void) => (
    <TextField label={question} value={value} onChange={change} />
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
      return text(revision?.[field] ?? null, (value) => ofRevision({ [field]: value }));
    case "instructionSet":
      return (
        <Form.Group controlId="draft-set">
          <Form.Label>{question}</Form.Label>
          <Form.Select
            value={card.instructionSet ?? ""}
            onChange={(e) => set({ instructionSet: (e.target.value || null) as InstructionSet })}
          >
            <option value="">not known</option>
            {setChoices.map(([id, name]) => (
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
          value={card.memoryMiB[0] ?? null}
          onChange={(value) => set({ memoryMiB: value === null ? [] : [value] })}
        />
      );
    case "console.device":
      return text(card.console.device, (device) => port({ device }));
    case "console.speed":
      return (
        <NumberField
          label={`${question} In bits a second`}
          value={card.console.speed}
          onChange={(speed) => port({ speed })}
        />
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
              onChange={(e) => port({ level: e.target.value as BoardProfile["console"]["level"] })}
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
              bootMedia: (value ?? "")
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

/** A text; left empty it stays unknown. */
function TextField({
  label,
  value,
  onChange,
}: {
  label: string;
  value: string | null;
  onChange: (value: string | null) => void;
}) {
  return (
    <Form.Group controlId={`draft-${label}`}>
      <Form.Label>{label}</Form.Label>
      <Form.Control defaultValue={value ?? ""} onChange={(e) => onChange(e.target.value.trim() || null)} />
    </Form.Group>
  );
}

/** A number; left empty it stays unknown. */
function NumberField({
  label,
  value,
  step = 1,
  onChange,
}: {
  label: string;
  value: number | null;
  step?: number;
  onChange: (value: number | null) => void;
}) {
  return (
    <Form.Group controlId={`draft-${label}`}>
      <Form.Label>{label}</Form.Label>
      <Form.Control
        type="number"
        min={step}
        step={step}
        defaultValue={value ?? ""}
        onChange={(e) => onChange(e.target.value === "" ? null : Number(e.target.value))}
      />
    </Form.Group>
  );
}
