import { Button } from "react-bootstrap";
import type { BootView } from "../shared/api";
import { useKeys } from "../shared/keys";
import { ProblemNote } from "../shared/ProblemNote";
import { useEndTyping } from "../consoles/queries";
import { AskedSteps } from "./AskedSteps";
import styles from "./Asking.module.css";
import { TriedList } from "./TriedList";
import { TryIt } from "./TryIt";
import { useStopAtAnyKey } from "./useStopAtAnyKey";
import { useAsk, useAsked, useTry } from "./queries";

/** Asks the board itself: shows who waits and the first command, asks on one press, and shows each answer with what it changed. Any key stops it. */
export function AskBoard({ boot, boardId }: { boot: BootView; boardId: string }) {
  const asked = useAsked(boot.id, boot.live);
  const ask = useAsk(boardId, boot.id);
  const stop = useEndTyping(boot.id);
  const attempt = useTry(boardId, boot.id);
  const running = boot.live && asked.data?.state === "waiting";
  const first = asked.data?.first ?? null;
  const { mutate: end } = stop;
  useKeys({ q: () => !running && first && !ask.isPending && ask.mutate(undefined) });
  useStopAtAnyKey(running, () => end(undefined));
  if (!asked.data) return null;
  const { who, says, steps, trial, tried } = asked.data;
  if (!running && !first && !trial && steps.length === 0 && tried.length === 0 && !says) return null;
  return (
    <section className={styles.ask} aria-label="Ask the board">
      <div className={styles.head}>
        <div>
          {running ? (
            <p role="status">
              <strong>Asking the board.</strong> {says}
            </p>
          ) : first ? (
            <p>
              <strong>{who && who.charAt(0).toUpperCase() + who.slice(1)} waits at the console.</strong> {first.asks}{" "}
              <code>{first.command}</code> <span className="quiet">reads only, about {first.seconds} s</span>
            </p>
          ) : null}
          {!running && says && <p role="status">{says}</p>}
        </div>
        {running ? (
          <Button variant="outline-secondary" onClick={() => end(undefined)}>
            Stop <kbd>any key</kbd>
          </Button>
        ) : first ? (
          <Button variant="outline-secondary" disabled={ask.isPending} onClick={() => ask.mutate(undefined)}>
            Ask the board <kbd>q</kbd>
          </Button>
        ) : null}
      </div>
      <AskedSteps steps={steps} boardId={boardId} bootId={boot.id} />
      <TriedList tried={tried} boardId={boardId} />
      {trial && !running && boot.typing?.state !== "waiting" && (
        <TryIt trial={trial} busy={attempt.isPending} onTry={() => attempt.mutate(trial.id)} />
      )}
      <ProblemNote error={ask.error ?? stop.error ?? attempt.error} />
    </section>
  );
}
