import type { Setting, Standing } from "../shared/api";

/** What settings are about, in the order of the work. */
const titles: Record<string, string> = {
  board: "Board",
  image: "Image",
  card: "Card",
  console: "Console",
  supply: "Supply",
  before: "Before power",
  first: "Before the first boot",
  system: "System",
  time: "Times since power",
  network: "Network",
  met: "What was met",
  more: "More",
};

export const standings: Record<Standing, { word: string; button: string }> = {
  proven: { word: "proven", button: "reached" },
  claimed: { word: "claimed", button: "open" },
  differs: { word: "differs", button: "stopped" },
  unknown: { word: "not known", button: "hidden" },
};

/** Whether a person says other than what is proven. */
export const disputed = (setting: Setting) =>
  setting.standing === "proven" && Boolean(setting.said) && setting.value !== null;

/** What counts of a setting: what is proven, else what the person said, else what is told. */
export const counts = (setting: Setting) =>
  (setting.standing === "proven" ? (setting.value ?? setting.said) : (setting.said ?? setting.value)) ?? null;

/** The settings by what they are about; groups without any are left out. */
export function grouped(settings: Setting[]): { about: string; title: string; settings: Setting[] }[] {
  const about = (s: Setting) => s.id.slice(0, s.id.indexOf("."));
  const known = Object.keys(titles);
  const others = [...new Set(settings.map(about))].filter((a) => !known.includes(a));
  return [...known, ...others]
    .map((a) => ({ about: a, title: titles[a] ?? a, settings: settings.filter((s) => about(s) === a) }))
    .filter((g) => g.settings.length > 0);
}

/** How many settings stand on what, in one line. */
export function tally(settings: Setting[]): string {
  const count = (standing: Standing) =>
    settings.filter((s) => s.standing === standing && (!s.said || disputed(s))).length;
  const said = settings.filter((s) => s.said && !disputed(s)).length;
  return [
    `${count("proven")} proven`,
    `${count("claimed")} claimed`,
    said > 0 && `${said} as you say`,
    count("differs") > 0 &&
      `${count("differs")} ${count("differs") === 1 ? "differs" : "differ"} between the log and the bench`,
    count("unknown") > 0 && `${count("unknown")} not known`,
  ]
    .filter(Boolean)
    .join(", ");
}
