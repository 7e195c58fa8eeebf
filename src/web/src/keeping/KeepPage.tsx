import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import type { BoardView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useKeep, useSettings } from "../shared/queries";
import { clock, day, memory, stageNames } from "../shared/words";

/** The working settings: filled in from the boot that reached the login, completed by hand, kept as a version. */
export function KeepPage({ view }: { view: BoardView }) {
  const settings = useSettings(view.board.id);
  const keep = useKeep(view.board.id);
  const [notes, setNotes] = useState("");
  const [hostname, setHostname] = useState("");
  const [rootDevice, setRootDevice] = useState("");
  if (settings.error) return <ProblemNote error={settings.error} />;
  if (!settings.data) return null;
  const { draft, bootId, problem, versions, contradictions } = settings.data;
  const newest = versions[0];
  const rows: [string, string][] = draft
    ? [
        [
          "Board",
          [
            [draft.maker, draft.model].filter(Boolean).join(" "),
            `revision ${draft.revision}`,
            draft.memoryMiB === null ? null : memory(draft.memoryMiB),
            draft.instructionSet,
          ]
            .filter(Boolean)
            .join(", "),
        ],
        ["Image", draft.image ?? "not known"],
        ["Card", draft.cardGb ? `${draft.cardGb} GB` : "not known"],
        ["Supply", draft.supply ?? "not known"],
        ["Console", [draft.console, draft.adapter].filter(Boolean).join(", ")],
        ["Kernel", draft.kernel ?? "not in the log"],
        ["System", draft.os ?? "not in the log"],
        ["Root device", draft.rootDevice ?? "not in the log"],
        ["Host name", draft.hostname ?? "not in the log"],
        ["Addresses", draft.addresses.join(", ") || "none in the log"],
        [
          "Stage times",
          draft.stageTimes.map((s) => `${stageNames[s.stage].toLowerCase()} ${clock(s.seconds)}`).join(", ") ||
            "not known: the log came without arrival times",
        ],
        ["Changed", draft.changes.join(" ") || "nothing"],
      ]
    : [];
  return (
    <div className="keep">
      {problem && (
        <p className="lead">
          {problem.expected} {problem.came}{" "}
          <Link to={`/boards/${view.board.id}/${bootId ? "diagnose" : "boot"}`}>{problem.toDo}</Link>
        </p>
      )}
      {draft && bootId && (
        <section className="settings-card" aria-labelledby="settings-title">
          <h2 id="settings-title">What worked for {draft.nickname}</h2>
          <dl>
            {rows.map(([name, value]) => (
              <div key={name}>
                <dt>{name}</dt>
                <dd>{value}</dd>
              </div>
            ))}
          </dl>
          <Form
            onSubmit={(e) => {
              e.preventDefault();
              keep.mutate(
                { bootId, notes, hostname: hostname || null, rootDevice: rootDevice || null },
                { onSuccess: () => setNotes("") },
              );
            }}
          >
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
              <div className="contradictions" role="note">
                <p>
                  <strong>Look at this before you keep it.</strong> The log and the bench say different things:
                </p>
                <ul>
                  {contradictions.map((c) => (
                    <li key={c}>{c}</li>
                  ))}
                </ul>
              </div>
            )}
            <Button
              type="submit"
              variant={view.settingsKept ? "outline-secondary" : "primary"}
              disabled={keep.isPending}
            >
              Keep as version {(newest?.version ?? 0) + 1}
            </Button>
            <ProblemNote error={keep.error} />
          </Form>
        </section>
      )}
      {versions.length > 0 && (
        <section>
          <h2>Kept versions</h2>
          <ul className="versions">
            {versions.map((v) => (
              <li key={v.version}>
                <strong>Version {v.version}</strong>, {day(v.savedAt)}
                {v.settings.notes && <>: {v.settings.notes}</>}
                <span className="exports">
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
      )}
    </div>
  );
}
