import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import type { BoardView, CardSlot, CardWrite, Preparation } from "../shared/api";
import { DryBootChain } from "../images/DryBootChain";
import { ProblemNote } from "../shared/ProblemNote";
import { Progress } from "../shared/Progress";
import { useCardWrite, useStopCard, useTellWritten, useWriteCard } from "../shared/queries";
import { day, decimal, duration } from "../shared/words";
import type { FirstBootDraft } from "./firstBootDraft";
import { SlotForm } from "./SlotForm";

const stepNames: Record<CardWrite["step"], string> = {
  "looking-at-image": "Looking into the image",
  "checking-download": "Checking the download",
  "checking-size": "Checking the size of the card",
  writing: "Writing",
  "reading-back": "Reading back and comparing",
  "first-boot-files": "Writing the first-boot files",
  "dry-boot": "Playing the boot from the card",
  done: "Ready",
  failed: "Failed",
  cancelled: "Stopped",
  interrupted: "Interrupted",
};

/** Writes the card of a board: the slot, the order, how far it is, and how it ended. */
export function WriteCard({
  view,
  preparation,
  draft,
}: {
  view: BoardView;
  preparation: Preparation;
  draft: FirstBootDraft;
}) {
  const id = view.board.id;
  const [slotId, setSlotId] = useState(preparation.write?.slotId ?? preparation.slots[0]?.id ?? "");
  const [confirm, setConfirm] = useState("");
  const [checkSize, setCheckSize] = useState(false);
  const [anyway, setAnyway] = useState(false);
  const [stopped, setStopped] = useState(false);
  const write = useWriteCard(id);
  const stop = useStopCard(id);
  const tell = useTellWritten(id);
  const running = useCardWrite(id, preparation.write?.running === true || write.isSuccess);
  const state = running.data ?? preparation.write;
  const slot = preparation.slots.find((s) => s.id === slotId);
  const breaks = preparation.before?.verdict === "does-not-boot";
  return (
    <section className="write" aria-labelledby="write-title">
      <h2 id="write-title">Write the card</h2>
      <Form
        className="source-row"
        onSubmit={(e) => {
          e.preventDefault();
          const order = () => write.mutate({ slotId, confirm: confirm || null, checkSize, anyway });
          // What is written is what is seen: what was typed and not set yet is set first, and a mistake in it stops here.
          if (draft.dirty && preparation.kind !== "installer") draft.store().then(order, () => setStopped(true));
          else order();
        }}
      >
        <Form.Group controlId="slot" className="grow">
          <Form.Label>Slot</Form.Label>
          <Form.Select value={slotId} onChange={(e) => setSlotId(e.target.value)}>
            {preparation.slots.map((s) => (
              <option key={s.id} value={s.id}>
                {slotName(s)}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
        {slot?.confirm && (
          <Form.Group controlId="confirm">
            <Form.Label>Its size in GB ({slot.confirm}), to say that this is the one</Form.Label>
            <Form.Control
              value={confirm}
              inputMode="numeric"
              autoComplete="off"
              onChange={(e) => setConfirm(e.target.value)}
            />
          </Form.Group>
        )}
        <Form.Check
          type="checkbox"
          id="check-size"
          label="Check first whether it is as large as it says"
          checked={checkSize}
          onChange={(e) => setCheckSize(e.target.checked)}
        />
        {breaks && (
          <Form.Check
            type="checkbox"
            id="anyway"
            label="Write it although it will not boot"
            checked={anyway}
            onChange={(e) => setAnyway(e.target.checked)}
          />
        )}
        <Button
          type="submit"
          variant="outline-primary"
          disabled={!slot || state?.running === true || write.isPending || draft.saving}
        >
          {draft.dirty && preparation.kind !== "installer" ? "Set, erase and write" : "Erase and write"}
        </Button>
      </Form>
      <p className="caution">Writing erases the card in this slot. Look twice at its name and size.</p>
      {stopped && draft.error !== null && (
        <p className="refused" role="status">
          Nothing was written: what is typed below cannot be set as it is.
        </p>
      )}
      {slot?.setup && <SlotForm key={slot.id} boardId={id} slot={slot} />}
      <ProblemNote error={write.error ?? stop.error} />
      {state && <WriteState state={state} boardId={id} onStop={() => stop.mutate(undefined)} />}
      {state?.running !== true && (
        <p className="told-written">
          {view.proof.card === "told" ? (
            <>
              You say that this card was written elsewhere.{" "}
              <Button variant="link" onClick={() => tell.mutate(false)} disabled={tell.isPending}>
                Take that back
              </Button>
            </>
          ) : (
            view.proof.card !== "written" &&
            view.proof.card !== "seen" && (
              <>
                Written with another tool?{" "}
                <Button variant="link" onClick={() => tell.mutate(true)} disabled={tell.isPending}>
                  Say that it was written elsewhere
                </Button>
              </>
            )
          )}
        </p>
      )}
      <ProblemNote error={tell.error} />
    </section>
  );
}

function slotName(slot: CardSlot) {
  return `${slot.name}, ${decimal(slot.bytes)}${slot.setup ? ", simulated" : ""}${slot.refused ? `: ${slot.refused}` : ""}`;
}

function WriteState({ state, boardId, onStop }: { state: CardWrite; boardId: string; onStop: () => void }) {
  if (state.running)
    return (
      <Progress
        name={`${stepNames[state.step]}${state.bytesPerSecond > 0 && state.step !== "checking-size" ? `, ${decimal(state.bytesPerSecond)} a second` : ""}`}
        done={state.doneBytes}
        total={state.totalBytes}
      >
        {state.secondsLeft != null && <span className="quiet">{duration(state.secondsLeft)} left</span>}
        <Button variant="outline-secondary" size="sm" onClick={onStop}>
          Stop
        </Button>
      </Progress>
    );
  return (
    <div className="write-state">
      <p role="status" className={state.step === "done" ? "chosen" : "refused"}>
        {stepNames[state.step]}: {state.imageTitle} in {state.slotName}, {day(state.endedAt ?? state.startedAt)}.
      </p>
      <ProblemNote error={state.problem} />
      {state.step === "done" && (
        <>
          <p>
            Written at {decimal(state.writeBytesPerSecond ?? 0)} and read back at{" "}
            {decimal(state.readBytesPerSecond ?? 0)} a second, equal to the last byte
            {state.files.length > 0 && `; then ${state.files.length} first-boot files were written`}. Eject it and put
            it into the board. <Link to={`/boards/${boardId}/connect`}>Next: wires and supply</Link>
          </p>
          {state.after && (
            <details>
              <summary>
                {state.after.verdict === "boots"
                  ? "Dry boot from this very card: it boots"
                  : "Dry boot from this very card: it does not boot"}
              </summary>
              <DryBootChain dry={state.after} />
            </details>
          )}
          {state.files.length > 0 && <p className="quiet">On the card: {state.files.join(", ")}.</p>}
        </>
      )}
    </div>
  );
}
