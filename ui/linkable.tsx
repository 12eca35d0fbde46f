'use client';
import { useDraggable, useDroppable } from '@dnd-kit/core';
import type { HTMLAttributes, ReactNode } from 'react';
import { useTraceLook } from '@/store/trace';

/** A table row of an element that requirements can be linked to: drop one on it, hover it to read them. */
export function LinkableRow({ address, className = '', children, ...rest }: { readonly address: string } & HTMLAttributes<HTMLTableRowElement>) {
  const { setNodeRef, isOver } = useDroppable({ id: `link:${address}`, data: { link: address } });
  const look = useTraceLook()(address);
  return (
    <tr {...rest} ref={setNodeRef} className={`${className}${look.className}${isOver ? ' drop-over' : ''}`} title={look.title} data-links={look.count}>
      {children}
    </tr>
  );
}

/** The same for anything that is not a table row. */
export function LinkableBox({ address, className = '', children, ...rest }: { readonly address: string } & HTMLAttributes<HTMLDivElement>) {
  const { setNodeRef, isOver } = useDroppable({ id: `link:${address}`, data: { link: address } });
  const look = useTraceLook()(address);
  return (
    <div {...rest} ref={setNodeRef} className={`${className}${look.className}${isOver ? ' drop-over' : ''}`} title={look.title} data-links={look.count}>
      {children}
    </div>
  );
}

/** How many requirements an element has, where links are shown. */
export function LinkCount({ address, always }: { readonly address: string; readonly always?: boolean }) {
  const look = useTraceLook()(address);
  if (look.count === 0 || (!always && look.className === '')) return null;
  return (
    <span className="link-count" title={look.title}>
      {look.count}
    </span>
  );
}

/** Something with an address that can be dragged onto something else to link the two. */
export function LinkHandle({ address, label, from, children }: { readonly address: string; readonly label: string; readonly from: string; readonly children: ReactNode }) {
  const { attributes, listeners, setNodeRef } = useDraggable({ id: `${from}>${address}`, data: { name: label, address } });
  return (
    <span ref={setNodeRef} className="grab" {...listeners} {...attributes} role="button" aria-label={`${label}: drag to link`} title={`Drag ${label} onto something to link the two`}>
      {children}
    </span>
  );
}
