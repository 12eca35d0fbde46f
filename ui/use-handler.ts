import { useCallback, useLayoutEffect, useRef } from 'react';

/** A handler that stays the same function and does what the newest one does: for drawings that are made anew when a handler is another one. */
export function useHandler<Args extends readonly unknown[], Result>(
  handler: (...args: Args) => Result,
): (...args: Args) => Result {
  const newest = useRef(handler);
  useLayoutEffect(() => {
    newest.current = handler;
  });
  return useCallback((...args) => newest.current(...args), []);
}
