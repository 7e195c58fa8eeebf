import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import type { BoardView, SettingRow, Standing } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useKeep, useSettings } from "./queries";
import { StageButton } from "../shared/StageButton";
import { day } from "../shared/words";
import styles from "./Keep.module.css";

const standings: Record<Standing, { word: string; button: string }> = {
  proven: { word: "proven", button: "reached" },
  claimed: { word: "claimed", button: "open" },
  differs: { word: "differs", button: "stopped" },
  unknown: { word: "not known", button: "hidden" },
};

/** How many settings stand on what, in one line. */
function tally(rows: SettingRow[]): string {
  const count = (standing: Standing) => rows.filter((r) => r.standing === standing).length;
  return [
    `${count("proven")} proven`,
    `${count("claimed")} claimed`,
    count("differs") > 0 &&
      `${count("differs")} ${count("differs") === 1 ? "differs" : "differ"} between the log and the bench`,
    count("unknown") > 0 && `${count("unknown")} not known`,
  ]
    .filter(Boolean)
    .join(", ");
}

/** The working settings: filled in from the boot that reached the login, completed by hand, kept as a version. */
export default function KeepPage({ view }: { view: BoardView }) {
  const settings = useSettings(view.board.id);
  const keep = useKeep(view.board.id);
  const [notes, setNotes] = useState("");
  const [hostname, setHostname] = useState("");
  const [rootDevice, setRootDevice] = useState("");
  if (settings.error) return <ProblemNote error={settings.error} />;
  if (!settings.data) return <p aria-busy="true">Reading the log.</p>;
  const { draft, bootId, problem, versions, contradictions, rows } = settings.data;
  const newest = versions[0];
  return (
    <div className={draft ? styles.keep : ""}>
      {problem && (
        <p className="lead">
          {problem.expected} {problem.came}{" "}
          <Link to={`/boards/${view.board.id}/${bootId ? "diagnose" : "boot"}`}>{problem.toDo}</Link>
        </p>
      )}
      {draft && bootId && (
        <section aria-labelledby="settings-title">
          <h2 id="settings-title">What worked for {draft.nickname}</h2>
          <p className={styles.tally}>{tally(rows)}.</p>
          <dl className={styles.rows}>
            {rows.map((row) => (
              <div key={row.name + (row.value ?? "")} className={styles[row.standing]}>
                <dt>{row.name}</dt>
                <dd>
                  {row.value ?? <span className="quiet">not known</span>}
                  {row.standing === "differs" && <span className={styles.differ}>{row.source}</span>}
                </dd>
                <dd className={styles.standing}>
                  <StageButton state={standings[row.standing].button} size={15} />
                  <span>
                    {standings[row.standing].word}
                    {row.standing !== "differs" && row.standing !== "unknown" && (
                      <span className="quiet">
                        {": "}
                        {row.line ? (
                          <Link to={`/boards/${view.board.id}/boot?boot=${bootId}&line=${row.line}`}>
                            line {row.line}
                          </Link>
                        ) : (
                          row.source
                        )}
                      </span>
                    )}
                  </span>
                </dd>
              </div>
            ))}
          </dl>
        </section>
      )}
      <div>
        {draft && bootId && (
          <Form
            className={styles.form}
            onSubmit={(e) => {
              e.preventDefault();
              keep.mutate(
                { bootId, notes, hostname: hostname || null, rootDevice: rootDevice || null },
                { onSuccess: () => setNotes("") },
              );
            }}
          >
            <h2>Keep it</h2>
            {draft.hostname === null && (
              <Form.Group controlId="kept-hostname">
                <Form.Label>Host name, which the log does not tell</Form.Label>
                <Form.Control value={hostname} maxLength={64} onChange={(e) => setHostname(e.target.value)} />
              </Form.Group>
            )}
            {draft.rootDevice === null && (
              <Form.Group controlId="kept-root">
                <Form.Label>Root device, which the log does not tell</Form.Label>
                <Form.Control value={rootDevice} maxLength={120} onChange={(e) => setRootDevice(e.target.value)} />
              </Form.Group>
            )}
            <Form.Group controlId="notes">
              <Form.Label>Notes for the next board</Form.Label>
              <Form.Control
                as="textarea"
                rows={3}
                maxLength={4000}
                value={notes}
                onChange={(e) => setNotes(e.target.value)}
              />
            </Form.Group>
            {contradictions.length > 0 && (
              <p className="caution" role="note">
                <strong>Look at this before you keep it.</strong> The log and the bench say different things; both sides
                stand in the list.
              </p>
            )}
            <Button
              type="submit"
              variant={view.settingsKept || view.next.keep?.label ? "outline-secondary" : "primary"}
              disabled={keep.isPending}
            >
              Keep as version {(newest?.version ?? 0) + 1}
            </Button>
            <ProblemNote error={keep.error} takeFocus />
          </Form>
        )}
        <section>
          <h2>Kept versions</h2>
          {versions.length === 0 && (
            <p className="quiet">
              None yet. A version is kept here of a boot that reached the login, and can be taken as JSON or Markdown.
            </p>
          )}
          <ul className={styles.versions}>
            {versions.map((v) => (
              <li key={v.version}>
                <strong>Version {v.version}</strong>, {day(v.savedAt)}
                {v.settings.notes && <>: {v.settings.notes}</>}
                <span className={styles.exports}>
                  <a href={`/api/boards/${view.board.id}/settings/${v.version}.json`} download>
                    JSON
                  </a>
                  <a href={`/api/boards/${view.board.id}/settings/${v.version}.md`} download>
                    Markdown
                  </a>
                  <a href={`/api/boards/${view.board.id}/settings/${v.version}.zip`} download>
                    Both, with photos
                  </a>
                </span>
              </li>
            ))}
          </ul>
        </section>
      </div>
    </div>
  );
}
