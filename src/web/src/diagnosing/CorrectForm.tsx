import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { Correction } from "../shared/api";
import styles from "./Diagnose.module.css";

/** What a person really changed on a real board: own words, and the line of a file where one was changed. */
export function CorrectForm({
  cause,
  open,
  busy,
  onCorrect,
}: {
  cause: string;
  open: boolean;
  busy: boolean;
  onCorrect: (text: string | null, edit: Correction["edit"]) => void;
}) {
  const [text, setText] = useState("");
  const [path, setPath] = useState("");
  const [before, setBefore] = useState("");
  const [after, setAfter] = useState("");
  return (
    <details open={open}>
      <summary>Say what you changed</summary>
      <Form
        className={styles.form ?? ""}
        onSubmit={(e) => {
          e.preventDefault();
          onCorrect(text || null, path ? { path, line: 0, before: before || null, after: after || null } : null);
        }}
      >
        <Form.Control
          aria-label={`What you changed against: ${cause}`}
          placeholder="Which file, cable or setting, and to what"
          value={text}
          maxLength={500}
          onChange={(e) => setText(e.target.value)}
        />
        <details>
          <summary>A line of a file</summary>
          <Form.Control
            aria-label="File"
            placeholder="/cmdline.txt"
            value={path}
            onChange={(e) => setPath(e.target.value)}
          />
          <Form.Control
            aria-label="The line before"
            placeholder="before"
            value={before}
            onChange={(e) => setBefore(e.target.value)}
          />
          <Form.Control
            aria-label="The line after"
            placeholder="after"
            value={after}
            onChange={(e) => setAfter(e.target.value)}
          />
        </details>
        <Button type="submit" variant="outline-secondary" size="sm" disabled={busy || (!text && !path)}>
          Note it
        </Button>
      </Form>
    </details>
  );
}
