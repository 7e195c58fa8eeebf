import { Form } from "react-bootstrap";
import { ProblemNote } from "../shared/ProblemNote";
import { useCheckEdited } from "./queries";
import styles from "./Prepare.module.css";

/** Looks for what a person's own editor did to a boot file. */
export function EditedFile({ boardId }: { boardId: string }) {
  const check = useCheckEdited(boardId);
  return (
    <details className={styles.told}>
      <summary>A boot file that you edited yourself</summary>
      <Form.Group controlId="edited-file">
        <Form.Label>Choose it, and see what a loader would stumble over</Form.Label>
        <Form.Control
          type="file"
          onChange={(e) => {
            const file = (e.target as HTMLInputElement).files?.[0];
            if (file) check.mutate(file);
          }}
        />
      </Form.Group>
      <ProblemNote error={check.error} />
      {check.data && (
        <div role="status">
          {check.data.rightName && (
            <p className="refused">
              Its name has a hidden ending: it must be called <code>{check.data.rightName}</code>.
            </p>
          )}
          {check.data.traps.length === 0 && !check.data.rightName && <p>Nothing is wrong with it.</p>}
          <ul>
            {check.data.traps.map((t) => (
              <li key={t.text} className={t.mended ? "" : "refused"}>
                {t.text} {!t.mended && "This only you can mend."}
              </li>
            ))}
          </ul>
          {check.data.traps.length > 0 && (
            <>
              <p>Clean, it is:</p>
              <pre className="command-line" tabIndex={0} aria-label="The clean text">
                {check.data.clean}
              </pre>
            </>
          )}
        </div>
      )}
    </details>
  );
}
