import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import type { KeptSettings } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useBench } from "../shared/queries";
import { day } from "../shared/words";
import { Differences } from "./Differences";
import styles from "./Keep.module.css";
import { useAgain, useCompared } from "./queries";

/** What two versions say differently, the second one chosen here: of this board or of another. */
function Beside({ boardId, version, versions }: { boardId: string; version: number; versions: KeptSettings[] }) {
  const bench = useBench();
  const older = versions.find((v) => v.version < version) ?? versions.find((v) => v.version !== version);
  const [other, setOther] = useState(older ? `${boardId}:${older.version}` : "");
  const compared = useCompared(other, `${boardId}:${version}`);
  return (
    <div className={styles.beside}>
      <Form.Group controlId={`beside-${version}`}>
        <Form.Label>Beside</Form.Label>
        <Form.Select size="sm" value={other} onChange={(e) => setOther(e.target.value)}>
          <option value="">Choose</option>
          {versions
            .filter((v) => v.version !== version)
            .map((v) => (
              <option key={v.version} value={`${boardId}:${v.version}`}>
                Version {v.version} of this board
              </option>
            ))}
          {bench.data
            ?.filter((b) => b.id !== boardId)
            .map((b) => (
              <option key={b.id} value={b.id}>
                {b.nickname}, its newest version
              </option>
            ))}
        </Form.Select>
      </Form.Group>
      <ProblemNote error={compared.error} />
      {compared.data && (
        <>
          <p className="quiet">
            {compared.data.before}, against {compared.data.after}:
          </p>
          <Differences differences={compared.data.differences} />
        </>
      )}
    </div>
  );
}

/** One kept version: taken out, printed, compared, set up again. */
function Version({ kept, versions }: { kept: KeptSettings; versions: KeptSettings[] }) {
  const [open, setOpen] = useState(false);
  const again = useAgain(kept.boardId);
  const [own, setOwn] = useState(false);
  const file = `/api/boards/${kept.boardId}/settings/${kept.version}`;
  const asked = own ? "?own=true" : "";
  return (
    <li>
      <strong>Version {kept.version}</strong>, {day(kept.savedAt)}
      {kept.cameFrom && <span className="quiet"> from {kept.cameFrom}</span>}
      {kept.settings.notes && <>: {kept.settings.notes}</>}
      <span className={styles.exports}>
        <Link to={`/boards/${kept.boardId}/settings/${kept.version}/sheet`}>Print its sheet</Link>
        <a href={`${file}.json${asked}`} download>
          JSON
        </a>
        <a href={`${file}.md${asked}`} download>
          Markdown
        </a>
        <a href={`${file}.txt${asked}`} download>
          Short text
        </a>
        <a href={`${file}.zip${asked}`} download>
          All, with log and photos
        </a>
        <Form.Check
          type="checkbox"
          id={`own-${kept.version}`}
          label="With first-boot commands, wireless names and key comments"
          checked={own}
          onChange={(e) => setOwn(e.target.checked)}
        />
      </span>
      <span className={styles.exports}>
        <Button variant="link" size="sm" aria-expanded={open} onClick={() => setOpen(!open)}>
          Compare version {kept.version}
        </Button>
        <Button variant="link" size="sm" disabled={again.isPending} onClick={() => again.mutate(kept.version)}>
          Set the bench to version {kept.version}
        </Button>
      </span>
      <ProblemNote error={again.error} />
      {again.data && (
        <div role="status" className={styles.setUp}>
          <ul>
            {[...again.data.done, ...again.data.left].map((text) => (
              <li key={text}>{text}</li>
            ))}
          </ul>
        </div>
      )}
      {open && <Beside boardId={kept.boardId} version={kept.version} versions={versions} />}
    </li>
  );
}

/** The kept versions of a board, newest first. */
export function Versions({ versions }: { versions: KeptSettings[] }) {
  return (
    <section>
      <h2>Kept versions</h2>
      {versions.length === 0 && (
        <p className="quiet">
          None yet. A version is kept here of a boot that reached the login, or read from another bench.
        </p>
      )}
      <ul className={styles.versions}>
        {versions.map((v) => (
          <Version key={v.version} kept={v} versions={versions} />
        ))}
      </ul>
    </section>
  );
}
