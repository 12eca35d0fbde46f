'use client';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, type ReactNode } from 'react';
import { usePrinting } from './printing';

/** A long list of which only what is in sight is drawn. Rows may be of any height. */
export function VirtualRows<T>({
  items,
  estimate,
  className,
  testId,
  children,
}: {
  readonly items: readonly T[];
  readonly estimate: number;
  readonly className?: string;
  readonly testId?: string;
  readonly children: (item: T, index: number) => ReactNode;
}) {
  const box = useRef<HTMLDivElement>(null);
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    useFlushSync: false,
    count: items.length,
    getScrollElement: () => box.current,
    estimateSize: () => estimate,
    overscan: 8,
  });
  const printing = usePrinting();
  if (printing)
    return (
      <div className={className} data-testid={testId} role="list">
        {items.map((item, k) => (
          <div key={k} role="listitem">
            {children(item, k)}
          </div>
        ))}
      </div>
    );
  return (
    <div ref={box} className={className} style={{ overflow: 'auto' }} data-testid={testId} role="list">
      <div style={{ height: virtual.getTotalSize(), position: 'relative' }}>
        {virtual.getVirtualItems().map((v) => (
          <div
            key={v.key}
            data-index={v.index}
            ref={virtual.measureElement}
            role="listitem"
            style={{ position: 'absolute', top: 0, left: 0, right: 0, transform: `translateY(${v.start}px)` }}
          >
            {children(items[v.index], v.index)}
          </div>
        ))}
      </div>
    </div>
  );
}
