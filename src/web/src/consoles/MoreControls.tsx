import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { StartAgain } from "../asking/StartAgain";
import type { BoardView, BootView } from "../shared/api";
import { NameAndPassword } from "../shared/NameAndPassword";
import { ProblemNote } from "../shared/ProblemNote";
import { useCatalogue } from "../shared/queries";
import styles from "./Boot.module.css";
import { LineFields } from "./LineFields";
import { useBreak, useChangePassword, useLogIn, usePaste, useSetLine, useWires } from "./queries";
import { Sequences } from "./Sequences";

/** Log in, and change a password that the system wants changed. */
function LogIn({ boot, user }: { boot: BootView; user: string }) {
  const logIn = useLogIn(boot.id);
  const change = useChangePassword(boot.id);
  const [name, setName] = useState(user);
  const [password, setPassword] = useState("");
  const [next, setNext] = useState("");
  return (
    <section aria-label="Log in">
      <h3>Log in</h3>
      <Form
        className={styles.handRow}
        onSubmit={(e) => {
          e.preventDefault();
          logIn.mutate({ user: name, password });
        }}
      >
        <NameAndPassword id="login" name={name} onName={setName} password={password} onPassword={setPassword} />
        <Button type="submit" variant="outline-secondary" disabled={!boot.live || name === ""}>
          Wake the prompt and log in
        </Button>
      </Form>
      <Form
        className={styles.handRow}
        onSubmit={(e) => {
          e.preventDefault();
          change.mutate({ old: password, new: next });
        }}
      >
        <Form.Group controlId="login-new">
          <Form.Label>New password, where the system wants one</Form.Label>
          <Form.Control type="password" value={next} autoComplete="off" onChange={(e) => setNext(e.target.value)} />
        </Form.Group>
        <Button type="submit" variant="outline-secondary" disabled={!boot.live || next === ""}>
          Change it
        </Button>
      </Form>
      <ProblemNote error={logIn.error ?? change.error} />
    </section>
  );
}

/** A text that is typed slowly, for loaders that lose what comes too fast. */
function SlowPaste({ boot }: { boot: BootView }) {
  const paste = usePaste(boot.id);
  const [text, setText] = useState("");
  const [character, setCharacter] = useState(5);
  const [line, setLine] = useState(100);
  return (
    <section aria-label="Paste slowly">
      <h3>Paste slowly</h3>
      <Form
        className={styles.handRow}
        onSubmit={(e) => {
          e.preventDefault();
          paste.mutate({ text, characterPause: character, linePause: line });
        }}
      >
        <Form.Group controlId="paste-text" className={styles.wideField ?? ""}>
          <Form.Label>Text; the last line needs an Enter of its own</Form.Label>
          <Form.Control
            as="textarea"
            rows={3}
            className={styles.pasted ?? ""}
            value={text}
            spellCheck={false}
            onChange={(e) => setText(e.target.value)}
          />
        </Form.Group>
        <Form.Group controlId="paste-character">
          <Form.Label>Pause a character, ms</Form.Label>
          <Form.Control
            type="number"
            min={0}
            max={1000}
            value={character}
            onChange={(e) => setCharacter(Number(e.target.value))}
          />
        </Form.Group>
        <Form.Group controlId="paste-line">
          <Form.Label>Pause a line, ms</Form.Label>
          <Form.Control
            type="number"
            min={0}
            max={10000}
            value={line}
            onChange={(e) => setLine(Number(e.target.value))}
          />
        </Form.Group>
        <Button type="submit" variant="outline-secondary" disabled={!boot.live || text === ""}>
          Paste
        </Button>
      </Form>
      <ProblemNote error={paste.error} />
    </section>
  );
}

/** The line as it is set now, and its wires. */
function Line({ boot }: { boot: BootView }) {
  const set = useSetLine(boot.id);
  const wires = useWires(boot.id);
  const sendBreak = useBreak(boot.id);
  const [line, setLine] = useState({
    speed: String(boot.line?.speed ?? 115200),
    frame: boot.line?.frame ?? "8N1",
    flow: boot.line?.flow ?? ("none" as const),
  });
  return (
    <section aria-label="The line">
      <h3>The line</h3>
      <Form
        className={styles.handRow}
        onSubmit={(e) => {
          e.preventDefault();
          set.mutate({ speed: Number(line.speed), frame: line.frame, flow: line.flow });
        }}
      >
        <LineFields id="line" line={line} onChange={setLine} only="all" />
        <Button type="submit" variant="outline-secondary" disabled={set.isPending}>
          Set the line
        </Button>
      </Form>
      <div className={styles.handRow}>
        {(["dtr", "rts"] as const).flatMap((wire) =>
          [true, false].map((up) => (
            <Button
              key={`${wire}${up}`}
              variant="outline-secondary"
              onClick={() => wires.mutate({ dtr: null, rts: null, [wire]: up })}
            >
              {up ? "Raise" : "Lower"} {wire.toUpperCase()}
            </Button>
          )),
        )}
        <Button variant="outline-secondary" onClick={() => sendBreak.mutate(undefined)}>
          Send a break
        </Button>
      </div>
      <ProblemNote error={set.error ?? wires.error ?? sendBreak.error} />
    </section>
  );
}

/** What is done less often with a console: log in, paste slowly, sequences, the line and its wires. */
export default function MoreControls({ view, boot }: { view: BoardView; boot: BootView }) {
  const catalogue = useCatalogue();
  const image = catalogue.data?.images.find((i) => i.id === view.board.imageId);
  if (!catalogue.data) return <p aria-busy="true" />;
  return (
    <div className={styles.more}>
      <LogIn boot={boot} user={image?.defaultUser ?? ""} />
      <StartAgain boot={boot} user={image?.defaultUser ?? ""} row={styles.handRow ?? ""} />
      <SlowPaste boot={boot} />
      <Sequences boardId={view.board.id} boot={boot} />
      {boot.line && <Line boot={boot} />}
    </div>
  );
}
