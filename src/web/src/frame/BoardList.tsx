import { NavLink } from "react-router";
import { LyingStageBar } from "../shared/StageBar";
import type { BoardSummary } from "../shared/api";
import { clock } from "../shared/words";
import styles from "./Bench.module.css";
import { benchGroups, isGrouped } from "./groups";
import { useStored } from "./useStored";

/** The boards on the bench, each with its stage bar; many of them are grouped by what they wait for, and a group folds. */
export function BoardList({
  boards,
  text,
  rail,
}: {
  boards: BoardSummary[];
  text: string;
  /** Whether there is only room for the stage bars: a line parts the groups then. */
  rail: boolean;
}) {
  const [closed, setClosed] = useStored("closed-groups");
  const folded = (closed ?? "").split(" ").filter(Boolean);
  const compact = isGrouped(boards);
  const groups = benchGroups(boards, text);
  if (boards.length > 0 && groups.every((g) => g.boards.length === 0))
    return <p className={styles.none}>No board has these words.</p>;
  return groups.map((group) => {
    const isClosed = !rail && text === "" && group.waits !== null && folded.includes(group.waits);
    const list = (
      <ul className={styles.list}>
        {group.boards.map((b) => (
          <li key={b.id}>
            <NavLink
              to={`/boards/${b.id}`}
              className={({ isActive }) =>
                [styles.board, compact && styles.compact, isActive && styles.active].filter(Boolean).join(" ")
              }
            >
              <span className={styles.nickname}>{b.nickname}</span>
              {!compact && <span className={styles.model}>{b.model}</span>}
              <LyingStageBar stages={b.stageBar} size={compact ? 10 : 13} />
              <span className={styles.word}>
                <span className={styles.says}>{b.word}</span>
                {b.seconds !== null && <span className="time">{clock(b.seconds)}</span>}
              </span>
            </NavLink>
          </li>
        ))}
      </ul>
    );
    if (group.name === null || group.waits === null) return <div key="all">{list}</div>;
    const { waits } = group;
    return (
      <div key={waits} role="group" aria-label={group.name}>
        {rail ? (
          <hr />
        ) : (
          <button
            type="button"
            className={styles.group}
            aria-expanded={!isClosed}
            onClick={() => setClosed((isClosed ? folded.filter((f) => f !== waits) : [...folded, waits]).join(" "))}
          >
            <span>{group.name}</span> <span className="time">{group.boards.length}</span>
          </button>
        )}
        {!isClosed && list}
      </div>
    );
  });
}
