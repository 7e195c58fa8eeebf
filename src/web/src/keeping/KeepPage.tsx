import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useNavigate, useSearchParams } from "react-router";
import type { BoardView, Setting } from "../shared/api";
import { ReadSystem } from "../asking/ReadSystem";
import { useBoot } from "../consoles/queries";
import { ProblemNote } from "../shared/ProblemNote";
import { Differences } from "./Differences";
import { FirstLogin } from "./FirstLogin";
import { disputed, tally } from "./groups";
import styles from "./Keep.module.css";
import { MoveOff } from "./MoveOff";
import { OnNetwork } from "./OnNetwork";
import { useKeep, useSettings } from "./queries";
import { ReadIn } from "./ReadIn";
import { SettingList } from "./SettingList";
import { Versions } from "./Versions";

/** The settings with what the person says of them. */
const saying = (settings: Setting[], said: Record<string, string>): Setting[] =>
  settings.map((s) => {
    const text = said[s.id]?.trim();
    return text === undefined ? s : { ...s, said: text === "" || text === s.value ? null : text };
  });

const parts = [
  { id: "worked", name: "What worked" },
  { id: "login", name: "First login" },
  { id: "network", name: "On the network" },
  { id: "move", name: "Off the card" },
];

/** Keep: what worked, what to set after the first login, where the board is on the network, and its move off the card. */
export default function KeepPage({ view }: { view: BoardView }) {
  const id = view.board.id;
  const [search] = useSearchParams();
  const shown = parts.find((p) => p.id === search.get("show"))?.id ?? "worked";
  return (
    <>
      <nav aria-label="Parts of Keep" className={styles.parts}>
        {parts.map((p) => (
          <Link
            key={p.id}
            to={p.id === "worked" ? `/boards/${id}/keep` : `/boards/${id}/keep?show=${p.id}`}
            aria-current={p.id === shown ? "page" : undefined}
          >
            {p.name}
          </Link>
        ))}
      </nav>
      {shown === "worked" && <WhatWorked view={view} />}
      {shown === "login" && <FirstLogin boardId={id} />}
      {shown === "network" && <OnNetwork boardId={id} />}
      {shown === "move" && <MoveOff boardId={id} />}
    </>
  );
}

/** The working settings: filled in from the boot that reached the login, completed by hand, kept as a version. */
function WhatWorked({ view }: { view: BoardView }) {
  const id = view.board.id;
  const settings = useSettings(id);
  const boot = useBoot(settings.data?.bootId ?? undefined);
  const go = useNavigate();
  const keep = useKeep(id);
  const [notes, setNotes] = useState("");
  const [said, setSaid] = useState<Record<string, string>>({});
  const [both, setBoth] = useState(false);
  if (settings.error) return <ProblemNote error={settings.error} />;
  if (!settings.data) return <p aria-busy="true">Reading the log.</p>;
  const { draft, bootId, problem, versions, differ, regression } = settings.data;
  const newest = versions[0]?.version ?? 0;
  const shown = draft ? saying(draft.settings, said) : [];
  const against = shown.filter(disputed);
  return (
    <div className={styles.keep}>
      <div>
        {problem && (
          <p className="lead">
            {problem.expected} {problem.came}{" "}
            <Link to={`/boards/${id}/${bootId ? "diagnose" : "boot"}`}>{problem.toDo}</Link>
          </p>
        )}
        {boot.data?.live && (
          <ReadSystem
            boot={boot.data}
            imageId={view.board.imageId}
            brief
            onLine={(line) => void go(`/boards/${id}/boot?boot=${boot.data.id}&line=${line}`)}
          />
        )}
        {regression && (
          <section aria-labelledby="regression-title" className={styles.regression}>
            <h2 id="regression-title">No longer as version {regression.version} says</h2>
            <Differences differences={regression.differences} />
          </section>
        )}
        {draft && bootId && (
          <section aria-labelledby="settings-title">
            <h2 id="settings-title">What worked for {draft.nickname}</h2>
            <p className={styles.tally}>{tally(shown)}.</p>
            <SettingList
              settings={shown}
              logOf={`/boards/${id}/boot?boot=${bootId}`}
              onSay={(setting, text) => setSaid({ ...said, [setting]: text })}
            />
          </section>
        )}
      </div>
      <div>
        {draft && bootId && (
          <Form
            className={styles.form}
            onSubmit={(e) => {
              e.preventDefault();
              keep.mutate(
                { bootId, notes, said, after: newest, disputed: both },
                {
                  onSuccess: () => {
                    setNotes("");
                    setSaid({});
                    setBoth(false);
                  },
                },
              );
            }}
          >
            <h2>Keep it</h2>
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
            {differ.length > 0 && (
              <p className="caution" role="note">
                <strong>Look at this before you keep it.</strong> The log and the bench say different things; both sides
                stand in the list.
              </p>
            )}
            {against.length > 0 && (
              <Form.Check
                type="checkbox"
                id="keep-both"
                className="mt-2"
                label={`Keep both where I say other than what is proven (${against.map((s) => s.name).join(", ")}). The proven value leads.`}
                checked={both}
                onChange={(e) => setBoth(e.target.checked)}
              />
            )}
            <Button
              type="submit"
              variant={view.settingsKept || view.next.keep?.label ? "outline-secondary" : "primary"}
              disabled={keep.isPending}
            >
              Keep as version {newest + 1}
            </Button>
            <ProblemNote error={keep.error} takeFocus />
          </Form>
        )}
        <Versions versions={versions} />
        <ReadIn boardId={id} nickname={view.board.nickname} newest={newest} />
      </div>
    </div>
  );
}
