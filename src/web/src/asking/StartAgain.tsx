import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { BootView } from "../shared/api";
import { NameAndPassword } from "../shared/NameAndPassword";
import { ProblemNote } from "../shared/ProblemNote";
import { useStartAgain } from "./queries";

/** Asks for a series of starts: how many, by whom, and when it ends. */
export function StartAgain({ boot, user, row }: { boot: BootView; user: string; row: string }) {
  const start = useStartAgain(boot.boardId, boot.id);
  const [times, setTimes] = useState("10");
  const [byHand, setByHand] = useState(false);
  const [untilFailure, setUntilFailure] = useState(false);
  const [name, setName] = useState(user);
  const [password, setPassword] = useState("");
  const count = Number(times);
  const fits = Number.isInteger(count) && count >= 1 && count <= 100;
  const busy = boot.typing?.state === "waiting";
  return (
    <section aria-label="Start it again and again">
      <h3>Start it again and again</h3>
      <p className="quiet">
        Once is luck. Each start is awaited to its login or its end, and judged by itself; any key stops the series.
      </p>
      <Form
        onSubmit={(e) => {
          e.preventDefault();
          start.mutate({
            times: count,
            byHand,
            untilFailure,
            user: byHand ? "" : name,
            password: byHand ? "" : password,
          });
        }}
      >
        <div className={row}>
          <Form.Group controlId="starts-times">
            <Form.Label>New starts, 1 to 100</Form.Label>
            <Form.Control
              type="number"
              min={1}
              max={100}
              value={times}
              isInvalid={!fits}
              onChange={(e) => setTimes(e.target.value)}
            />
          </Form.Group>
          {!byHand && (
            <NameAndPassword
              id="starts"
              labels={["Name to log in with", "Its password, not kept"]}
              name={name}
              onName={setName}
              password={password}
              onPassword={setPassword}
            />
          )}
        </div>
        <Form.Check
          type="radio"
          name="starts-by"
          id="starts-itself"
          label="The system restarts itself (reboot)"
          checked={!byHand}
          onChange={() => setByHand(false)}
        />
        <Form.Check
          type="radio"
          name="starts-by"
          id="starts-hand"
          label="I restart it by hand when told (a cold start each time)"
          checked={byHand}
          onChange={() => setByHand(true)}
        />
        <Form.Check
          type="checkbox"
          id="starts-until"
          label="End at the first start that does not come up"
          checked={untilFailure}
          onChange={(e) => setUntilFailure(e.target.checked)}
        />
        <Button type="submit" variant="outline-secondary" disabled={!boot.live || busy || !fits || start.isPending}>
          Start it {fits ? `${count} ${count === 1 ? "time" : "times"}` : "again"}
        </Button>
      </Form>
      <ProblemNote error={start.error} />
    </section>
  );
}
