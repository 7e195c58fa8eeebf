import { useEffect, useRef, useState } from "react";
import { NavLink, useLocation } from "react-router";
import { useBench, useShelves } from "../shared/queries";
import styles from "./Bench.module.css";
import { BoardList } from "./BoardList";
import { isGrouped } from "./groups";
import { applyTheme, currentTheme } from "./theme";

/** How long a pointer rests on the folded bench before it opens. */
const restMilliseconds = 180;

/** The left side: the boards on the bench and the shelves below it. Folded it is a rail, over which the bench lies as long as a pointer or the focus is there. */
export function BenchColumn({
  folded,
  onFold,
  onFind,
  onKeys,
  onShare,
}: {
  folded: boolean;
  /** Folds or opens it for good; null where there is nothing to fold. */
  onFold: (() => void) | null;
  onFind: () => void;
  onKeys: () => void;
  onShare: () => void;
}) {
  const bench = useBench();
  const shelves = useShelves();
  const location = useLocation();
  const [text, setText] = useState("");
  const [unfolded, setUnfolded] = useState(false);
  const [peeking, setPeeking] = useState(false);
  const [theme, setTheme] = useState(currentTheme);
  const [shownAt, setShownAt] = useState(location.pathname);
  const resting = useRef<ReturnType<typeof setTimeout>>(undefined);
  useEffect(() => () => clearTimeout(resting.current), []);
  if (shownAt !== location.pathname) {
    setShownAt(location.pathname);
    setUnfolded(false);
    setPeeking(false);
  }
  const peek = (now: boolean) => {
    clearTimeout(resting.current);
    setPeeking(now);
  };
  const boards = bench.data ?? [];
  const other = theme === "dark" ? "light" : "dark";
  const rail = folded && !peeking;
  const listedAlready = location.pathname === "/" && !isGrouped(boards);
  return (
    <header
      id="bench"
      className={[styles.column, folded && styles.folded, rail && styles.rail, unfolded && styles.unfolded]
        .filter(Boolean)
        .join(" ")}
      onPointerEnter={(e) => {
        if (e.pointerType === "mouse") resting.current = setTimeout(() => setPeeking(true), restMilliseconds);
      }}
      onPointerLeave={() => peek(false)}
      onFocus={(e) => {
        if (e.target.matches(":focus-visible")) peek(true);
      }}
      onBlur={(e) => {
        if (!e.currentTarget.contains(e.relatedTarget)) peek(false);
      }}
      onKeyDown={(e) => {
        if (e.key === "Escape") peek(false);
      }}
    >
      <div className={styles.inner}>
        <div className={styles.top}>
          <NavLink to="/" className={styles.brand ?? ""} end>
            <svg width="26" height="26" viewBox="0 0 26 26" fill="none" aria-hidden="true">
              <path
                d="M3 23 14 12.500c1.800-1.800 4.300-.2 4 1.700-.4 2.100-3.400 2.200-3.600.2M14 12.500c-2.600-3-1.300-8.300 3-8.800 4.600-.5 6.700 4.800 4.200 8"
                stroke="currentColor"
                strokeWidth="2"
                strokeLinecap="round"
              />
            </svg>
            <span className={styles.wordmark}>Buttonhook</span>
          </NavLink>
          <button
            type="button"
            className={styles.phone}
            aria-expanded={unfolded}
            onClick={() => setUnfolded(!unfolded)}
          >
            Bench
          </button>
        </div>
        {/* The bench's own page shows them all; of many it is the list that is searched. */}
        <nav className={styles.boards} aria-label="On the bench" hidden={listedAlready}>
          {isGrouped(boards) ? (
            <input
              type="search"
              className={`form-control form-control-sm ${styles.search}`}
              aria-label="Find a board on the bench"
              placeholder={`Find one of ${boards.length}`}
              value={text}
              onChange={(e) => setText(e.target.value)}
            />
          ) : (
            <p className={styles.kicker}>On the bench</p>
          )}
          <BoardList boards={boards} text={text} rail={rail} />
        </nav>
        <nav className={styles.foot} aria-label="Below the bench">
          <NavLink to="/boards/new">
            Put a board on the bench <kbd>a</kbd>
          </NavLink>
          <p className={styles.kicker}>On the shelf</p>
          <NavLink to="/images">
            Image shelf <span className="time">{shelves.data?.images}</span>
          </NavLink>
          <NavLink to="/logs">
            Log drawer <span className="time">{shelves.data?.logs}</span>
          </NavLink>
          <NavLink to="/profiles">
            Board profiles <span className="time">{shelves.data?.models}</span>
          </NavLink>
          <NavLink to="/parts">
            Parts drawer <span className="time">{shelves.data?.parts}</span>
          </NavLink>
          <NavLink to="/rules">
            Rule book <span className="time">{shelves.data?.rules}</span>
          </NavLink>
          <p className={styles.kicker}>All boards together</p>
          <NavLink to="/batches">Batches</NavLink>
          <NavLink to="/learnt">Statistics</NavLink>
          <NavLink to="/practice">Practice</NavLink>
          <hr />
          <button type="button" onClick={onFind}>
            Find anything <kbd>/</kbd>
          </button>
          <NavLink to="/changes">Undo history</NavLink>
          <button type="button" onClick={onShare}>
            On another device
          </button>
          <button
            type="button"
            onClick={() => {
              applyTheme(other);
              setTheme(other);
            }}
          >
            {other === "dark" ? "Dark" : "Light"} theme
          </button>
          {onFold && (
            <button type="button" className={styles.fold} onClick={onFold}>
              {folded ? "Keep the bench open" : "Fold the bench"} <kbd>b</kbd>
            </button>
          )}
        </nav>
        {/* On a touch screen nothing hovers: the rail has the three keys as buttons. */}
        <div className={styles.railFoot} role="group" aria-label="Keys">
          <button type="button" aria-label="Open the bench" onClick={onFold ?? undefined}>
            <kbd>b</kbd>
          </button>
          <button type="button" aria-label="Find anything, on the rail" onClick={onFind}>
            <kbd>/</kbd>
          </button>
          <button type="button" aria-label="All keys" onClick={onKeys}>
            <kbd>?</kbd>
          </button>
        </div>
      </div>
    </header>
  );
}
