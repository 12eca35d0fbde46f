'use client';
import { useEffect, useRef, type RefObject } from 'react';
import { useShowWhole } from './show-whole';

/** Shows a drawing whole again when the room for it changes. */
export function useRefit(padding = 0.05): RefObject<HTMLDivElement | null> {
  const show = useShowWhole(padding);
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (!host.current) return;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const observer = new ResizeObserver(() => {
      clearTimeout(timer);
      timer = setTimeout(() => show(), 80);
    });
    observer.observe(host.current);
    return () => {
      clearTimeout(timer);
      observer.disconnect();
    };
  }, [show]);
  return host;
}
