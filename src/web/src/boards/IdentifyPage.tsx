import { useState } from "react";
import type { BoardView } from "../shared/api";
import { useCatalogue, useSaveBoard } from "../shared/queries";
import { BoardForm } from "./BoardForm";

/** Which board this is, how that is known, what it looks like, and what is connected to it. */
export function IdentifyPage({ view }: { view: BoardView }) {
  const catalogue = useCatalogue();
  const save = useSaveBoard(view.board.id);
  const [saved, setSaved] = useState(false);
  const { model, board } = view;
  return (
    <div className="identify">
      <dl className="facts">
        <div>
          <dt>Processor</dt>
          <dd>{model.processor}</dd>
        </div>
        <div>
          <dt>Starts from</dt>
          <dd>{model.bootMedia.join(", then ")}</dd>
        </div>
        <div>
          <dt>Console</dt>
          <dd>
            <code>
              {model.console.device} {model.console.speed}
            </code>
            . {model.console.pins}
          </dd>
        </div>
        <div>
          <dt>Supply</dt>
          <dd>
            {model.power.volts} V, {model.power.amps} A, {model.power.connector}
          </dd>
        </div>
        <div>
          <dt>Lights</dt>
          <dd>{model.lights.map((l) => `${l.name}, ${l.pattern}: ${l.meaning.toLowerCase()}`).join(". ")}</dd>
        </div>
        {model.quirks.length > 0 && (
          <div>
            <dt>Mind</dt>
            <dd>{model.quirks.join(" ")}</dd>
          </div>
        )}
      </dl>
      {catalogue.data && (
        <BoardForm
          key={board.id}
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
    </div>
  );
}
