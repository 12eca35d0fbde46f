import { useCallback, useRef } from 'react';

/** Hands out the object of last time where nothing in it has changed, so that only what changed is drawn anew. */
export function useUnchanged<T extends { readonly id: string }>(): (next: T, parts: (x: T) => readonly unknown[]) => T {
  const known = useRef(new Map<string, T>());
  return useCallback((next, parts) => {
    const before = known.current.get(next.id);
    const now = parts(next);
    if (before && parts(before).every((x, k) => x === now[k])) return before;
    known.current.set(next.id, next);
    return next;
  }, []);
}

/** Hands out the list of last time where all its members are the same. */
export function useSameList<T>(): (next: T[]) => T[] {
  const known = useRef<T[]>([]);
  return useCallback((next) => {
    if (next.length !== known.current.length || next.some((x, k) => x !== known.current[k])) known.current = next;
    return known.current;
  }, []);
}
