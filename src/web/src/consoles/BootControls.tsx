import { useState } from "react";
import { Button, Dropdown, Form } from "react-bootstrap";
import type { BoardProfile, BootView } from "../shared/api";
import { useAddPhoto } from "../boards/queries";
import { ProblemNote } from "../shared/ProblemNote";
import { useStopLoader, useType } from "./queries";
import styles from "./Boot.module.css";

/** What eyes, ears and fingers notice on any board. */
const seen = [
  "A picture came up",
  "The screen stays dark",
  "The screen says that it cannot show this",
  "The computer sees no USB device",
  "The processor gets hot",
  "It smells burnt: power was taken",
  "It clicks or beeps",
];

/** What may be seen of the lights that this board has, in its card's own words. */
function lightsOf(model: BoardProfile): string[] {
  const own = model.lights.flatMap((l) => {
    const name = `${l.colour ? `${l.colour} ` : ""}${l.name}`;
    return [`${name}: on`, `${name}: ${l.pattern ?? "blinks"}${l.meaning ? ` (${l.meaning})` : ""}`, `${name}: off`];
  });
  return own.length > 0 ? own : ["The power light came on", "The activity light blinks", "The light went out"];
}

/** What hands do while a board boots: type, stop the loader, power, and note what the eyes saw. */
export function BootControls({
  boot,
  model,
  simulated,
  applied,
  busy,
  onPower,
  marking,
  onMarking,
  onSeen,
  more,
  onMore,
}: {
  boot: BootView;
  model: BoardProfile;
  simulated: boolean;
  applied: boolean;
  busy: boolean;
  onPower: () => void;
  marking: boolean;
  onMarking: (now: boolean) => void;
  onSeen: (what: string) => void;
  more: boolean;
  onMore: () => void;
}) {
  const type = useType(boot.id);
  const stop = useStopLoader(boot.id);
  const photo = useAddPhoto(boot.boardId);
  const [text, setText] = useState("");
  const [words, setWords] = useState("");
  const secret = boot.asksForSecret;
  const power = simulated
    ? boot.live
      ? "Power off"
      : "Power on"
    : !boot.live
      ? "Open the console"
      : applied
        ? "Power taken"
        : "Power applied";
  const say = (what: string) => {
    onSeen(what);
    onMarking(false);
    setWords("");
  };
  return (
    <>
      <Form
        className={styles.hands}
        onSubmit={(e) => {
          e.preventDefault();
          type.mutate(`${text}\r`);
          setText("");
        }}
      >
        <Form.Control
          aria-label="Type to the board"
          placeholder={
            boot.live
              ? secret
                ? "A secret: not kept"
                : "Type to the board"
              : simulated
                ? "The board is off"
                : "The capture has ended"
          }
          type={secret ? "password" : "text"}
          value={text}
          disabled={!boot.live}
          autoComplete="off"
          spellCheck={false}
          onChange={(e) => setText(e.target.value)}
        />
        <Button type="submit" variant="outline-secondary" disabled={!boot.live}>
          Enter
        </Button>
        <Button
          variant="outline-secondary"
          disabled={!boot.live || stop.isPending}
          title="Waits for the loader's countdown and types the key that it asks for"
          onClick={() => stop.mutate(undefined)}
        >
          Stop loader
        </Button>
        <Button variant="outline-secondary" disabled={busy} onClick={onPower}>
          {power} <kbd>p</kbd>
        </Button>
        <Dropdown show={marking} onToggle={onMarking} align="end" drop="up">
          <Dropdown.Toggle variant="outline-secondary">
            Mark <kbd>space</kbd>
          </Dropdown.Toggle>
          <Dropdown.Menu className={styles.marks ?? ""}>
            {[...lightsOf(model), ...seen].map((what) => (
              <Dropdown.Item key={what} as="button" type="button" onClick={() => say(what)}>
                {what}
              </Dropdown.Item>
            ))}
          </Dropdown.Menu>
        </Dropdown>
        <Button variant="outline-secondary" aria-expanded={more} onClick={onMore}>
          More <kbd>m</kbd>
        </Button>
      </Form>
      {more && (
        <Form
          className={styles.hands}
          onSubmit={(e) => {
            e.preventDefault();
            if (words.trim() !== "") say(words);
          }}
        >
          <Form.Control
            aria-label="What you saw, in your own words"
            placeholder="What you saw, in your own words"
            value={words}
            maxLength={200}
            onChange={(e) => setWords(e.target.value)}
          />
          <Button type="submit" variant="outline-secondary" disabled={words.trim() === ""}>
            Mark it
          </Button>
          <Form.Control
            type="file"
            accept="image/*"
            className={styles.photo ?? ""}
            aria-label="Mark it with a photo, which is kept with the board"
            disabled={photo.isPending}
            onChange={(e) => {
              const input = e.target as HTMLInputElement;
              const file = input.files?.[0];
              if (file)
                photo.mutate(file, {
                  onSuccess: (photos) => say(`Photo ${photos.length} of this board was taken${words && `: ${words}`}`),
                });
              input.value = "";
            }}
          />
        </Form>
      )}
      <ProblemNote error={type.error ?? stop.error ?? photo.error} />
    </>
  );
}
