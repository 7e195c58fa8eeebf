import { useDeferredValue, useId, useState } from "react";
import { Button, Form } from "react-bootstrap";
import { useNavigate } from "react-router";
import type { Import, ProfileDraft } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useImportedDraft, useImportedOverlays, useImportedTrees, usePutImported } from "./queries";
import { percent } from "../shared/words";
import styles from "./Boards.module.css";

type Choice = {
  tree: string | null;
  candidate: { modelId: string; revisionId: string } | null;
  overlays: string[];
};

const own: Choice = { tree: null, candidate: null, overlays: [] };
const fieldNames: Record<string, string> = {
  processor: "Chip",
  instructionSet: "Processor",
  memoryMiB: "Memory",
  "console.device": "Console",
  "console.speed": "Console speed",
  "power.hint": "Supply, a hint only",
  videoOutputs: "Screens",
  banner: "Model line",
  compatible: "Device-tree name",
  bootMedia: "Starts from",
  pins: "Pins, level",
  power: "Supply",
};

/** What came in, the boards that it may be, what it tells of the chosen one, and the way onto the bench. */
export function ImportChoice({ came, besides }: { came: Import; besides: string[] }) {
  const [words, setWords] = useState("");
  const trees = useImportedTrees(came.id, useDeferredValue(words), came.trees > 0);
  const rows = trees.data ?? [];
  const [picked, setPicked] = useState<Choice | null>(null);
  const only = came.trees === 1 && rows[0] ? { tree: rows[0].source, candidate: null, overlays: [] } : null;
  const needsChoice = came.trees > 0 || came.candidates.length > 0;
  const choice = picked ?? only ?? (needsChoice || (came.kind === "image" && came.trees === 0) ? null : own);
  const draft = useImportedDraft(
    came.id,
    choice?.tree ?? null,
    choice?.overlays ?? [],
    choice !== null && choice.candidate === null,
  );
  const group = useId();
  const facts = choice?.candidate === null && draft.data && <DraftFacts draft={draft.data} />;
  const list = needsChoice;
  return (
    <div className={styles.arrived}>
      <div role="status">
        <h2>{came.says}</h2>
      </div>
      <div className={styles.arrivedColumns}>
        <div>
          {!list && facts}
          {came.trees > 1 && (
            <Form.Group controlId="arrived-search">
              <Form.Label>What is printed on yours</Form.Label>
              <Form.Control
                value={words}
                autoComplete="off"
                spellCheck={false}
                onChange={(e) => setWords(e.target.value)}
              />
            </Form.Group>
          )}
          <fieldset className={styles.arrivedList} aria-busy={trees.isFetching} hidden={!list}>
            <legend className="visually-hidden">Which board it is</legend>
            {came.candidates.map((c) => (
              <Row
                key={`${c.modelId} ${c.revisionId}`}
                group={group}
                checked={choice?.candidate?.modelId === c.modelId && choice.candidate.revisionId === c.revisionId}
                onPick={() => setPicked({ ...own, candidate: { modelId: c.modelId, revisionId: c.revisionId } })}
                name={c.name}
                note={`${percent(c.probability)}, has a profile here`}
              />
            ))}
            {rows.map((t) => (
              <Row
                key={t.source}
                group={group}
                checked={choice?.tree === t.source}
                onPick={() => setPicked({ ...own, tree: t.source })}
                name={t.model ?? t.file}
                note={t.compatible ?? t.file}
              />
            ))}
            {came.candidates.length > 0 && (
              <Row
                group={group}
                checked={picked === own}
                onPick={() => setPicked(own)}
                name="None of these"
                note="it gets a profile of its own"
              />
            )}
          </fieldset>
          {came.trees > 1 && words !== "" && rows.length === 0 && !trees.isFetching && (
            <p className="quiet">
              None of the {came.trees} is called like that. Try fewer words, or the number that is printed largest.
            </p>
          )}
          {came.trees > 40 && words === "" && (
            <p className="quiet">The first 40 of {came.trees} in order of their names; type to find yours.</p>
          )}
        </div>
        <div>
          {came.kind === "image" && came.trees === 0 && (
            <p>
              Now bring the board&apos;s device tree, its log or its print: this image does not name a board. The image
              stays at hand.
            </p>
          )}
          {choice?.tree != null && came.overlays > 0 && (
            <OverlayChoice
              id={came.id}
              chosen={choice.overlays}
              onChoose={(overlays) => setPicked({ ...choice, overlays })}
            />
          )}
          {choice && <PutForm came={came} besides={besides} choice={choice} start={nameOf(draft.data)} />}
          <ProblemNote error={draft.error} />
          {list && facts}
        </div>
      </div>
    </div>
  );
}

const nameOf = (draft: ProfileDraft | undefined) => (draft?.card.name ?? "").slice(0, 40);

function Row({
  group,
  checked,
  onPick,
  name,
  note,
}: {
  group: string;
  checked: boolean;
  onPick: () => void;
  name: string;
  note: string;
}) {
  return (
    <label className={checked ? `${styles.arrivedRow} ${styles.picked}` : styles.arrivedRow}>
      <input type="radio" name={group} checked={checked} onChange={onPick} />
      <span>
        <strong>{name}</strong> <code>{note}</code>
      </span>
    </label>
  );
}

/** Overlays that came in beside the tree, to be laid over it in the order in which they are chosen. */
function OverlayChoice({
  id,
  chosen,
  onChoose,
}: {
  id: string;
  chosen: string[];
  onChoose: (overlays: string[]) => void;
}) {
  const overlays = useImportedOverlays(id, true);
  const [words, setWords] = useState("");
  const shown = (overlays.data ?? []).filter((o) => o.file.toLowerCase().includes(words.toLowerCase())).slice(0, 40);
  return (
    <details>
      <summary>
        Lay overlays over it
        {chosen.length > 0 ? `: ${chosen.length} chosen` : ` (${overlays.data?.length ?? 0} came in)`}
      </summary>
      {(overlays.data?.length ?? 0) > 12 && (
        <Form.Control
          aria-label="Narrow the overlays"
          placeholder="Filter by name"
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
      )}
      {shown.map((o) => (
        <Form.Check
          key={o.source}
          type="checkbox"
          id={`overlay-${o.source}`}
          label={o.file}
          checked={chosen.includes(o.source)}
          onChange={(e) => onChoose(e.target.checked ? [...chosen, o.source] : chosen.filter((c) => c !== o.source))}
        />
      ))}
      <ProblemNote error={overlays.error} />
    </details>
  );
}

/** What was read for the card, each with its source, then what nothing tells. */
function DraftFacts({ draft }: { draft: ProfileDraft }) {
  const shown = draft.read.filter((f) => f.field !== "name" && f.field !== "maker");
  const label = (field: string) => fieldNames[field] ?? field.charAt(0).toUpperCase() + field.slice(1);
  return (
    <dl className={styles.draftFacts} aria-label="What it tells of the board">
      {shown.map((f) => (
        <div key={f.field}>
          <dt>{label(f.field)}</dt>
          <dd>{f.value}</dd>
          <dd className="quiet">{f.from}</dd>
        </div>
      ))}
      {draft.ask.map((q) => (
        <div key={q.field} className={styles.unknown}>
          <dt>{label(q.field)}</dt>
          <dd>not known. {q.question}</dd>
        </div>
      ))}
    </dl>
  );
}

function PutForm({ came, besides, choice, start }: { came: Import; besides: string[]; choice: Choice; start: string }) {
  const go = useNavigate();
  const put = usePutImported(came.id);
  // What was typed stays, whatever is read of the board meanwhile.
  const [typed, setTyped] = useState<string | null>(null);
  const nickname = typed ?? start;
  const [simulated, setSimulated] = useState(false);
  return (
    <Form
      className={styles.arrivedPut}
      onSubmit={(e) => {
        e.preventDefault();
        // The empty bench that this stands on goes away as soon as the board is there: the promise outlives it.
        put
          .mutateAsync({
            nickname,
            tree: choice.tree,
            mark: null,
            candidate: choice.candidate,
            simulated,
            overlays: choice.overlays,
            with: besides,
          })
          .then((view) => void go(`/boards/${view.board.id}`))
          .catch(() => undefined);
      }}
    >
      <Form.Group controlId="arrived-nickname">
        <Form.Label>Nickname</Form.Label>
        <Form.Control value={nickname} maxLength={40} required onChange={(e) => setTyped(e.target.value)} />
      </Form.Group>
      <Form.Check
        type="checkbox"
        id="arrived-simulated"
        label="Simulate it: a twin to rehearse with, no real board"
        checked={simulated}
        onChange={(e) => setSimulated(e.target.checked)}
      />
      <ProblemNote error={put.error} />
      <Button type="submit" variant="primary" disabled={put.isPending}>
        Put it on the bench
      </Button>
    </Form>
  );
}
