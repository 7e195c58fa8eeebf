import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { ReadSettings } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useDrop } from "../shared/useDrop";
import { Differences } from "./Differences";
import { SettingList } from "./SettingList";
import styles from "./Keep.module.css";
import { readSettings, useTake } from "./queries";

/** Settings from another bench: a file or a pasted text, shown with what it would change before anything is kept. */
export function ReadIn({ boardId, nickname, newest }: { boardId: string; nickname: string; newest: number }) {
  const [text, setText] = useState("");
  const [read, setRead] = useState<{ came: ReadSettings; from: string } | null>(null);
  const [error, setError] = useState<unknown>(null);
  const take = useTake(boardId);
  const [foreign, setForeign] = useState(false);
  const look = (body: Blob, from: string) => {
    setRead(null);
    readSettings(boardId, body).then(
      (came) => {
        setError(null);
        setRead({ came, from });
      },
      (problem: unknown) => setError(problem),
    );
  };
  const drop = useDrop((file) => look(file, file.name));
  const kept = () => {
    setRead(null);
    setText("");
  };
  return (
    <section aria-labelledby="read-title" className={drop.over ? styles.over : ""} {...drop.handlers}>
      <h2 id="read-title">From another bench</h2>
      {!read && (
        <Form
          onSubmit={(e) => {
            e.preventDefault();
            look(new Blob([text]), "a pasted text");
          }}
        >
          <Form.Group controlId="settings-file">
            <Form.Label>A file that Keep gave out (JSON or zip)</Form.Label>
            <Form.Control
              type="file"
              accept=".json,.zip,.txt"
              onChange={(e) => {
                const file = (e.target as HTMLInputElement).files?.[0];
                if (file) look(file, file.name);
              }}
            />
          </Form.Group>
          <Form.Group controlId="settings-text" className={styles.paste}>
            <Form.Label>Or the text of its square code</Form.Label>
            <Form.Control as="textarea" rows={2} value={text} onChange={(e) => setText(e.target.value)} />
          </Form.Group>
          <Button type="submit" variant="outline-secondary" disabled={text.trim().length === 0}>
            Look at it
          </Button>
        </Form>
      )}
      <ProblemNote error={error} takeFocus />
      {read && (
        <div role="status">
          <p>
            These are the settings of {read.came.settings.nickname}. Nothing is kept yet.
            {read.came.settings.nickname !== nickname && <> This board is called {nickname}.</>}
          </p>
          {read.came.version > 0 ? (
            <>
              <p>Against version {read.came.version} of this board:</p>
              <Differences differences={read.came.differences} />
            </>
          ) : (
            <SettingList settings={read.came.settings.settings} logOf={null} onSay={null} />
          )}
          {read.came.foreign && (
            <>
              <p className="caution">{read.came.foreign} Later boots would be compared with another model.</p>
              <Form.Check
                type="checkbox"
                id="take-foreign"
                label="Keep them here all the same"
                checked={foreign}
                onChange={(e) => setForeign(e.target.checked)}
              />
            </>
          )}
          <Button
            variant="outline-secondary"
            disabled={take.isPending || (read.came.foreign !== null && !foreign)}
            onClick={() =>
              take.mutate(
                { settings: read.came.settings, from: read.from, after: newest, foreign },
                { onSuccess: kept },
              )
            }
          >
            Keep it as version {newest + 1}
          </Button>{" "}
          <Button variant="link" onClick={() => setRead(null)}>
            Leave it
          </Button>
          <ProblemNote error={take.error} takeFocus />
        </div>
      )}
    </section>
  );
}
