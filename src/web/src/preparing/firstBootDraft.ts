import { useEffect, useState } from "react";
import type { FirstBootInput, Preparation } from "../shared/api";
import { useSetFirstBoot } from "./queries";

interface Draft {
  /** What stands in the form. */
  input: FirstBootInput;
  /** What it was made from. */
  base: FirstBootInput;
  version: number;
  /** What another window changed meanwhile, in words. */
  elsewhere: string[];
}

/** What was typed and not set yet, by board: it stays when the person looks at another step. */
const drafts = new Map<string, Draft>();

/** The settings in words. */
export const labels: Partial<Record<keyof FirstBootInput, string>> = {
  hostName: "host name",
  user: "user",
  keys: "public keys",
  remoteLogin: "remote login",
  wireless: "wireless network",
  locale: "locale",
  timeZone: "time zone",
  keyboard: "keyboard",
  address: "fixed address",
  usbNetwork: "network over USB",
  videoMode: "video mode",
  consoleOn: "console and login",
  overlays: "overlays",
  lines: "key=value lines",
  packages: "packages",
  commands: "commands",
  recipes: "recipes",
};

const same = (a: unknown, b: unknown) => JSON.stringify(a ?? null) === JSON.stringify(b ?? null);

/** A setting in words. */
export const said = (value: unknown) =>
  value === null || value === undefined || value === "" || (Array.isArray(value) && value.length === 0)
    ? "nothing"
    : value === true
      ? "on"
      : value === false
        ? "off"
        : Array.isArray(value)
          ? value.join(", ")
          : typeof value === "object"
            ? Object.values(value as Record<string, unknown>)
                .filter((v) => typeof v === "string" && v !== "")
                .join(", ")
            : String(value as string | number);

const stored = (p: Preparation): FirstBootInput => ({
  ...p.set,
  password: null,
  wireless: p.set.wireless && { name: p.set.wireless.name, country: p.set.wireless.country, password: null },
  recipes: p.recipes.filter((r) => r.chosen).map((r) => r.recipe.id),
});

const fresh = (p: Preparation): Draft => {
  const input = stored(p);
  return { input, base: input, version: p.version, elsewhere: [] };
};

/** Brings a newer version in: what was not typed here takes its value, what was typed stays, and both are told. */
function merged(draft: Draft, p: Preparation): Draft {
  const theirs = stored(p);
  const input = { ...draft.input };
  const elsewhere: string[] = [];
  for (const key of Object.keys(labels) as (keyof FirstBootInput)[]) {
    if (same(theirs[key], draft.base[key])) continue;
    const mine = !same(draft.input[key], draft.base[key]) && !same(draft.input[key], theirs[key]);
    if (!mine) Object.assign(input, { [key]: theirs[key] });
    elsewhere.push(
      `The ${labels[key]} was set to ${said(theirs[key])}${mine ? `; yours, ${said(draft.input[key])}, is kept here` : ""}.`,
    );
  }
  return { input, base: theirs, version: p.version, elsewhere };
}

/** What a person types of the first-boot settings: kept until it is set, and never overwritten in silence. */
export function useFirstBootDraft(boardId: string, p: Preparation) {
  const save = useSetFirstBoot(boardId);
  const [draft, setDraft] = useState<Draft>(() => drafts.get(boardId) ?? fresh(p));
  const dirty = !same(draft.input, draft.base);
  const put = (next: Draft) => {
    if (same(next.input, next.base) && next.elsewhere.length === 0) drafts.delete(boardId);
    else drafts.set(boardId, next);
    setDraft(next);
  };
  // A newer version came from the server: of this window's own saving, or of somebody else's.
  if (p.version !== draft.version && !save.isPending) put(dirty ? merged(draft, p) : fresh(p));
  useEffect(() => {
    if (!dirty) return;
    const warn = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", warn);
    return () => window.removeEventListener("beforeunload", warn);
  }, [dirty]);
  return {
    input: draft.input,
    elsewhere: draft.elsewhere,
    dirty,
    saving: save.isPending,
    saved: save.isSuccess,
    error: save.error,
    set: (change: Partial<FirstBootInput>) => put({ ...draft, input: { ...draft.input, ...change } }),
    /** Stores what stands in the form; throws what speaks against it, and keeps it then. */
    store: async () => put(fresh(await save.mutateAsync({ ...draft.input, version: draft.version }))),
  };
}

export type FirstBootDraft = ReturnType<typeof useFirstBootDraft>;
