import { useState } from "react";
import { Form } from "react-bootstrap";
import type { Preparation } from "../shared/api";
import styles from "./Prepare.module.css";

const places = { boot: "boot partition", root: "root file system" };

/** Every file as it will be written; what comes in and what goes out is marked character by character. */
export function RenderedFiles({
  boardId,
  preparation: p,
  files,
  notes,
  typed,
}: {
  boardId: string;
  preparation: Preparation;
  files: Preparation["files"];
  notes: string[];
  /** Whether the files hold what is typed and not set yet. */
  typed: boolean;
}) {
  const [secrets, setSecrets] = useState(false);
  const holds = [
    p.hasPassword && "the password in the form that the system keeps",
    p.hasWirelessKey && "the wireless key",
  ]
    .filter(Boolean)
    .join(" and ");
  if (files.length === 0) return <p className="quiet">Nothing changes on this image. {notes.join(" ")}</p>;
  return (
    <>
      <p className="quiet" role="status">
        {typed ? "With what is typed; it is set before a card is written." : ""}
      </p>
      {files.map((f) => (
        <details
          key={f.place + f.path}
          className={`${styles.rendered} ${f.isNew ? styles.new : ""}`}
          open={f.pieces.length > 1 || files.length <= 3}
        >
          <summary>
            <code>{f.path}</code>{" "}
            <span className="quiet">
              {places[f.place]}, {f.isNew ? "new" : "changed"}
            </span>
          </summary>
          <pre className="command-line" tabIndex={0} aria-label={f.path}>
            {f.pieces.map((piece, n) =>
              piece.change === "added" ? (
                <ins key={n}>{piece.text}</ins>
              ) : piece.change === "removed" ? (
                <del key={n}>{piece.text}</del>
              ) : (
                <span key={n}>{piece.text}</span>
              ),
            )}
          </pre>
          {f.devConsole && (
            <p className="quiet">
              <code>{f.devConsole}</code> becomes <code>/dev/console</code>: its last console= counts.
            </p>
          )}
          {f.findings.map((x) => (
            <p key={x} className="refused">
              {x}
            </p>
          ))}
        </details>
      ))}
      {notes.length > 0 && (
        <ul className="quiet">
          {notes.map((n) => (
            <li key={n}>{n}</li>
          ))}
        </ul>
      )}
      <p>
        <a href={`/api/boards/${boardId}/first-boot.zip${secrets ? "?secrets=true" : ""}`} download>
          Take the files as a zip
        </a>{" "}
        {holds && !secrets && (
          <span className="quiet">
            {typed && "As it is set, without what is only typed. "}Without {holds}
            {p.hasWirelessKey && "; the key is replaced by a placeholder"}.
          </span>
        )}
        {holds && secrets && <span className="caution">It holds {holds}: keep it to yourself.</span>}
      </p>
      {holds && (
        <Form.Check
          type="checkbox"
          id="zip-secrets"
          label={`With ${holds}`}
          checked={secrets}
          onChange={(e) => setSecrets(e.target.checked)}
        />
      )}
    </>
  );
}
