import { Button } from "react-bootstrap";
import { useNavigate } from "react-router";
import type { BoardView, SeamStep } from "./api";
import { ProblemNote } from "./ProblemNote";
import { useChooseImage, useCorrect, useStartBoot } from "./queries";
import { useLateGo } from "./useLateGo";

/** The next thing: one action, why, how long it takes, and the caution if there is one. */
export function NextPanel({ view, step }: { view: BoardView; step: SeamStep }) {
  const next = view.next[step];
  const board = view.board;
  const go = useNavigate();
  const late = useLateGo();
  const chooseImage = useChooseImage(board.id);
  const correct = useCorrect(board.id);
  const start = useStartBoot(board.id);
  if (!next) return null;
  const source = board.simulated
    ? { source: "simulated", speed: null }
    : view.port && { source: view.port.path, speed: view.port.speed };
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
    <aside className="next-thing" aria-label="The next thing">
      <p className="kicker">The next thing</p>
      <h2>{next.title}</h2>
      {next.why.map((sentence) => (
        <p key={sentence}>{sentence}</p>
      ))}
      {next.label && (
        <Button className="next-button" onClick={act} disabled={busy}>
          <span>{next.label}</span>
          {next.minutes > 0 && <span>{next.minutes} min</span>}
        </Button>
      )}
      <ProblemNote error={chooseImage.error ?? correct.error ?? start.error} />
      {next.caution && <p className="caution">{next.caution}</p>}
    </aside>
  );
}
