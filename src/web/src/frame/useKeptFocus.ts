import { useEffect, useRef } from "react";
import { useLocation } from "react-router";

/** Gives something the focus that has no place in the order of the tab key. */
function take(element: HTMLElement) {
  if (!element.matches("a, button, input, select, textarea, [tabindex]")) element.tabIndex = -1;
  element.focus({ preventScroll: true });
}

/** Keeps the focus out of the void: when what had it is gone, it goes to what stood around; on another page, to the page. */
export function useKeptFocus() {
  const { pathname } = useLocation();
  useEffect(() => {
    let around: HTMLElement[] = [];
    const remember = (event: FocusEvent) => {
      around = [];
      for (let e = event.target as HTMLElement | null; e && e !== document.body; e = e.parentElement) around.push(e);
    };
    const watch = new MutationObserver(() => {
      if (document.activeElement !== document.body || around.length === 0 || around[0]?.isConnected) return;
      const left = around.find((e) => e.isConnected && e.id !== "root");
      around = [];
      const page = document.getElementById("page");
      // A dialog that closed gives the focus back itself; what is left of it is nothing to stand on.
      if (left && page?.contains(left)) take(left);
      else if (page) take(page);
    });
    document.addEventListener("focusin", remember);
    watch.observe(document.body, { childList: true, subtree: true });
    return () => {
      document.removeEventListener("focusin", remember);
      watch.disconnect();
    };
  }, []);
  const opened = useRef(pathname);
  useEffect(() => {
    // Where somebody begins the browser decides; from there on a page that was gone to has the focus.
    if (opened.current === pathname) return;
    opened.current = "";
    // The page may still be loading; what it focuses itself comes first.
    let frames = 0;
    let frame = requestAnimationFrame(function look() {
      const page = document.getElementById("page");
      if (page && page.ariaBusy !== "true") {
        if (document.activeElement === document.body || document.activeElement === null) take(page);
        return;
      }
      if (frames++ < 120) frame = requestAnimationFrame(look);
    });
    return () => cancelAnimationFrame(frame);
  }, [pathname]);
}
