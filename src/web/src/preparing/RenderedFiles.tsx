import { useState } from "react";
import { Form } from "react-bootstrap";
import type { Preparation } from "../shared/api";

const places = { boot: "boot partition", root: "root file system" };

/** Every file as it will be written; what comes in and what goes out is marked character by character. */
export function RenderedFiles({ boardId, preparation: p }: { boardId: string; preparation: Preparation }) {
  const [secrets, setSecrets] = useState(false);
  const holds = [
    p.hasPassword && "the password in the form that the system keeps",
    p.hasWirelessKey && "the wireless key",
  ]
    .filter(Boolean)
    .join(" and ");
  if (p.files.length === 0) return <p className="quiet">Nothing changes on this image. {p.notes.join(" ")}</p>;
  return (
    <>
      {p.files.map((f) => (
        <details key={f.place + f.path} className={`rendered ${f.isNew ? "new" : ""}`} open={f.pieces.length > 1}>
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
      {p.notes.length > 0 && (
        <ul className="quiet">
          {p.notes.map((n) => (
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
            Without {holds}
            {p.hasWirelessKey && "; words stand in the place of the key"}.
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
