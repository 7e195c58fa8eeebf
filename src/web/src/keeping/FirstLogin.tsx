import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import type { LoginTask, LoginTaskState } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { StageButton } from "../shared/StageButton";
import styles from "./FirstLogin.module.css";
import { useFirstLogin, useSendCommand, useTellTask } from "./queries";

const states: Record<LoginTaskState, { word: string; button: string }> = {
  open: { word: "to do", button: "open" },
  proven: { word: "done", button: "reached" },
  told: { word: "done, as you say", button: "now" },
  failed: { word: "did not take", button: "stopped" },
};

/** One thing to do, with its exact command, sent by one button; ticked where the console shows that it happened. */
function Task({ task, boardId, bootId, live }: { task: LoginTask; boardId: string; bootId: string; live: boolean }) {
  const [name, setName] = useState("");
  const send = useSendCommand();
  const tell = useTellTask(boardId);
  const command = task.command?.replaceAll("{name}", name.trim() || "NAME") ?? null;
  const done = task.state === "proven" || task.state === "told";
  const { word, button } = states[task.state];
  return (
    <li className={styles.task}>
      <StageButton state={button} size={20} />
      <div>
        <h3>
          {task.title} <span className={styles.word}>{word}</span>
          {task.line && (
            <Link to={`/boards/${boardId}/boot?boot=${bootId}&line=${task.line}`} className={styles.word}>
              line {task.line}
            </Link>
          )}
        </h3>
        {task.tells && <p>{task.tells}</p>}
        {!done && <p className="quiet">{task.why}</p>}
        {!done && task.needs && <p className={styles.needs}>{task.needs}</p>}
        {!done && task.caution && <p className="caution">{task.caution}</p>}
        {!done && task.asks && (
          <Form.Control
            size="sm"
            className={styles.name ?? ""}
            aria-label={task.asks}
            placeholder={task.asks}
            maxLength={31}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        )}
        {!done && command && !task.needs && <code className={styles.command}>{command}</code>}
        {task.state !== "proven" && (
          <p className={styles.hands}>
            {command && live && !task.needs && (
              <Button
                size="sm"
                variant="outline-secondary"
                disabled={send.isPending || (task.asks !== null && !/^[a-z_][a-z0-9_-]*$/.test(name.trim()))}
                onClick={() => send.mutate({ bootId, command })}
              >
                Send: {task.title}
              </Button>
            )}
            <Button
              size="sm"
              variant="link"
              onClick={() => tell.mutate({ task: task.id, done: task.state !== "told" })}
            >
              {task.state === "told" ? "It was not done" : "Say that it is done"}
              <span className="visually-hidden">: {task.title}</span>
            </Button>
            {task.minutes && <span className="quiet">{task.minutes}</span>}
            {task.ran > 0 && (
              <span className="quiet" title="Systems of the lab that ran this command and showed its proof">
                ran on {task.ran} {task.ran === 1 ? "system" : "systems"}
              </span>
            )}
          </p>
        )}
        <ProblemNote error={send.error ?? tell.error} />
      </div>
    </li>
  );
}

/** What to set after the first login, made for this image and these wishes. */
export function FirstLogin({ boardId }: { boardId: string }) {
  const first = useFirstLogin(boardId);
  if (first.error) return <ProblemNote error={first.error} />;
  if (!first.data) return <p aria-busy="true">Reading the console.</p>;
  const { bootId, live, tasks, user } = first.data;
  if (!bootId)
    return (
      <p>
        The list is made when the login is reached with this card. <Link to={`/boards/${boardId}/boot`}>Boot it.</Link>
      </p>
    );
  const done = tasks.filter((t) => t.state === "proven" || t.state === "told").length;
  return (
    <section aria-labelledby="first-login-title">
      <h2 id="first-login-title">After the first login</h2>
      <p role="status">
        {done} of {tasks.length} done.{" "}
        {live ? (
          <>
            A command is sent when a shell waits at the console: log in there first
            {user && <> (the image has {user})</>}, and <Link to={`/boards/${boardId}/boot`}>look there</Link> at what
            comes back. What asks for a secret waits for you.
          </>
        ) : (
          "The console is no longer captured: what is done now is told by you, or by the next boot."
        )}
      </p>
      <ul className={styles.tasks}>
        {tasks.map((t) => (
          <Task key={t.id} task={t} boardId={boardId} bootId={bootId} live={live} />
        ))}
      </ul>
    </section>
  );
}
