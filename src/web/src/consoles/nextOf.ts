/** The next of some sorted lines behind or before one; round the end it begins again. */
export function nextOf(lines: number[], from: number | null, direction: 1 | -1): number | undefined {
  const at = from ?? (direction === 1 ? 0 : Infinity);
  return direction === 1
    ? (lines.find((n) => n > at) ?? lines[0])
    : ([...lines].reverse().find((n) => n < at) ?? lines.at(-1));
}
