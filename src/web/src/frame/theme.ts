const key = "buttonhook-theme";

export type Theme = "light" | "dark";

/** The theme that the reader chose, or the one of the system. */
export function currentTheme(): Theme {
  const chosen = localStorage.getItem(key);
  if (chosen === "light" || chosen === "dark") return chosen;
  return window.matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

/** Shows a theme, and keeps it when it was chosen. */
export function applyTheme(chosen?: Theme) {
  if (chosen) localStorage.setItem(key, chosen);
  document.documentElement.dataset.bsTheme = chosen ?? currentTheme();
}
