'use client';
import { useEffect, useState } from 'react';
import { useRuns } from '@/store/run-store';

/** Moves the cursor through what has been recorded, `rate` seconds of it in a second. */
export function usePlayback(rate: number): { readonly playing: boolean; readonly toggle: () => void } {
  const [playing, setPlaying] = useState(false);
  const id = useRuns((s) => s.current?.model.run);
  useEffect(() => {
    if (!playing || id === undefined) return;
    let last = performance.now();
    let handle = requestAnimationFrame(function turn(now) {
      const { cursor: at, moveCursor, current } = useRuns.getState();
      const next = at + ((now - last) / 1000) * rate;
      last = now;
      const end = current?.time ?? 0;
      moveCursor(Math.min(next, end));
      if (next >= end && current?.status !== 'running') setPlaying(false);
      else handle = requestAnimationFrame(turn);
    });
    return () => cancelAnimationFrame(handle);
  }, [playing, rate, id]);
  const toggle = (): void => {
    const { current, cursor, moveCursor } = useRuns.getState();
    if (!playing && current && cursor >= current.time - 1e-9) moveCursor(0);
    setPlaying(!playing && current !== undefined);
  };
  return { playing, toggle };
}
