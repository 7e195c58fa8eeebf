import { useState } from "react";

/** A choice that this browser remembers; null until somebody chose. */
export function useStored(key: string): [string | null, (value: string) => void] {
  const name = `buttonhook-${key}`;
  const [value, setValue] = useState(() => localStorage.getItem(name));
  return [
    value,
    (next) => {
      localStorage.setItem(name, next);
      setValue(next);
    },
  ];
}
