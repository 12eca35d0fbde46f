import { useMemo, useState } from 'react';

/** Whether two values say the same, at any depth. */
export function isSame(a: unknown, b: unknown): boolean {
  if (Object.is(a, b)) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  if (Array.isArray(a) !== Array.isArray(b)) return false;
  const [keys, others] = [Object.keys(a), Object.keys(b)];
  return (
    keys.length === others.length &&
    keys.every(
      (k) => Object.hasOwn(b, k) && isSame((a as Record<string, unknown>)[k], (b as Record<string, unknown>)[k]),
    )
  );
}

/** The entries of before wherever nothing of them has changed: only what has is drawn and measured anew. */
export function useSteady<T extends { readonly id: string }>(list: readonly T[]): T[] {
  const [known] = useState(() => new Map<string, T>());
  return useMemo(() => {
    const now = list.map((x) => {
      const before = known.get(x.id);
      return before !== undefined && isSame(before, x) ? before : x;
    });
    known.clear();
    for (const x of now) known.set(x.id, x);
    return now;
  }, [list, known]);
}
