import { useEffect } from "react";

/** Ends what types by itself at the next key, wherever that is pressed. */
export function useStopAtAnyKey(running: boolean, end: () => void) {
  useEffect(() => {
    if (!running) return;
    const stopIt = (event: KeyboardEvent) => {
      if (["Shift", "Control", "Alt", "Meta", "Tab"].includes(event.key)) return;
      event.preventDefault();
      event.stopPropagation();
      end();
    };
    window.addEventListener("keydown", stopIt, true);
    return () => window.removeEventListener("keydown", stopIt, true);
  }, [running, end]);
}
