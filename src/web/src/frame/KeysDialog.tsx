import { Modal } from "react-bootstrap";
import styles from "./Dialogs.module.css";

const keys: [string, string][] = [
  ["/", "find anything"],
  ["b", "the bench; on a board's pages it opens and folds beside them"],
  ["shift+b", "all boards"],
  ["a", "put a board on the bench"],
  ["1 to 7", "the steps"],
  ["[ and ]", "previous and next board"],
  ["p", "in Boot: power applied or taken; of a simulated board, its switch"],
  ["space", "in Boot: mark what you see"],
  ["e and shift+e", "in Boot: next and previous evidence"],
  ["s, t", "in Boot: next stage, next start; with shift the previous"],
  ["Home, End", "in Boot: first and last line"],
  ["f", "in Boot: find in this log"],
  ["w", "in Boot: wrap long lines, or scroll them sideways"],
  ["r", "in Boot: every control character, or the lines"],
  ["v", "in Boot: the terminal, or the lines; shift+Esc leaves it"],
  ["m", "in Boot: more for the hands: log in, paste slowly, sequences, the line"],
  ["q", "in Boot and Diagnose: ask the board; any key stops it"],
  ["u", "in Boot: use the speed that reads what arrives"],
  ["o", "open the adapter that was plugged in just now"],
  ["l", "in Boot: large, readable across the room"],
  ["?", "this list"],
];

/** All single keys. */
export default function KeysDialog({ onClose }: { onClose: () => void }) {
  return (
    <Modal show onHide={onClose} aria-labelledby="keys-title" animation={false}>
      <Modal.Body className={styles.find ?? ""}>
        <h2 id="keys-title">Keys</h2>
        <dl className={styles.keys}>
          {keys.map(([key, what]) => (
            <div key={key}>
              <dt>
                <kbd>{key}</kbd>
              </dt>
              <dd>{what}</dd>
            </div>
          ))}
        </dl>
        <p className="quiet">Disabled while typing. Each has a button too.</p>
        <button type="button" className="btn btn-outline-secondary" onClick={onClose}>
          Close
        </button>
      </Modal.Body>
    </Modal>
  );
}
