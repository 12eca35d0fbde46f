'use client';
import { useEffect, useRef, useState } from 'react';

/** A value that changes at most every so many milliseconds, and always comes to its last state. */
export function useThrottled<T>(value: T, milliseconds: number): T {
  const [shown, setShown] = useState(value);
  const last = useRef(0);
  useEffect(() => {
    const wait = last.current + milliseconds - performance.now();
    const show = (): void => {
      last.current = performance.now();
      setShown(value);
    };
    if (wait <= 0) {
      show();
      return;
    }
    const timer = setTimeout(show, wait);
    return () => clearTimeout(timer);
  }, [value, milliseconds]);
  return shown;
}
