import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { Catalogue, Clues, Identified } from "../shared/api";
import { base64 } from "../shared/files";
import { Facts } from "../shared/Facts";
import { ProblemNote } from "../shared/ProblemNote";
import { useDraft, useIdentify } from "./queries";
import { memory, onlyMemory, percent } from "../shared/words";
import { ProfileDraftForm } from "./ProfileDraftForm";
import styles from "./Boards.module.css";

/** What a person takes over from telling: which board it is, and by what it was told. */
export type Told = { modelId: string; revisionId: string; memoryMiB: number | null; toldBy: string[] };

/** Tells which board it is from what is printed, logged, read or seen, with the look that tells most. */
export function TellBoard({ catalogue, onUse }: { catalogue: Catalogue; onUse: (told: Told) => void }) {
  const identify = useIdentify();
  const draft = useDraft();
  const [clues, setClues] = useState<Clues>({ mark: null, code: null, text: null, tree: null, seen: [] });
  const [file, setFile] = useState<string | null>(null);
  const set = (change: Partial<Clues>) => setClues({ ...clues, ...change });
  const told = identify.data;
  const tell = (given: Clues) => {
    setClues(given);
    draft.reset();
    identify.mutate(given);
  };
  const toldBy = [...(clues.mark ? ["mark"] : []), ...(clues.text || clues.tree || clues.code ? ["loader"] : [])];
  const use = (modelId: string, revisionId: string, memoryMiB: number | null) =>
    onUse({
      modelId,
      revisionId,
      memoryMiB: memoryMiB ?? onlyMemory(catalogue.models.find((m) => m.id === modelId)),
      toldBy: toldBy.length > 0 ? toldBy : ["person"],
    });
  return (
    <details className={styles.tell}>
      <summary>Not sure which board it is?</summary>
      <Form
        onSubmit={(e) => {
          e.preventDefault();
          tell(clues);
        }}
      >
        <div className={styles.boardForm}>
          <div>
            <Form.Group controlId="tell-mark">
              <Form.Label>What is printed on it</Form.Label>
              <Form.Control value={clues.mark ?? ""} onChange={(e) => set({ mark: e.target.value || null })} />
            </Form.Group>
            <Form.Group controlId="tell-code">
              <Form.Label>Its revision code, in hexadecimal</Form.Label>
              <Form.Control
                value={clues.code ?? ""}
                spellCheck={false}
                placeholder="c04011"
                onChange={(e) => set({ code: e.target.value || null })}
              />
            </Form.Group>
            <Form.Group controlId="tell-tree">
              <Form.Label>A device tree, or a log file</Form.Label>
              <Form.Control
                type="file"
                onChange={(e) => {
                  const chosen = (e.target as HTMLInputElement).files?.[0];
                  setFile(chosen?.name ?? null);
                  if (!chosen) set({ tree: null });
                  else if (chosen.name.endsWith(".dtb")) void base64(chosen).then((tree) => set({ tree }));
                  else void chosen.text().then((text) => set({ text }));
                }}
              />
            </Form.Group>
          </div>
          <Form.Group controlId="tell-text">
            <Form.Label>Its boot log, or text of the running system</Form.Label>
            <Form.Control
              as="textarea"
              rows={8}
              value={clues.text ?? ""}
              spellCheck={false}
              onChange={(e) => set({ text: e.target.value || null })}
            />
          </Form.Group>
        </div>
        <Button type="submit" variant="outline-secondary" disabled={identify.isPending}>
          Tell me
        </Button>
      </Form>
      <ProblemNote error={identify.error} />
      {told && (
        <div className={styles.told}>
          <div role="status">
            <Contradictions told={told} />
            <CodeTable told={told} />
            <Candidates told={told} onUse={use} />
          </div>
          <SeenLooks seen={clues.seen ?? []} onForget={(seen) => tell({ ...clues, seen })} />
          {told.next && (
            <NextLook
              next={told.next}
              onSeen={(answer) =>
                tell({ ...clues, seen: [...(clues.seen ?? []), { look: told.next?.id ?? "", answer }] })
              }
            />
          )}
          {told.unknown > 0.05 && (clues.text ?? clues.tree) && !draft.data && (
            <p>
              <Button
                variant="outline-secondary"
                size="sm"
                disabled={draft.isPending}
                onClick={() => draft.mutate(clues)}
              >
                It has no profile here: make one from {file ? `${file}` : "this text"}
              </Button>
            </p>
          )}
          <ProblemNote error={draft.error} />
          {draft.data && (
            <ProfileDraftForm
              draft={draft.data}
              onMade={(card) => use(card.id, card.revisions[0]?.id ?? "", card.memoryMiB[0] ?? null)}
            />
          )}
        </div>
      )}
    </details>
  );
}

function Contradictions({ told }: { told: Identified }) {
  return told.contradictions.map((c) => (
    <p key={c} className="refused">
      <strong>They do not agree.</strong> {c}
    </p>
  ));
}

/** The revision code, field by field. */
function CodeTable({ told }: { told: Identified }) {
  if (!told.code) return null;
  return (
    <Facts
      label={`Revision code ${told.code.code}`}
      facts={[
        [
          "Code, read as",
          <>
            <code>{told.code.code}</code>, {told.code.scheme}
          </>,
        ],
        ...told.code.parts.map((p): [string, string] => [p.field, p.means]),
      ]}
    />
  );
}

function Candidates({
  told,
  onUse,
}: {
  told: Identified;
  onUse: (modelId: string, revisionId: string, memoryMiB: number | null) => void;
}) {
  return (
    <ul className={styles.candidates} aria-label="Boards that it may be">
      {told.candidates.map((c) => (
        <li key={c.name}>
          <span className="time">{percent(c.probability)}</span>
          <span>
            <strong>
              {c.name}
              {c.memoryMiB ? `, ${memory(c.memoryMiB)}` : ""}
            </strong>{" "}
            {c.reasons.map((r) => (
              <span key={r.source + r.text} className={r.for ? "" : "refused"}>
                {r.text}{" "}
              </span>
            ))}
          </span>
          <Button
            variant="outline-secondary"
            size="sm"
            aria-label={`Use ${c.name}`}
            onClick={() => onUse(c.modelId, c.revisionId, c.memoryMiB)}
          >
            Use
          </Button>
        </li>
      ))}
      <li>
        <span className="time">{percent(told.unknown)}</span>
        <span>A board that has no profile here.</span>
      </li>
    </ul>
  );
}

/** What the person has looked at so far; each can be taken back. */
function SeenLooks({
  seen,
  onForget,
}: {
  seen: NonNullable<Clues["seen"]>;
  onForget: (rest: NonNullable<Clues["seen"]>) => void;
}) {
  return seen.map((s) => (
    <p key={s.look} className="quiet">
      You saw {s.answer === "none" ? "none of the answers" : s.answer} there.{" "}
      <button type="button" className="link" onClick={() => onForget(seen.filter((o) => o.look !== s.look))}>
        Take it back
      </button>
    </p>
  ));
}

/** The look that tells most, with an answer to press. */
function NextLook({ next, onSeen }: { next: NonNullable<Identified["next"]>; onSeen: (answer: string) => void }) {
  return (
    <fieldset className="next-check">
      <legend>Look here next: {next.where.toLowerCase()}. Which of these do you see?</legend>
      <div className="choices">
        {next.answers.map((a) => (
          <Button key={a.answer} variant="outline-secondary" size="sm" onClick={() => onSeen(a.answer)}>
            {a.answer} <span className="quiet">{a.boards.join(", ")}</span>
          </Button>
        ))}
        <Button variant="outline-secondary" size="sm" onClick={() => onSeen("none")}>
          None of these
        </Button>
      </div>
    </fieldset>
  );
}
