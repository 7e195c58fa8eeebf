import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useNavigate, useSearchParams } from "react-router";
import { ProblemNote } from "../shared/ProblemNote";
import { useBench } from "../shared/queries";
import { day } from "../shared/words";
import styles from "./Batch.module.css";
import { useBatches, useBeginBatch, useSettings } from "./queries";

/** A nickname as a host name may be. */
const host = (nickname: string) =>
  nickname
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 63);

/** Begins a batch: which record, how many boards, and what each is called. */
function BeginBatch() {
  const go = useNavigate();
  const [search] = useSearchParams();
  const bench = useBench();
  const [board, setBoard] = useState(search.get("board") ?? "");
  const settings = useSettings(board);
  const versions = board ? (settings.data?.versions ?? []) : [];
  const [version, setVersion] = useState<number | null>(null);
  const [name, setName] = useState("");
  const [stem, setStem] = useState("Sentinel");
  const [count, setCount] = useState(8);
  const begin = useBeginBatch();
  const boards = Array.from({ length: Math.min(40, Math.max(1, count || 1)) }, (_, n) => {
    const nickname = `${stem.trim() || "Board"} ${n + 1}`;
    return { nickname, host: host(nickname) };
  });
  const chosen = version ?? versions[0]?.version ?? null;
  return (
    <Form
      className={styles.begin}
      onSubmit={(e) => {
        e.preventDefault();
        if (chosen === null) return;
        begin.mutate(
          { name, boardId: board, version: chosen, boards },
          { onSuccess: (made) => void go(`/batches/${made.id}`) },
        );
      }}
    >
      <Form.Group controlId="batch-board">
        <Form.Label>As this board</Form.Label>
        <Form.Select
          value={board}
          onChange={(e) => {
            setBoard(e.target.value);
            setVersion(null);
          }}
        >
          <option value="">Choose</option>
          {bench.data?.map((b) => (
            <option key={b.id} value={b.id}>
              {b.nickname}, {b.model}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      <Form.Group controlId="batch-version">
        <Form.Label>Its version</Form.Label>
        <Form.Select
          value={chosen ?? ""}
          disabled={versions.length === 0}
          onChange={(e) => setVersion(Number(e.target.value))}
        >
          {versions.length === 0 && <option value="">{board ? "None is kept" : "Choose a board first"}</option>}
          {versions.map((v) => (
            <option key={v.version} value={v.version}>
              {v.version}, {day(v.savedAt)}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      <Form.Group controlId="batch-name">
        <Form.Label>Name of the batch</Form.Label>
        <Form.Control value={name} maxLength={60} onChange={(e) => setName(e.target.value)} />
      </Form.Group>
      <Form.Group controlId="batch-count">
        <Form.Label>How many boards</Form.Label>
        <Form.Control
          type="number"
          min={1}
          max={40}
          value={count || ""}
          onChange={(e) => setCount(Number(e.target.value))}
        />
      </Form.Group>
      <Form.Group controlId="batch-stem">
        <Form.Label>Nicknames begin with</Form.Label>
        <Form.Control value={stem} maxLength={36} onChange={(e) => setStem(e.target.value)} />
      </Form.Group>
      <p className="quiet">
        {boards[0]?.nickname}
        {boards.length > 1 && <> to {boards[boards.length - 1]?.nickname}</>}, host names {boards[0]?.host}
        {boards.length > 1 && <> to {boards[boards.length - 1]?.host}</>}.
      </p>
      <Button type="submit" disabled={chosen === null || name.trim() === "" || begin.isPending}>
        Put them on the bench
      </Button>
      <ProblemNote error={begin.error} takeFocus />
    </Form>
  );
}

/** Batches: the same settings for the next boards. */
export default function BatchesPage() {
  const batches = useBatches();
  return (
    <main className="page wide" id="page">
      <title>Batches · Buttonhook</title>
      <h1>Batches</h1>
      <p className="lead">
        One record of working settings for several boards: image, card, supply and first-boot settings carry over, host
        names and addresses are each board&apos;s own.
      </p>
      <ProblemNote error={batches.error} />
      <div className={styles.columns}>
        <section aria-labelledby="begin-title">
          <h2 id="begin-title">Begin one</h2>
          <BeginBatch />
        </section>
        <section aria-labelledby="begun-title">
          <h2 id="begun-title">Begun so far</h2>
          {batches.data?.length === 0 && <p className="quiet">None yet.</p>}
          <ul>
            {batches.data?.map((b) => (
              <li key={b.id}>
                <Link to={`/batches/${b.id}`}>{b.name}</Link>, {b.boards} boards, {day(b.madeAt)}
              </li>
            ))}
          </ul>
        </section>
      </div>
    </main>
  );
}
