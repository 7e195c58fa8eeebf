import { useState } from "react";
import type { BoardView } from "../shared/api";
import { useCatalogue, useSaveBoard } from "../shared/queries";
import { BoardCardView } from "./BoardCardView";
import { BoardForm } from "./BoardForm";
import { TellBoard } from "./TellBoard";
import type { Told } from "./TellBoard";

/** Which board this is, how that is known, what it looks like, and what is connected to it. */
export function IdentifyPage({ view }: { view: BoardView }) {
  const catalogue = useCatalogue();
  const save = useSaveBoard(view.board.id);
  const [saved, setSaved] = useState(false);
  const [told, setTold] = useState<Told | null>(null);
  const { model, board } = view;
  return (
    <div className="identify">
      {catalogue.data && <TellBoard catalogue={catalogue.data} onUse={setTold} />}
      {catalogue.data && (
        <BoardForm
          key={told ? `${told.modelId} ${told.revisionId}` : board.id}
          catalogue={catalogue.data}
          start={{
            nickname: board.nickname,
            modelId: board.modelId,
            revisionId: board.revisionId,
            memoryMiB: board.memoryMiB,
            connected: board.connected,
            toldBy: board.toldBy,
            ...told,
            simulated: board.simulated,
            faultId: view.faultId,
          }}
          action="Save what changed"
          primary={false}
          error={save.error}
          busy={save.isPending}
          onSave={(input) => save.mutate(input, { onSuccess: () => setSaved(true) })}
        />
      )}
      <p role="status" className="quiet">
        {saved && !save.isPending ? "Saved." : ""}
      </p>
      <section aria-labelledby="board-card">
        <h2 id="board-card">What is known of the {model.name}</h2>
        <BoardCardView model={model} revisionId={board.revisionId} />
      </section>
    </div>
  );
}
