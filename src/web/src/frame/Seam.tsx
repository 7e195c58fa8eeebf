import { NavLink } from "react-router";
import type { BoardView, SeamStep } from "../shared/api";
import { StageButton } from "../shared/StageButton";
import { stepNames } from "../shared/words";
import styles from "./Seam.module.css";

/** The seam: the steps of the work joined by stitches; done ones are stitched through. */
export function Seam({ view, step }: { view: BoardView; step: SeamStep }) {
  return (
    <nav className={styles.seam} aria-label="Steps of the work">
      <ol>
        {view.seam.map((s, i) => (
          <li key={s.step} className={s.done ? styles.done : ""}>
            <NavLink to={`/boards/${view.board.id}/${s.step}`} aria-current={s.step === step ? "step" : undefined}>
              <StageButton state={s.step === step ? "now" : s.done ? "reached" : "open"} size={18} />
              {stepNames[s.step]}
              <span className="visually-hidden">{s.done ? ", done" : ""}</span>
            </NavLink>
            {i < view.seam.length - 1 && <span className={styles.stitch} aria-hidden="true" />}
          </li>
        ))}
      </ol>
    </nav>
  );
}
