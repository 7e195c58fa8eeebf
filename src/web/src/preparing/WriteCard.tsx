import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import type { BoardView, CardWrite, Preparation } from "../shared/api";
import { DryBootChain } from "../images/DryBootChain";
import { ProblemNote } from "../shared/ProblemNote";
import { Progress } from "../shared/Progress";
import { useCardWrite, useStopCard, useTellWritten, useWriteCard } from "./queries";
import { day, decimal, duration } from "../shared/words";
import type { Layout } from "./CardLayout";
import type { FirstBootDraft } from "./firstBootDraft";
import { LayoutOrder, type Together } from "./LayoutOrder";
import { slotName } from "./slotName";
import styles from "./Prepare.module.css";
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
  layout,
  draft,
  files,
}: {
  view: BoardView;
  preparation: Preparation;
  layout: Layout;
  draft: FirstBootDraft;
  /** How many first-boot files will be written. */
  files: number;
}) {
  const id = view.board.id;
  const [slotId, setSlotId] = useState(preparation.write?.slotId ?? preparation.slots[0]?.id ?? "");
  const [confirm, setConfirm] = useState("");
  const [checkSize, setCheckSize] = useState(false);
  const [anyway, setAnyway] = useState(false);
  const [endCapture, setEndCapture] = useState(false);
  const [stopped, setStopped] = useState(false);
  const [together, setTogether] = useState<Together>({
    beside: preparation.write?.systems?.slice(1).map((s) => s.imageId) ?? [],
    drive: null,
  });
  const write = useWriteCard(id);
  const stop = useStopCard(id);
  const tell = useTellWritten(id);
  const running = useCardWrite(id, preparation.write?.running === true || write.isSuccess);
  const state = running.data ?? preparation.write;
  const slot = preparation.slots.find((s) => s.id === slotId);
  const setsFirst = draft.dirty && preparation.kind !== "installer";
  const seconds = preparation.times && preparation.times.writeSeconds + preparation.times.readBackSeconds;
  const [many, apart] = [layout === "boot-menu", layout === "loader-on-card"];
  const drive = preparation.slots.find((s) => s.id === together.drive?.slotId);
  const others = preparation.beside.filter((i) => together.beside?.includes(i.id));
  const incomplete = (many && others.length === 0) || (apart && !drive);
  const plays = view.model.instructionSet !== null;
  const breaks = preparation.before?.verdict === "does-not-boot";
  return (
    <section className={styles.write} aria-labelledby="write-title">
      <h2 id="write-title">Write the card</h2>
      <Form
        className="source-row"
        onSubmit={(e) => {
          e.preventDefault();
          const order = () =>
            write.mutate({ slotId, confirm: confirm || null, checkSize, anyway, layout, endCapture, ...together });
          // What is written is what is seen: what was typed and not set yet is set first, and a mistake in it stops here.
          if (setsFirst) draft.store().then(order, () => setStopped(true));
          else order();
        }}
      >
        <Form.Group controlId="slot" className={styles.grow ?? ""}>
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
        <LayoutOrder
          layout={layout}
          preparation={preparation}
          cardSlot={slotId}
          together={together}
          onTogether={setTogether}
        />
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
        {view.capturing && (
          <Form.Check
            type="checkbox"
            id="end-capture"
            label="End the boot that is being captured; what was captured is kept"
            checked={endCapture}
            onChange={(e) => setEndCapture(e.target.checked)}
          />
        )}
        <Button
          type="submit"
          variant={view.next.prepare?.label ? "outline-primary" : "primary"}
          disabled={!slot || incomplete || state?.running === true || write.isPending || draft.saving}
        >
          Write this card
        </Button>
      </Form>
      {slot && !slot.refused && (
        <p>
          {setsFirst && "Saves these settings, erases"}
          {!setsFirst && "Erases"} {slot.name} ({decimal(slot.bytes)})
          {apart && drive && ` and ${drive.name} (${decimal(drive.bytes)})`},{" "}
          {apart
            ? `puts the loader of ${view.imageTitle} on the first and its root on the second`
            : `puts ${[view.imageTitle, ...others.map((i) => i.title)].join(" and ")} on it${many ? " behind a menu" : ""}`}
          , reads {apart ? "both" : "it"} back
          {files > 0 && `${plays ? "," : " and"} writes ${files} first-boot ${files === 1 ? "file" : "files"}`}
          {plays && " and plays the boot from it"}
          {plays && many && ", once as each entry"}
          {seconds && !many ? `: about ${duration(seconds)}` : ""}.
        </p>
      )}
      <p className="caution">
        Writing erases {apart ? "what is in both slots" : "the card in this slot"}. Look twice at its name and size.
      </p>
      {stopped && draft.error !== null && (
        <p className="refused" role="status">
          Nothing was written: what is typed above cannot be set as it is.
        </p>
      )}
      {slot?.setup && <SlotForm key={slot.id} boardId={id} slot={slot} />}
      <ProblemNote error={write.error ?? stop.error} />
      {state && <WriteState state={state} boardId={id} onStop={() => stop.mutate(undefined)} />}
      {state?.running !== true && (
        <p>
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

const verdicts = {
  boots: "it boots",
  "does-not-boot": "it does not boot",
  "cannot-tell": "it cannot be told whether it boots",
};

const hasMenu = (write: CardWrite) => (write.systems?.length ?? 0) > 1;

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
    <div className={styles.state}>
      <p role="status" className={state.step === "done" ? "chosen" : "refused"}>
        {stepNames[state.step]}: {state.imageTitle} in {state.slotName}, {day(state.endedAt ?? state.startedAt)}.
      </p>
      <ProblemNote error={state.problem} />
      {state.step === "done" && (
        <>
          <ul aria-label="What was proven">
            <li>
              Written at {decimal(state.writeBytesPerSecond ?? 0)} and read back at{" "}
              {decimal(state.readBytesPerSecond ?? 0)} a second, equal to the last byte.
            </li>
            {state.files.length > 0 && (
              <li>
                {state.files.length} first-boot {state.files.length === 1 ? "file was" : "files were"} written:{" "}
                {state.files.join(", ")}.
              </li>
            )}
            {state.after && !hasMenu(state) && (
              <li>
                Dry boot from this very card{state.driveSlotId && " and its drive"}: {verdicts[state.after.verdict]}.
              </li>
            )}
            {hasMenu(state) &&
              state.systems?.map((s, n) => (
                <li key={s.partUuid}>
                  Dry boot of entry {n + 1}, {s.title}, root on partition {s.root}:{" "}
                  {s.dry ? verdicts[s.dry.verdict] : "not played"}.
                </li>
              ))}
          </ul>
          <p>
            Eject it and put it into the board. <Link to={`/boards/${boardId}/connect`}>Next: wires and supply</Link>
          </p>
          {(state.systems ?? [{ title: "", dry: state.after }]).map(
            (s) =>
              s.dry && (
                <details key={s.title}>
                  <summary>{s.title && hasMenu(state) ? `The links of ${s.title}` : "Its links"}, one by one</summary>
                  <DryBootChain dry={s.dry} />
                </details>
              ),
          )}
        </>
      )}
    </div>
  );
}
