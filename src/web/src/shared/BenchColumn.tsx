import { useState } from "react";
import { NavLink, useLocation } from "react-router";
import { LyingPlacket } from "./Placket";
import { useBench, useShelves } from "./queries";
import { applyTheme, currentTheme } from "./theme";
import { clock } from "./words";

/** The left side: the boards on the bench, and the shelves below it. */
export function BenchColumn({ onFind }: { onFind: () => void }) {
  const bench = useBench();
  const shelves = useShelves();
  const [open, setOpen] = useState(false);
  const [theme, setTheme] = useState(currentTheme);
  const location = useLocation();
  const [shownAt, setShownAt] = useState(location.pathname);
  if (shownAt !== location.pathname) {
    setShownAt(location.pathname);
    setOpen(false);
  }
  const other = theme === "dark" ? "light" : "dark";
  return (
    <header className={`bench-column ${open ? "unfolded" : ""}`}>
      <div className="brand-row">
        <NavLink to="/" className="brand" end>
          <svg width="26" height="26" viewBox="0 0 26 26" fill="none" aria-hidden="true">
            <path
              d="M3 23 14 12.500c1.800-1.800 4.300-.2 4 1.700-.4 2.100-3.400 2.200-3.600.2M14 12.500c-2.600-3-1.300-8.300 3-8.800 4.600-.5 6.700 4.800 4.200 8"
              stroke="currentColor"
              strokeWidth="2"
              strokeLinecap="round"
            />
          </svg>
          <span>Buttonhook</span>
        </NavLink>
        <button type="button" className="fold" aria-expanded={open} onClick={() => setOpen(!open)}>
          Bench
        </button>
      </div>
      <div className="bench-body">
        <nav aria-label="On the bench">
          <p className="kicker">On the bench</p>
          <ul className="bench-list">
            {bench.data?.map((b) => (
              <li key={b.id}>
                <NavLink to={`/boards/${b.id}`} className={({ isActive }) => (isActive ? "active" : "")}>
                  <span className="nickname">{b.nickname}</span>
                  <span className="model">{b.model}</span>
                  <LyingPlacket stages={b.placket} />
                  <span className="word">
                    <span>{b.word}</span>
                    {b.seconds !== null && <span className="time">{clock(b.seconds)}</span>}
                  </span>
                </NavLink>
              </li>
            ))}
          </ul>
        </nav>
        <nav className="shelves" aria-label="Below the bench">
          <NavLink to="/boards/new">
            Put a board on the bench <kbd>a</kbd>
          </NavLink>
          <NavLink to="/cards">
            Board cards <span className="count">{shelves.data?.models}</span>
          </NavLink>
          <NavLink to="/images">
            Image shelf <span className="count">{shelves.data?.images}</span>
          </NavLink>
          <NavLink to="/logs">
            Log drawer <span className="count">{shelves.data?.logs}</span>
          </NavLink>
          <NavLink to="/rules">
            Rule book <span className="count">{shelves.data?.rules}</span>
          </NavLink>
          <NavLink to="/changes">Last changes</NavLink>
          <button type="button" onClick={onFind}>
            Find anything <kbd>/</kbd>
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
        </nav>
      </div>
    </header>
  );
}
