import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { BootView } from "../shared/api";
import { useKeys } from "../shared/keys";
import { NameAndPassword } from "../shared/NameAndPassword";
import { ProblemNote } from "../shared/ProblemNote";
import { useCatalogue } from "../shared/queries";
import { useEndTyping } from "../consoles/queries";
import styles from "./Asking.module.css";
import { useReadSystem, useSystem } from "./queries";
import { useStopAtAnyKey } from "./useStopAtAnyKey";

/** Reads a running system for the record in one press: logs in where a login waits, types commands that only read, and shows what each told. */
export function ReadSystem({
  boot,
  imageId,
  brief = false,
  onLine,
}: {
  boot: BootView;
  imageId: string | null;
  /** Whether the record stands below, so that what was told need not stand here too. */
  brief?: boolean;
  onLine: (line: number) => void;
}) {
  const { live, typing } = boot;
  const system = useSystem(boot.id, live);
  const read = useReadSystem(boot.boardId, boot.id);
  const end = useEndTyping(boot.id);
  const catalogue = useCatalogue();
  const [typedName, setName] = useState<string | null>(null);
  const name = typedName ?? catalogue.data?.images.find((i) => i.id === imageId)?.defaultUser ?? "";
  const [password, setPassword] = useState("");
  const busy = live && typing?.state === "waiting";
  const running = busy && typing.name === "Read this system";
  useStopAtAnyKey(running, () => end.mutate(undefined));
  const { atShell, atLogin, commands, told } = system.data ?? {
    atShell: false,
    atLogin: false,
    commands: [],
    told: [],
  };
  const can = live && !busy && !read.isPending;
  useKeys({ q: () => can && atShell && read.mutate({ user: "", password: "" }) });
  if (!system.data || (!running && !atShell && !atLogin && told.length === 0)) return null;
  return (
    <section className={styles.ask} aria-label="Read this system">
      <div className={styles.head}>
        <div>
          {running ? (
            <p role="status">
              <strong>Reading this system.</strong> {typing.says}
            </p>
          ) : atShell ? (
            <p>
              <strong>A user’s shell waits at the console.</strong> {commands.length} commands that only read fill the
              record. <span className="quiet">about {commands.length} s</span>
            </p>
          ) : atLogin ? (
            <p>
              <strong>A login waits at the console.</strong> Log in, and {commands.length} commands that only read fill
              the record.
            </p>
          ) : (
            <p>
              <strong>What this system told when it was read.</strong>
            </p>
          )}
        </div>
        {running ? (
          <Button variant="outline-secondary" onClick={() => end.mutate(undefined)}>
            Stop <kbd>any key</kbd>
          </Button>
        ) : (
          atShell && (
            <Button variant="outline-secondary" disabled={!can} onClick={() => read.mutate({ user: "", password: "" })}>
              Read this system <kbd>q</kbd>
            </Button>
          )
        )}
      </div>
      {atLogin && !running && (
        <Form
          className={styles.login}
          onSubmit={(e) => {
            e.preventDefault();
            read.mutate({ user: name, password });
          }}
        >
          <NameAndPassword id="read" name={name} onName={setName} password={password} onPassword={setPassword} />
          <Button type="submit" variant="outline-secondary" disabled={!can || name === ""}>
            Log in and read this system
          </Button>
        </Form>
      )}
      {(atShell || atLogin) && (
        <details className={styles.which}>
          <summary>The commands</summary>
          <ol>
            {commands.map((c) => (
              <li key={c}>
                <code>{c}</code>
              </li>
            ))}
          </ol>
        </details>
      )}
      {told.length > 0 && (
        <details className={styles.which} open={!brief}>
          <summary>
            {told.filter((t) => t.value !== null).length} of {told.length} told something
          </summary>
          <dl className={styles.told} aria-label="What the system told">
            {told.map((t) => (
              <div key={t.setting}>
                <dt>{t.name}</dt>
                <dd>
                  {t.value ?? <span className="quiet">not told</span>}{" "}
                  <button type="button" className="btn btn-link p-0" onClick={() => onLine(t.line)}>
                    line {t.line}
                  </button>
                </dd>
              </div>
            ))}
          </dl>
        </details>
      )}
      <ProblemNote error={read.error ?? end.error} />
    </section>
  );
}
