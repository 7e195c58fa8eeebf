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
    // Who leaves something that could keep the focus wants to; what is taken away, switched off or hidden loses it against their will,
    // which shows behind the event only.
    const forget = (event: FocusEvent) => {
      const left = event.target as HTMLElement;
      queueMicrotask(() => {
        if (left === around[0] && left.isConnected && !left.matches(":disabled") && left.checkVisibility()) around = [];
      });
    };
    const watch = new MutationObserver(() => {
      const [last] = around;
      if (!last || document.activeElement !== document.body) return;
      if (last.isConnected) {
        // Switched off while an answer is on its way, it gets the focus back with it.
        if (!last.matches(":disabled") && last.checkVisibility()) last.focus({ preventScroll: true });
        return;
      }
      const left = around.find((e) => e.isConnected && e.id !== "root");
      around = [];
      const page = document.getElementById("page");
      // A dialog that closed gives the focus back itself; what is left of it is nothing to stand on.
      if (left && page?.contains(left)) take(left);
      else if (page) take(page);
    });
    document.addEventListener("focusin", remember);
    document.addEventListener("focusout", forget);
    watch.observe(document.body, { childList: true, subtree: true, attributeFilter: ["disabled"] });
    return () => {
      document.removeEventListener("focusin", remember);
      document.removeEventListener("focusout", forget);
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
