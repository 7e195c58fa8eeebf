import { EditList } from "../shared/EditList";
import { ProblemNote } from "../shared/ProblemNote";
import { useEdits } from "../shared/queries";

/** The last forty changes of boards, profiles, images and parts. */
export default function ChangesPage() {
  const edits = useEdits();
  return (
    <main className="page wide" id="page">
      <title>Undo history · Buttonhook</title>
      <h1>Undo history</h1>
      <p className="lead">The last forty changes of boards, profiles, images and parts. Each can be taken back.</p>
      <ProblemNote error={edits.error} />
      {edits.data?.length === 0 && <p>Nothing was changed yet.</p>}
      {edits.data && <EditList edits={edits.data} linked />}
    </main>
  );
}
