import { Button } from "react-bootstrap";
import { useNavigate, useSearchParams } from "react-router";
import type { BoardView, WorkStep } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useChooseImage, useCorrect } from "../shared/queries";
import { useStartBoot } from "../consoles/queries";
import { useLateGo } from "../shared/useLateGo";
import styles from "./NextThing.module.css";

/** The next thing: one action, why, how long it takes, and the caution if there is one. */
export function NextThing({
  view,
  step,
  strip = false,
}: {
  view: BoardView;
  step: WorkStep;
  /** Whether it lies as a strip however wide the window is. */
  strip?: boolean;
}) {
  const next = view.next[step];
  const board = view.board;
  const go = useNavigate();
  const late = useLateGo();
  const chooseImage = useChooseImage(board.id);
  const correct = useCorrect(board.id);
  const start = useStartBoot(board.id);
  const [search] = useSearchParams();
  if (!next) return null;
  const source = board.simulated
    ? { source: "simulated", speed: null }
    : view.port && { source: view.port.path, speed: view.port.speed };
  // Where the console is chosen stands the same button already.
  const here =
    step === "boot" && next.action === "start-boot" && !source && (!view.latestBootId || search.get("open") === "1");
  const busy = chooseImage.isPending || correct.isPending || start.isPending;
  const act = () => {
    switch (next.action) {
      case "open":
        void go(`/boards/${board.id}/${next.target}`);
        break;
      case "choose-image":
        {
          const then = late();
          chooseImage.mutate(next.target ?? "", { onSuccess: () => then(`/boards/${board.id}/prepare`) });
        }
        break;
      case "start-boot":
        if (source) {
          const then = late();
          start.mutate(source, { onSuccess: () => then(`/boards/${board.id}/boot`) });
        } else void go(`/boards/${board.id}/boot?open=1`);
        break;
      case "correct":
        // What was changed on a real board only the person knows.
        if (board.simulated) correct.mutate({ bootId: view.latestBootId ?? "", causeId: next.target ?? "" });
        else void go(`/boards/${board.id}/diagnose?correct=${next.target}`);
        break;
      case "new-board":
        void go("/boards/new");
        break;
    }
  };
  return (
    <section className={`${styles.next} ${strip ? "" : styles.stands}`} aria-label="The next thing">
      <h2>{next.title}</h2>
      <div className={styles.why}>
        {next.why.map((sentence) => (
          <p key={sentence}>{sentence} </p>
        ))}
        {next.caution && <p className={styles.caution}>{next.caution}</p>}
      </div>
      {next.label && !here && (
        <Button className={styles.button ?? ""} onClick={act} disabled={busy}>
          <span>{next.label}</span>
          {next.minutes > 0 && <span>{next.minutes} min</span>}
        </Button>
      )}
      <ProblemNote error={chooseImage.error ?? correct.error ?? start.error} />
    </section>
  );
}
