'use client';
import { useReactFlow } from '@xyflow/react';
import { useEffect, useRef, type RefObject } from 'react';

/** Shows a drawing whole again when the room for it changes. */
export function useRefit(padding = 0.05): RefObject<HTMLDivElement | null> {
  const flow = useReactFlow();
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (!host.current) return;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const observer = new ResizeObserver(() => {
      clearTimeout(timer);
      timer = setTimeout(() => void flow.fitView({ padding, maxZoom: 1.1 }), 80);
    });
    observer.observe(host.current);
    return () => {
      clearTimeout(timer);
      observer.disconnect();
    };
  }, [flow, padding]);
  return host;
}
