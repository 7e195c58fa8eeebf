import { useState } from "react";
import { Button } from "react-bootstrap";
import { useNavigate } from "react-router";
import type { BoardView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useCatalogue, useRemove } from "../shared/queries";
import { useSaveBoard } from "./queries";
import { BoardProfileView } from "./BoardProfileView";
import { BoardFacts } from "./BoardFacts";
import { BoardPhotos } from "./BoardPhotos";
import { BoardForm } from "./BoardForm";
import { TellBoard } from "./TellBoard";
import type { Told } from "./TellBoard";

/** Which board this is, how that is known, what it looks like, and what is connected to it. */
export default function IdentifyPage({ view }: { view: BoardView }) {
  const catalogue = useCatalogue();
  const save = useSaveBoard(view.board.id);
  const remove = useRemove();
  const twin = useSaveBoard(undefined);
  const go = useNavigate();
  const [saved, setSaved] = useState(false);
  const [told, setTold] = useState<Told | null>(null);
  const { model, board } = view;
  return (
    <div>
      <BoardFacts view={view} />
      {catalogue.data && <TellBoard catalogue={catalogue.data} onUse={setTold} />}
      {catalogue.data && (
        <BoardForm
          key={board.id}
          told={told}
          catalogue={catalogue.data}
          start={{
            nickname: board.nickname,
            modelId: board.modelId,
            revisionId: board.revisionId,
            memoryMiB: board.memoryMiB,
            connected: board.connected,
            toldBy: board.toldBy,
            simulated: board.simulated,
            faultId: view.faultId,
            version: view.version,
          }}
          error={save.error}
          busy={save.isPending}
          onSave={(input) => save.mutate({ ...input, version: view.version }, { onSuccess: () => setSaved(true) })}
        />
      )}
      <p role="status" className="quiet">
        {saved && !save.isPending ? "Saved." : ""}
      </p>
      <p>
        <Button
          variant="outline-secondary"
          size="sm"
          disabled={remove.isPending}
          onClick={() => remove.mutate({ kind: "board", id: board.id }, { onSuccess: () => void go("/") })}
        >
          Remove {board.nickname} from the bench
        </Button>{" "}
        <span className="quiet">With its logs and settings; it can be taken back there.</span>
      </p>
      {!board.simulated && (
        <p>
          <Button
            variant="outline-secondary"
            size="sm"
            disabled={twin.isPending}
            onClick={() =>
              twin.mutate(
                {
                  nickname: `${board.nickname.slice(0, 35)} twin`,
                  modelId: board.modelId,
                  revisionId: board.revisionId,
                  memoryMiB: board.memoryMiB,
                  connected: board.connected,
                  toldBy: board.toldBy,
                  simulated: true,
                  faultId: null,
                },
                { onSuccess: (made) => void go(`/boards/${made.board.id}/match`) },
              )
            }
          >
            Rehearse with a simulated twin
          </Button>{" "}
          <span className="quiet">
            Another board on the bench that follows this one's profile and can hurt nothing.
          </span>
        </p>
      )}
      <ProblemNote error={remove.error ?? twin.error} />
      <BoardPhotos boardId={board.id} nickname={board.nickname} />
      <section aria-labelledby="board-card">
        <h2 id="board-card">What is known of the {model.name}</h2>
        <BoardProfileView model={model} revisionId={board.revisionId} />
      </section>
    </div>
  );
}
