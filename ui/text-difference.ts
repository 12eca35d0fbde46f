/** The one piece in which two texts differ. */
export function differenceOf(
  before: string,
  after: string,
): { readonly from: number; readonly to: number; readonly insert: string } | undefined {
  if (before === after) return undefined;
  const most = Math.min(before.length, after.length);
  let from = 0;
  while (from < most && before[from] === after[from]) from++;
  let same = 0;
  while (same < most - from && before[before.length - 1 - same] === after[after.length - 1 - same]) same++;
  return { from, to: before.length - same, insert: after.slice(from, after.length - same) };
}
