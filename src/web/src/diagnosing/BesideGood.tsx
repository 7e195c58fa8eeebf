import { Link } from "react-router";
import type { BootView } from "../shared/api";
import { stageNames } from "../shared/words";
import styles from "./Diagnose.module.css";
import { useBesideGood } from "./queries";

/** Lines of a kind that stand here; the rest is on the page of both logs. */
const most = 5;

function Lines({
  title,
  lines,
  count,
  boot,
  boardId,
}: {
  title: string;
  lines: { line: number; text: string }[];
  count: number;
  boot: string | null;
  boardId: string | null;
}) {
  if (count === 0) return null;
  return (
    <>
      <h3>
        {title} ({count})
      </h3>
      <ul className={styles.lines}>
        {lines.slice(0, most).map((l) => (
          <li key={l.line}>
            {boot ? <Link to={`/boards/${boardId}/boot?boot=${boot}&line=${l.line}`}>{l.line}</Link> : l.line}{" "}
            <code>{l.text.trim()}</code>
          </li>
        ))}
      </ul>
    </>
  );
}

/** The nearest good boot, and where this one parts from it. */
export function BesideGood({ boot }: { boot: BootView }) {
  const beside = useBesideGood(boot.id);
  if (!beside.data) return null;
  const { compared, bootId, boardId, of, number } = beside.data;
  const { parting } = compared;
  return (
    <section className={styles.good} aria-labelledby="beside-good">
      <h2 id="beside-good">Beside the good one</h2>
      <p>
        {bootId
          ? `Boot ${number} of ${of} reached the login.`
          : `No boot of this board, revision or image reached the login here yet. The nearest good one of the lab is ${of}.`}{" "}
        {parting === null
          ? "No line of either is missing in the other, times, numbers and order aside."
          : parting.here
            ? `From line ${parting.here.line} on, this one says what that one does not.`
            : `This one says nothing that is new; it lacks lines, the first of them line ${parting.there?.line} there.`}{" "}
        {bootId && <Link to={`/logs/beside/${boot.id}/${bootId}`}>Look at both</Link>}
      </p>
      <Lines title="Only here" lines={compared.new} count={compared.newCount} boot={boot.id} boardId={boot.boardId} />
      <Lines
        title="Missing here"
        lines={compared.missing}
        count={compared.missingCount}
        boot={bootId}
        boardId={boardId}
      />
      {compared.slower.map((s) => (
        <p key={s.stage}>
          {stageNames[s.stage]} took {s.here} s instead of {s.there} s.
        </p>
      ))}
    </section>
  );
}
