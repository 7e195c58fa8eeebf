import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import type { Setting } from "../shared/api";
import { StageButton } from "../shared/StageButton";
import { counts, disputed, grouped, standings } from "./groups";
import styles from "./Keep.module.css";

/** What a setting stands on: a line of the log to go to, or words. */
function StandsOn({ setting, logOf }: { setting: Setting; logOf: string | null }) {
  const { word, button } = standings[setting.standing];
  if (setting.said && !disputed(setting))
    return (
      <>
        <StageButton state="open" size={15} />
        <span>as you say</span>
      </>
    );
  return (
    <>
      <StageButton state={button} size={15} />
      <span>
        {word}
        {setting.standing !== "differs" && setting.standing !== "unknown" && (
          <span className="quiet">
            {": "}
            {setting.line && logOf ? (
              <Link to={`${logOf}&line=${setting.line}`}>line {setting.line}</Link>
            ) : (
              setting.source
            )}
            {disputed(setting) && "; you say otherwise"}
          </span>
        )}
      </span>
    </>
  );
}

function Row({
  setting,
  logOf,
  onSay,
}: {
  setting: Setting;
  logOf: string | null;
  onSay: ((id: string, text: string) => void) | null;
}) {
  const [editing, setEditing] = useState(false);
  const [text, setText] = useState("");
  const begin = () => {
    setText(setting.said ?? counts(setting) ?? "");
    setEditing(true);
  };
  const name = setting.value === null && !setting.said ? "Complete" : "Correct";
  return (
    <div className={styles[setting.said && !disputed(setting) ? "claimed" : setting.standing]}>
      <dt>{setting.name}</dt>
      <dd>
        {editing ? (
          <Form
            className={styles.saying}
            onSubmit={(e) => {
              e.preventDefault();
              onSay?.(setting.id, text);
              setEditing(false);
            }}
          >
            <Form.Control
              size="sm"
              autoFocus
              aria-label={`${setting.name}, as you say`}
              maxLength={2000}
              value={text}
              onChange={(e) => setText(e.target.value)}
              onKeyDown={(e) => e.key === "Escape" && setEditing(false)}
            />
            <Button size="sm" type="submit" variant="outline-secondary">
              Say it
            </Button>
          </Form>
        ) : (
          <>
            {counts(setting) ?? <span className="quiet">not known</span>}
            {setting.said && setting.value && (
              <span className="quiet">
                {" "}
                {disputed(setting) ? `(you say: ${setting.said})` : `(told: ${setting.value})`}
              </span>
            )}
            {setting.standing === "differs" && <span className={styles.differ}>{setting.source}</span>}
          </>
        )}
      </dd>
      <dd className={styles.standing}>
        <StandsOn setting={setting} logOf={logOf} />
        {onSay && !editing && (
          <Button variant="link" size="sm" onClick={begin} aria-label={`${name} ${setting.name}`}>
            {name}
          </Button>
        )}
      </dd>
    </div>
  );
}

/** Settings by what they are about, each with what it stands on; each can be completed or corrected. */
export function SettingList({
  settings,
  logOf,
  onSay,
}: {
  settings: Setting[];
  /** Where the lines of the log are shown; null where there is no log. */
  logOf: string | null;
  /** Hears what a person says of a setting; null where nothing is changed. */
  onSay: ((id: string, text: string) => void) | null;
}) {
  return grouped(settings).map((group) => (
    <section key={group.about} aria-label={group.title} className={styles.group}>
      <h3>{group.title}</h3>
      <dl className={styles.rows}>
        {group.settings.map((s) => (
          <Row key={s.id} setting={s} logOf={logOf} onSay={onSay} />
        ))}
      </dl>
    </section>
  ));
}
