import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useParams } from "react-router";
import type { BatchBoardView, CardSlot } from "../shared/api";
import { usePreparation, useWriteCard } from "../preparing/queries";
import { RenderedFiles } from "../preparing/RenderedFiles";
import { LyingStageBar } from "../shared/StageBar";
import { ProblemNote } from "../shared/ProblemNote";
import { clock } from "../shared/words";
import styles from "./Batch.module.css";
import { useBatch } from "./queries";

const cards: Record<string, string> = {
  "no-image": "no image",
  chosen: "to be written",
  "being-written": "is being written",
  "half-written": "half written",
  written: "written",
  told: "written elsewhere",
  seen: "seen to boot",
};

/** The first-boot files of one board, as they will be written. */
function BoardFiles({ boardId }: { boardId: string }) {
  const preparation = usePreparation(boardId, 0);
  const p = preparation.data;
  return (
    <>
      <ProblemNote error={preparation.error ?? p?.lookProblem} />
      {p?.looking === false && (
        <RenderedFiles boardId={boardId} preparation={p} files={p.files} notes={p.notes} typed={false} />
      )}
      {p?.looking !== false && !preparation.error && (
        <p role="status" className="quiet">
          Looking into the image.
        </p>
      )}
    </>
  );
}

/** One board of the worksheet: its stage bar, its name, its card, and what is not as the record says. */
function BoardRow({ board, slot, confirm }: { board: BatchBoardView; slot: CardSlot | undefined; confirm: string }) {
  const [open, setOpen] = useState(false);
  const write = useWriteCard(board.boardId);
  if (board.gone)
    return (
      <tr>
        <th scope="row">{board.nickname}</th>
        <td colSpan={5} className="quiet">
          no longer on the bench
        </td>
      </tr>
    );
  return (
    <>
      <tr>
        <th scope="row">
          <Link to={`/boards/${board.boardId}/boot`}>{board.nickname}</Link>
        </th>
        <td>
          {board.summary && <LyingStageBar stages={board.summary.stageBar} />}
          <span className={styles.word}>{board.summary?.word}</span>
          {board.cause && <span className={styles.cause}>{board.cause}</span>}
        </td>
        <td>
          {board.host ?? <span className="quiet">not set</span>}
          {board.says && board.host && board.says !== board.host && (
            <span className={styles.cause}>the board says {board.says}</span>
          )}
          <Button
            size="sm"
            variant="link"
            className="p-0 ms-2 align-baseline"
            aria-expanded={open}
            onClick={() => setOpen(!open)}
          >
            Files<span className="visually-hidden"> of {board.nickname}</span>
          </Button>
        </td>
        <td>
          {cards[board.card] ?? board.card}
          {(board.card === "chosen" || board.card === "half-written") && slot && (
            <Button
              size="sm"
              variant="link"
              disabled={write.isPending}
              onClick={() =>
                write.mutate({
                  slotId: slot.id,
                  confirm: confirm || null,
                  checkSize: false,
                  anyway: false,
                  endCapture: false,
                })
              }
            >
              Write it<span className="visually-hidden"> for {board.nickname}</span>
            </Button>
          )}
          <ProblemNote error={write.error} />
        </td>
        <td className="time">{board.loginSeconds === null ? "" : clock(board.loginSeconds)}</td>
        <td>
          {board.addresses.join(", ")}
          {board.differs.length > 0 && (
            <ul className={styles.differs}>
              {board.differs.map((d) => (
                <li key={d}>{d}</li>
              ))}
            </ul>
          )}
        </td>
      </tr>
      {open && (
        <tr>
          <td colSpan={6}>
            <BoardFiles boardId={board.boardId} />
          </td>
        </tr>
      )}
    </>
  );
}

/** The worksheet of a batch: a row a board, and the record of it as CSV. */
export default function BatchPage() {
  const { id = "" } = useParams();
  const batch = useBatch(id);
  const [slotId, setSlot] = useState("");
  const [confirm, setConfirm] = useState("");
  const view = batch.data;
  const slots = view?.slots.filter((s) => s.refused === null && s.id !== "copy") ?? [];
  const slot = slots.find((s) => s.id === slotId) ?? slots[0];
  const good = view?.boards.filter((b) => b.loginSeconds !== null && b.cause === null).length ?? 0;
  return (
    <main className="page wide" id="page" aria-busy={!view && !batch.error}>
      <title>{`${view?.name ?? "A batch"} · Buttonhook`}</title>
      <h1>{view?.name ?? "A batch"}</h1>
      <ProblemNote error={batch.error} />
      {view && (
        <>
          <p className="lead">
            {view.boards.length} boards as <Link to={`/boards/${view.sourceBoardId}/keep`}>{view.source}</Link>; {good}{" "}
            reached the login. <a href={`/api/batches/${id}/boards.csv`}>CSV</a>
          </p>
          <Form.Group controlId="batch-slot" className={styles.slot}>
            <Form.Label>The slot that cards are written in, one after another</Form.Label>
            <Form.Select size="sm" value={slot?.id ?? ""} onChange={(e) => setSlot(e.target.value)}>
              {slots.length === 0 && <option value="">No slot is free for it</option>}
              {slots.map((s) => (
                <option key={s.id} value={s.id}>
                  {s.name}
                </option>
              ))}
            </Form.Select>
          </Form.Group>
          {slot?.confirm && (
            <Form.Group controlId="batch-confirm" className={styles.slot}>
              <Form.Label>Size of each card in GB ({slot.confirm}), to say that it is the one</Form.Label>
              <Form.Control
                size="sm"
                value={confirm}
                inputMode="numeric"
                autoComplete="off"
                onChange={(e) => setConfirm(e.target.value)}
              />
            </Form.Group>
          )}
          <div className={styles.sheet}>
            <table className="table">
              <thead>
                <tr>
                  <th scope="col">Board</th>
                  <th scope="col">State</th>
                  <th scope="col">Host name</th>
                  <th scope="col">Card</th>
                  <th scope="col">Login</th>
                  <th scope="col">Address, and what differs</th>
                </tr>
              </thead>
              <tbody>
                {view.boards.map((b) => (
                  <BoardRow key={b.boardId} board={b} slot={slot} confirm={confirm} />
                ))}
              </tbody>
            </table>
          </div>
          <div className={styles.columns}>
            <section aria-labelledby="same-title">
              <h2 id="same-title">The same for all</h2>
              <ul>
                {view.same.map((s) => (
                  <li key={s}>{s}</li>
                ))}
              </ul>
            </section>
            <section aria-labelledby="own-title">
              <h2 id="own-title">Each has its own</h2>
              <ul>
                {view.own.map((s) => (
                  <li key={s}>{s}</li>
                ))}
              </ul>
            </section>
          </div>
        </>
      )}
    </main>
  );
}
