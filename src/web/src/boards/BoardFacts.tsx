import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { BoardView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { EditList } from "../shared/EditList";
import { useEdits } from "../shared/queries";
import { useLessons, useTakeLessons, useTellFacts } from "./queries";
import { setChoices } from "../shared/words";
import styles from "./Boards.module.css";

type Field = { id: string; label: string; why: string; choices?: [string, string][] };

const levels: [string, string][] = [
  ["logic18", "1.8 V logic"],
  ["logic33", "3.3 V logic"],
  ["logic5", "5 V logic"],
  ["rs232", "RS-232"],
];

/** The facts that decide most, in the order in which a person can answer them. */
const fields: Field[] = [
  { id: "power.volts", label: "Volts it takes", why: "another voltage can destroy it" },
  { id: "power.amps", label: "Amperes it takes at most", why: "whether a supply is enough" },
  { id: "power.connector", label: "Socket of the supply", why: "which plug fits" },
  { id: "console.level", label: "Level of the console", why: "the wrong one destroys the pin", choices: levels },
  { id: "console.where", label: "Where the console pins are", why: "where the wires go" },
  { id: "console.ground", label: "Ground pin", why: "it is wired first" },
  { id: "console.transmit", label: "Transmit pin", why: "what the board prints" },
  { id: "console.receive", label: "Receive pin", why: "what you type" },
  { id: "console.device", label: "Console device in Linux", why: "whether an image prints here" },
  { id: "console.speed", label: "Bits a second of the console", why: "a log tells it too" },
  { id: "memoryMiB", label: "Memory in MiB", why: "which images have room" },
  { id: "instructionSet", label: "Processor", why: "which kernels run", choices: setChoices },
  { id: "bootMedia", label: "Starts from, in its order", why: "card, flash, usb, ssd, network" },
  { id: "mark", label: "What is printed on it", why: "to know the next one by" },
  { id: "power.minimumVolts", label: "Volts below which it resets", why: "how much a cable may lose" },
  { id: "power.usbAmps", label: "Amperes its USB sockets give", why: "what may hang on them" },
];

/** What is not known of a board yet, to be told by a person; what its log would teach; and what was changed, to be taken back. */
export function BoardFacts({ view }: { view: BoardView }) {
  const unknown = fields.filter((f) => valueOf(view, f.id) === null);
  return (
    <section aria-label="What is known and not known">
      {unknown.length > 0 && (
        <>
          <h2 id="board-facts">What is not known of it</h2>
          <FactForm key={unknown.map((f) => f.id).join()} view={view} unknown={unknown} />
        </>
      )}
      <LessonList view={view} />
      <ChangeList view={view} />
    </section>
  );
}

/** The value of a field on the card, or null where it is not known. */
function valueOf(view: BoardView, field: string): unknown {
  const revision = view.model.revisions.find((r) => r.id === view.board.revisionId);
  if (field === "mark") return revision?.mark ?? null;
  if (field === "console.level") return view.model.console.level === "unknown" ? null : view.model.console.level;
  const value = field
    .split(".")
    .reduce<unknown>((owner, name) => (owner as Record<string, unknown>)[name] ?? null, view.model);
  return Array.isArray(value) && value.length === 0 ? null : value;
}

function FactForm({ view, unknown }: { view: BoardView; unknown: Field[] }) {
  const tell = useTellFacts(view.board.id);
  const [told, setTold] = useState<Record<string, string>>({});
  const given = Object.entries(told).filter(([, value]) => value.trim() !== "");
  return (
    <Form
      className={styles.factForm}
      onSubmit={(e) => {
        e.preventDefault();
        tell.mutate(given.map(([field, value]) => ({ field, value, wasUnknown: true })));
      }}
    >
      {unknown.map((f) => (
        <Form.Group key={f.id} controlId={`fact-${f.id}`}>
          <Form.Label>
            {f.label} <span className="quiet">{f.why}</span>
          </Form.Label>
          {f.choices ? (
            <Form.Select value={told[f.id] ?? ""} onChange={(e) => setTold({ ...told, [f.id]: e.target.value })}>
              <option value="">not known</option>
              {f.choices.map(([id, name]) => (
                <option key={id} value={id}>
                  {name}
                </option>
              ))}
            </Form.Select>
          ) : (
            <Form.Control
              value={told[f.id] ?? ""}
              spellCheck={false}
              autoComplete="off"
              onChange={(e) => setTold({ ...told, [f.id]: e.target.value })}
            />
          )}
        </Form.Group>
      ))}
      <div className={styles.factSave}>
        <Button type="submit" variant="outline-primary" disabled={tell.isPending || given.length === 0}>
          Put it into the profile
        </Button>
        <span className="quiet">Leave empty what you do not know. It is noted that you said it.</span>
      </div>
      <ProblemNote error={tell.error} />
    </Form>
  );
}

/** What the newest log says of the board that its card does not, and where it contradicts what a person told. */
function LessonList({ view }: { view: BoardView }) {
  const lessons = useLessons(view.board.id);
  const take = useTakeLessons(view.board.id);
  const facts = lessons.data?.facts ?? [];
  const better = facts.filter((l) => l.decides === null);
  const against = facts.filter((l) => l.decides !== null);
  return (
    <>
      {better.length > 0 && (
        <div className={styles.lessons}>
          <h3>Boot {lessons.data?.bootNumber} tells more</h3>
          <ul>
            {better.map((l) => (
              <li key={l.field}>
                {l.field}: <strong>{l.after}</strong>{" "}
                <span className="quiet">
                  {l.before === null ? "not known until now" : `instead of ${l.before}, from ${l.beforeFrom}`}; {l.from}
                </span>
              </li>
            ))}
          </ul>
          <Button variant="outline-primary" size="sm" disabled={take.isPending} onClick={() => take.mutate(null)}>
            Put all of it into the profile
          </Button>
        </div>
      )}
      {against.length > 0 && (
        <div className={`${styles.lessons} ${styles.contradictions}`}>
          <h3>Boot {lessons.data?.bootNumber} contradicts what you told</h3>
          <ul>
            {against.map((l) => (
              <li key={l.field}>
                {l.field}: you told <strong>{l.before}</strong> <span className="quiet">({l.beforeFrom})</span>, the log
                says <strong>{l.after}</strong> <span className="quiet">({l.from})</span>. {l.decides}{" "}
                <Button
                  variant="outline-secondary"
                  size="sm"
                  disabled={take.isPending}
                  aria-label={`Take ${l.after} for ${l.field}`}
                  onClick={() => take.mutate(l.field)}
                >
                  Take what the log says
                </Button>
              </li>
            ))}
          </ul>
        </div>
      )}
      <ProblemNote error={take.error} />
    </>
  );
}

function ChangeList({ view }: { view: BoardView }) {
  const edits = useEdits(view.board.id);
  if (!edits.data || edits.data.length === 0) return null;
  return (
    <details className={styles.cardChanges}>
      <summary>What was changed on this board and its profile</summary>
      <EditList edits={edits.data} />
    </details>
  );
}
