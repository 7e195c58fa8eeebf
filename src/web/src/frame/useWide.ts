import { useSyncExternalStore } from "react";

/** Whether the window is at least so many CSS pixels wide. */
export function useWide(pixels: number): boolean {
  const query = window.matchMedia(`(min-width: ${pixels}px)`);
  return useSyncExternalStore(
    (changed) => {
      query.addEventListener("change", changed);
      return () => query.removeEventListener("change", changed);
    },
    () => query.matches,
  );
}
