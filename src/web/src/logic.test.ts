import { describe, expect, it } from "vitest";
import { nextOf } from "./consoles/nextOf";
import { linesOf, saysWithoutLine } from "./diagnosing/provingLines";
import { benchGroups } from "./frame/groups";
import { distribution } from "./keeping/distribution";
import type { BoardSummary, RankedCause } from "./shared/api";
import { binary, clock, decimal, duration, percent } from "./shared/words";

describe("times of boots in classes", () => {
  it("are none without times and one for equal ones", () => {
    expect(distribution([])).toEqual([]);
    expect(distribution([4.2, 4.9])).toEqual([{ from: 4, to: 5, boots: 2 }]);
  });

  it("hold every boot once, in at most eight classes that join", () => {
    for (let n = 1; n < 200; n++) {
      const seconds = Array.from({ length: n }, (_, i) => ((i * 7919) % 1000) / 7 + n / 3).sort((a, b) => a - b);
      const classes = distribution(seconds);
      expect(classes.length).toBeLessThanOrEqual(8);
      expect(classes.reduce((sum, c) => sum + c.boots, 0)).toBe(n);
      classes.slice(1).forEach((c, i) => expect(c.from).toBe(classes[i]?.to));
    }
  });
});

describe("going from one line to the next", () => {
  it("begins again at either end", () => {
    expect(nextOf([3, 8, 20], null, 1)).toBe(3);
    expect(nextOf([3, 8, 20], 8, 1)).toBe(20);
    expect(nextOf([3, 8, 20], 20, 1)).toBe(3);
    expect(nextOf([3, 8, 20], 3, -1)).toBe(20);
    expect(nextOf([], 3, 1)).toBeUndefined();
  });
});

describe("lines that prove a cause", () => {
  const evidence = (line: number, text: string, says: string | null = null) =>
    ({ line, text, says, times: 1 }) as RankedCause["evidence"][number];

  it("are one where they differ by the kernel's time alone, with how many there are", () => {
    const lines = linesOf([
      evidence(7, "[    1.000000] mmc0: error -110"),
      evidence(9, "[    2.500000] mmc0: error -110"),
      evidence(12, "VFS: Cannot open root device"),
    ]);
    expect(lines.map((l) => [l.line, l.times, l.also])).toEqual([
      [7, 2, [9]],
      [12, 1, []],
    ]);
  });

  it("are apart from what no line shows", () => {
    const all = [evidence(0, "", "No login came."), evidence(3, "x")];
    expect(linesOf(all)).toHaveLength(1);
    expect(saysWithoutLine(all)).toEqual(["No login came."]);
  });
});

describe("boards on the bench", () => {
  const board = (nickname: string, waits: string) =>
    ({ nickname, model: "Quill V", word: "Ready", waits }) as BoardSummary;

  it("stand in one list while they are few, and are found by all words", () => {
    const groups = benchGroups([board("Costard", "boot"), board("Bramley", "look")], "QUILL cost");
    expect(groups).toHaveLength(1);
    expect(groups[0]?.boards.map((b) => b.nickname)).toEqual(["Costard"]);
  });

  it("are grouped when they are many, those that need a person first, and none is lost", () => {
    const many = Array.from({ length: 12 }, (_, i) => board(`Row ${i}`, i % 3 === 0 ? "look" : "nothing"));
    const groups = benchGroups(many, "");
    expect(groups.map((g) => g.waits)).toEqual(["look", "nothing"]);
    expect(groups.flatMap((g) => g.boards)).toHaveLength(12);
  });
});

describe("figures in words", () => {
  it("keep their units and never round to nothing or all", () => {
    expect([clock(7), clock(92), clock(-3)]).toEqual(["0:07", "1:32", "−0:03"]);
    expect([binary(1023), binary(4096), binary(3 * 2 ** 30)]).toEqual(["1023 bytes", "4 KiB", "3.0 GiB"]);
    expect([decimal(812e6), decimal(1.2e9)]).toEqual(["812 MB", "1.2 GB"]);
    expect([percent(0), percent(0.001), percent(0.999), percent(1)]).toEqual(["0 %", "< 1 %", "> 99 %", "100 %"]);
    expect([duration(12), duration(120), duration(7200)]).toEqual(["12 s", "2 min", "2.0 h"]);
  });
});
