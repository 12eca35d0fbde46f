/** Edit distance with adjacent transpositions (Damerau 1964, restricted form), cut off above `limit`. */
export function editDistance(a: string, b: string, limit: number): number {
  if (Math.abs(a.length - b.length) > limit) return limit + 1;
  let before: number[] = [];
  let previous = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i++) {
    const current = [i];
    for (let j = 1; j <= b.length; j++) {
      const cost = a[i - 1] === b[j - 1] ? 0 : 1;
      let d = Math.min(previous[j] + 1, current[j - 1] + 1, previous[j - 1] + cost);
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) d = Math.min(d, before[j - 2] + 1);
      current[j] = d;
    }
    before = previous;
    previous = current;
  }
  return previous[b.length];
}

/** The known name most like `name`, if one is close enough to be a slip of the hand. */
export function nearestName(name: string, known: Iterable<string>): string | undefined {
  const limit = name.length <= 3 ? 1 : name.length <= 7 ? 2 : 3;
  const lower = name.toLowerCase();
  let best: string | undefined;
  let bestDistance = limit + 0.5;
  for (const candidate of known) {
    if (candidate === name) continue;
    const d = candidate.toLowerCase() === lower ? 0.1 : editDistance(name, candidate, limit);
    if (d < bestDistance) {
      best = candidate;
      bestDistance = d;
    }
  }
  return best;
}
