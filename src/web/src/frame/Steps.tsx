import { useEffect, useRef } from "react";
import { NavLink } from "react-router";
import type { BoardView, WorkStep } from "../shared/api";
import { StageButton } from "../shared/StageButton";
import { stepNames } from "../shared/words";
import styles from "./Steps.module.css";

/** The steps of the work, joined by stitches; done ones are stitched through. */
export function Steps({ view, step }: { view: BoardView; step: WorkStep }) {
  const list = useRef<HTMLOListElement>(null);
  // On a narrow window the steps go sideways: the one that is shown is in view.
  useEffect(() => {
    const now = list.current?.querySelector<HTMLElement>("[aria-current]");
    if (now && list.current) list.current.scrollLeft = now.offsetLeft - list.current.clientWidth / 2;
  }, [step]);
  return (
    <nav className={styles.steps} aria-label="Steps of the work">
      <ol ref={list}>
        {view.steps.map((s, i) => (
          <li key={s.step} className={s.done ? styles.done : ""}>
            <NavLink to={`/boards/${view.board.id}/${s.step}`} aria-current={s.step === step ? "step" : undefined}>
              <StageButton state={s.step === step ? "now" : s.done ? "reached" : "open"} size={18} />
              {stepNames[s.step]}
              <span className="visually-hidden">{s.done ? ", done" : ""}</span>
            </NavLink>
            {i < view.steps.length - 1 && <span className={styles.stitch} aria-hidden="true" />}
          </li>
        ))}
      </ol>
    </nav>
  );
}
