/** A span of time that stays inside the run; undefined where it would be the whole of it. */
export function within(
  [from, to]: readonly [number, number],
  [start, end]: readonly [number, number],
): readonly [number, number] | undefined {
  const length = to - from;
  if (length >= end - start) return undefined;
  if (from < start) return [start, start + length];
  return to > end ? [end - length, end] : [from, to];
}
