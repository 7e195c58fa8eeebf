import { useEffect, useLayoutEffect, useRef } from "react";

/** Whether keys belong to what the reader is typing into. */
function isTyping(target: EventTarget | null): boolean {
  const element = target instanceof HTMLElement ? target : null;
  return (
    element !== null &&
    (element.isContentEditable ||
      ["INPUT", "TEXTAREA", "SELECT"].includes(element.tagName) ||
      element.closest("[role=dialog], [role=menu], .modal") !== null)
  );
}

/** Single keys for hands that are busy; never active while typing, and never with a modifier other than shift. */
export function useKeys(keys: Record<string, () => void>) {
  // What is shown and what its keys do change in one moment: an effect that comes later would still do what the page before did.
  const now = useRef(keys);
  useLayoutEffect(() => {
    now.current = keys;
  });
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.altKey || event.metaKey || event.defaultPrevented || isTyping(event.target)) return;
      const name = event.shiftKey && event.key.length === 1 ? `shift+${event.key.toLowerCase()}` : event.key;
      const action = now.current[name] ?? now.current[event.key];
      if (!action) return;
      if (event.key === " " && event.target instanceof HTMLElement && event.target.closest("button, a, summary"))
        return;
      event.preventDefault();
      action();
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
}
