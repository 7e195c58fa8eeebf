import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { useNavigate, useSearchParams } from "react-router";
import type { BoardInput, Catalogue } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useCatalogue } from "../shared/queries";
import { useSaveBoard } from "./queries";
import { onlyMemory } from "../shared/words";
import { ImportPanel } from "./ImportPanel";
import styles from "./NewBoardPage.module.css";
import { TellBoard } from "./TellBoard";
import type { Told } from "./TellBoard";
import { WhichBoard } from "./WhichBoard";

/** Puts a board on the bench: by whatever lies in front of a person, or as one whose card is here. What is connected to it is asked where it is needed. */
export default function NewBoardPage() {
  const catalogue = useCatalogue();
  const [search] = useSearchParams();
  const [told, setTold] = useState<Told | null>(null);
  const arriving = search.has("arrival");
  const known = catalogue.data && catalogue.data.models.length > 0 ? catalogue.data : null;
  return (
    <main className="page wide" id="page">
      <title>A new board · Buttonhook</title>
      <h1>Put a board on the bench</h1>
      <ProblemNote error={catalogue.error} />
      <div className={known && !arriving ? styles.ways : ""}>
        <ImportPanel level={2} />
        {known && !arriving && <KnownBoard catalogue={known} told={told} />}
      </div>
      {known && !arriving && <TellBoard catalogue={known} onUse={setTold} />}
    </main>
  );
}

/** A board whose card is here: what decides, and nothing that its log will tell. */
function KnownBoard({ catalogue, told }: { catalogue: Catalogue; told: Told | null }) {
  const go = useNavigate();
  const save = useSaveBoard(undefined);
  const only = catalogue.models.length === 1 ? catalogue.models[0] : undefined;
  const [input, setInput] = useState<BoardInput>({
    nickname: "",
    modelId: only?.id ?? "",
    revisionId: only?.revisions.length === 1 ? (only.revisions[0]?.id ?? "") : "",
    memoryMiB: onlyMemory(only),
    connected: { cardGb: null, screen: false, network: true, supplyId: null, adapterId: null },
    toldBy: [],
    ...told,
    simulated: false,
    faultId: null,
  });
  // What was told later changes the board, not what was typed.
  const [taken, setTaken] = useState(told);
  if (taken !== told) {
    setTaken(told);
    setInput({ ...input, ...told });
  }
  // Whoever chooses by what is printed has read it; without a print it is the person's own word.
  const toldBy = () => {
    if (told) return told.toldBy;
    const revision = catalogue.models
      .find((m) => m.id === input.modelId)
      ?.revisions.find((r) => r.id === input.revisionId);
    return [revision?.mark == null ? "person" : "mark"];
  };
  return (
    <section aria-labelledby="known-title" className={styles.known}>
      <h2 id="known-title">Or a board whose profile is here already</h2>
      <Form
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate(
            { ...input, toldBy: toldBy() },
            { onSuccess: (view) => void go(`/boards/${view.board.id}/match`) },
          );
        }}
      >
        <WhichBoard
          catalogue={catalogue}
          input={input}
          onChange={(change) => setInput((now) => ({ ...now, ...change }))}
        />
        <ProblemNote error={save.error} takeFocus />
        <Button type="submit" disabled={save.isPending}>
          Put it on the bench
        </Button>
      </Form>
    </section>
  );
}
