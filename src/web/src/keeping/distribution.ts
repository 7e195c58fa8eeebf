/** How many boots took how long to the login. */
export type TimeClass = { from: number; to: number; boots: number };

const classes = 8;

/** Sorts times in seconds, the shortest first, into up to eight classes of equal width, whole seconds each; none for no times. */
export function distribution(seconds: number[]): TimeClass[] {
  const least = seconds[0];
  const most = seconds[seconds.length - 1];
  if (least === undefined || most === undefined) return [];
  const width = Math.max(1, Math.ceil((most - least + 1) / classes));
  const first = Math.floor(least);
  return Array.from({ length: Math.floor((most - first) / width) + 1 }, (_, n) => {
    const from = first + n * width;
    return { from, to: from + width, boots: seconds.filter((s) => s >= from && s < from + width).length };
  });
}
