import { useState } from "react";
import { Button, Dropdown, Form } from "react-bootstrap";
import type { BootView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useType } from "./queries";
import styles from "./Boot.module.css";

const seen = [
  "The power light came on",
  "The activity light blinks",
  "The light went out",
  "A picture came up",
  "The screen stays dark",
];

/** What hands do while a board boots: type, stop the loader, power, and note what the eyes saw. */
export function BootHands({
  boot,
  simulated,
  applied,
  busy,
  onPower,
  marking,
  onMarking,
  onSeen,
}: {
  boot: BootView;
  simulated: boolean;
  applied: boolean;
  busy: boolean;
  onPower: () => void;
  marking: boolean;
  onMarking: (now: boolean) => void;
  onSeen: (what: string) => void;
}) {
  const type = useType(boot.id);
  const [text, setText] = useState("");
  const power = simulated
    ? boot.live
      ? "Power off"
      : "Power on"
    : !boot.live
      ? "Open the console"
      : applied
        ? "Power taken"
        : "Power applied";
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
          placeholder={boot.live ? "Type to the board" : simulated ? "The board is off" : "The capture has ended"}
          value={text}
          disabled={!boot.live}
          autoComplete="off"
          spellCheck={false}
          onChange={(e) => setText(e.target.value)}
        />
        <Button type="submit" variant="outline-secondary" disabled={!boot.live}>
          Enter
        </Button>
        <Button variant="outline-secondary" disabled={!boot.live} onClick={() => type.mutate(" ")}>
          Stop loader
        </Button>
        <Button variant="outline-secondary" disabled={busy} onClick={onPower}>
          {power} <kbd>p</kbd>
        </Button>
        <Dropdown show={marking} onToggle={onMarking} align="end" drop="up">
          <Dropdown.Toggle variant="outline-secondary">
            Mark <kbd>space</kbd>
          </Dropdown.Toggle>
          <Dropdown.Menu>
            {seen.map((what) => (
              <Dropdown.Item key={what} as="button" type="button" onClick={() => onSeen(what)}>
                {what}
              </Dropdown.Item>
            ))}
          </Dropdown.Menu>
        </Dropdown>
      </Form>
      <ProblemNote error={type.error} />
    </>
  );
}
