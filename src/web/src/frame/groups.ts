import type { BoardSummary } from "../shared/api";

type Waits = BoardSummary["waits"];

/** From how many boards on they are grouped by what they wait for. */
const grouped = 9;

const groupNames: [Waits, string][] = [
  ["look", "Needs a look"],
  ["keep", "Works, not kept yet"],
  ["boot", "Ready to boot"],
  ["time", "On its way"],
  ["card", "Needs a card"],
  ["nothing", "Working settings"],
];

/** Some boards and what they wait for; `name` is null where all stand in one list. */
export type BenchGroup = { waits: Waits | null; name: string | null; boards: BoardSummary[] };

/** The boards whose names hold all the words, in groups where there are many: those that need a person first. */
export function benchGroups(boards: BoardSummary[], text: string): BenchGroup[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = boards.filter((b) =>
    words.every((w) => `${b.nickname} ${b.model} ${b.word}`.toLowerCase().includes(w)),
  );
  if (boards.length < grouped) return [{ waits: null, name: null, boards: found }];
  return groupNames
    .map(([waits, name]) => ({ waits, name, boards: found.filter((b) => b.waits === waits) }))
    .filter((g) => g.boards.length > 0);
}

/** Whether there are so many boards that they are grouped. */
export const isGrouped = (boards: BoardSummary[]) => boards.length >= grouped;
