import { useNavigate } from "react-router";
import { ProblemNote } from "../shared/ProblemNote";
import { useCatalogue, useSaveBoard } from "../shared/queries";
import { useState } from "react";
import { onlyMemory } from "../shared/words";
import { ArrivalPanel } from "./ArrivalPanel";
import { BoardForm } from "./BoardForm";
import { TellBoard } from "./TellBoard";
import type { Told } from "./TellBoard";

/** Puts a board on the bench. */
export function NewBoardPage() {
  const go = useNavigate();
  const catalogue = useCatalogue();
  const save = useSaveBoard(undefined);
  const [told, setTold] = useState<Told | null>(null);
  const first = catalogue.data?.models[0];
  return (
    <main className="page wide" id="page">
      <title>A new board · Buttonhook</title>
      <h1>Put a board on the bench</h1>
      <ArrivalPanel level={2} />
      <ProblemNote error={catalogue.error} />
      {first && <h2 className="second">Or a board whose card is here already</h2>}
      {catalogue.data && first && <TellBoard catalogue={catalogue.data} onUse={setTold} />}
      {catalogue.data && first && (
        <BoardForm
          key={told ? `${told.modelId} ${told.revisionId}` : "new"}
          catalogue={catalogue.data}
          start={{
            nickname: "",
            modelId: first.id,
            revisionId: first.revisions.at(-1)?.id ?? "",
            memoryMiB: onlyMemory(first),
            connected: { cardGb: null, screen: false, network: true, supplyId: null, adapterId: null },
            toldBy: ["mark"],
            ...told,
            simulated: false,
            faultId: null,
          }}
          action="Put it on the bench"
          primary
          error={save.error}
          busy={save.isPending}
          onSave={(input) => save.mutate(input, { onSuccess: (view) => void go(`/boards/${view.board.id}/match`) })}
        />
      )}
    </main>
  );
}
