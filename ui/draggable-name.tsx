'use client';
import { useDraggable } from '@dnd-kit/core';
import type { ReactNode } from 'react';

/**
 * A name that can be dragged onto the ribbon, where it becomes a track. `name` is the full name in the run;
 * with an address it can be dropped on a requirement too.
 */
export function DraggableName({
  name,
  from,
  address,
  children,
}: {
  readonly name: string;
  readonly from: string;
  readonly address?: string;
  readonly children: ReactNode;
}) {
  const { attributes, listeners, setNodeRef } = useDraggable({
    id: `${from}:${name}`,
    data: { name, ...(address !== undefined && { address }) },
  });
  return (
    <span
      ref={setNodeRef}
      className="grab"
      {...listeners}
      {...attributes}
      role="button"
      data-name={name}
      title="Drag to the ribbon to see it over time"
    >
      {children}
    </span>
  );
}
