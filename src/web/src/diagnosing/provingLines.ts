import type { RankedCause } from "../shared/api";

type Evidence = RankedCause["evidence"][number];

/** A line that proves something; equal ones are one, with how many there are and where the others stand. */
export type ProvingLine = { line: number; text: string; says: string | null; times: number; also: number[] };

/** A line without the time that the kernel puts before it. */
const plain = (text: string) => text.replace(/^\s*\[\s*\d+\.\d+\]\s?/, "").trim();

/** The lines of some evidence in their order, each text once. */
export function linesOf(evidence: Evidence[]): ProvingLine[] {
  const byText = new Map<string, ProvingLine>();
  for (const e of evidence) {
    if (e.line <= 0) continue;
    const known = byText.get(plain(e.text));
    if (known) known.also.push(e.line);
    else
      byText.set(plain(e.text), {
        line: e.line,
        text: e.text,
        says: e.says,
        times: Math.max(1, e.times ?? 1),
        also: [],
      });
  }
  for (const line of byText.values()) line.times = Math.max(line.times, line.also.length + 1);
  return [...byText.values()];
}

/** What no single line shows: an absence, an order, a measure. */
export const saysWithoutLine = (evidence: Evidence[]) =>
  evidence.filter((e) => e.line <= 0 && e.says).map((e) => e.says ?? "");
