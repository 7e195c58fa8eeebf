import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { ProblemNote } from "../shared/ProblemNote";
import { useDownloads, useLeaveFolder, useWatchFolder } from "./queries";
import { binary, moment } from "../shared/words";
import styles from "./Images.module.css";

/** Folders where downloads lie: what is in them, each to be looked into where it lies; and files of the shelf that moved. */
export function DownloadFolders({ onLook }: { onLook: (path: string) => void }) {
  const downloads = useDownloads();
  const watch = useWatchFolder();
  const leave = useLeaveFolder();
  const [path, setPath] = useState("");
  const folders = downloads.data?.folders ?? [];
  return (
    <details className={styles.downloads} open={folders.length > 0 || undefined}>
      <summary>Download folders</summary>
      {downloads.data?.missing.map((m) => (
        <p key={m.imageId} className="elsewhere">
          The file of {m.title} is not at <code>{m.path}</code> any more.{" "}
          {m.looking ? "Searching by its size and sum …" : "It was not found; name the folder that it lies in now."}
        </p>
      ))}
      {folders.map((f) => (
        <section key={f.path} aria-label={f.path}>
          <p>
            <code>{f.path}</code>{" "}
            <Button
              variant="outline-secondary"
              size="sm"
              aria-label={`Leave ${f.path}`}
              onClick={() => leave.mutate(f.path)}
            >
              Leave it
            </Button>
          </p>
          <ProblemNote error={f.problem} />
          {f.files.length === 0 && f.problem === null && <p className="quiet">Nothing in it can be looked into.</p>}
          <ul>
            {f.files.map((file) => (
              <li key={file.path}>
                <span className={styles.name}>{file.name}</span>
                <span className="quiet">
                  {binary(file.bytes)}, {file.looks}, {moment(file.changedAt)}
                  {file.imageId !== null && ", on the shelf"}
                </span>
                <Button
                  variant="outline-secondary"
                  size="sm"
                  aria-label={`Look at ${file.name}`}
                  onClick={() => onLook(file.path)}
                >
                  Look at it
                </Button>
              </li>
            ))}
          </ul>
        </section>
      ))}
      <Form
        className={styles.watchFolder ?? ""}
        onSubmit={(e) => {
          e.preventDefault();
          watch.mutate(path, { onSuccess: () => setPath("") });
        }}
      >
        <Form.Group controlId="watch-folder">
          <Form.Label>Folder to keep in view, by its path on this computer</Form.Label>
          <Form.Control
            value={path}
            required
            spellCheck={false}
            placeholder="/home/you/Downloads"
            onChange={(e) => setPath(e.target.value)}
          />
        </Form.Group>
        <Button type="submit" variant="outline-secondary" disabled={watch.isPending}>
          Keep it in view
        </Button>
      </Form>
      <p className="quiet">Nothing is copied. A file that moved is found again by its size and sum.</p>
      <ProblemNote error={downloads.error ?? watch.error ?? leave.error} />
    </details>
  );
}
