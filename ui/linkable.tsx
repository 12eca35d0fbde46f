'use client';
import { useDraggable } from '@dnd-kit/core';
import type { HTMLAttributes, ReactNode, Ref } from 'react';
import { useIsChosen } from '@/store/choice';
import { useTraceLook } from '@/store/trace';

/**
 * Elements that requirements can be linked to: drop one on them, hover them to read theirs. What is under the pointer is
 * looked up when something is dragged (see `linkTarget`), so thousands of them cost nothing.
 */
export function LinkableRow({
  address,
  className = '',
  children,
  rowRef,
  ...rest
}: { readonly address: string; readonly rowRef?: Ref<HTMLTableRowElement> } & HTMLAttributes<HTMLTableRowElement>) {
  const look = useTraceLook(address);
  const isChosen = useIsChosen(address);
  return (
    <tr
      {...rest}
      ref={rowRef}
      className={`${className}${look.className}${isChosen ? ' chosen' : ''}`}
      title={look.title}
      data-link={address}
      data-links={look.count}
      data-element={address}
    >
      {children}
    </tr>
  );
}

/** The same for anything that is not a table row. */
export function LinkableBox({
  address,
  element = address,
  className = '',
  children,
  ...rest
}: {
  readonly address: string;
  /** What is copied, moved and deleted with it; empty where it only shows something. */
  readonly element?: string;
} & HTMLAttributes<HTMLDivElement>) {
  const look = useTraceLook(address);
  return (
    <div
      {...rest}
      className={`${className}${look.className}`}
      title={look.title}
      data-link={address}
      data-links={look.count}
      {...(element !== '' && { 'data-element': element })}
    >
      {children}
    </div>
  );
}

/** What a dragged thing would be linked to at a point of the window. */
export function linkTarget(x: number, y: number): HTMLElement | undefined {
  for (const el of document.elementsFromPoint(x, y)) {
    // the thing being dragged is under the pointer too
    if (el.closest('.drag-chip') ?? el.querySelector(':scope > .drag-chip')) continue;
    return el.closest<HTMLElement>('[data-link]') ?? undefined;
  }
  return undefined;
}

/** How many requirements an element has, where links are shown. */
export function LinkCount({ address, always }: { readonly address: string; readonly always?: boolean }) {
  const look = useTraceLook(address);
  if (look.count === 0 || (!always && look.className === '')) return null;
  return (
    <span className="link-count" title={look.title}>
      {look.count}
    </span>
  );
}

/** Something with an address that can be dragged onto something else to link the two. */
export function LinkHandle({
  address,
  label,
  from,
  children,
}: {
  readonly address: string;
  readonly label: string;
  readonly from: string;
  readonly children: ReactNode;
}) {
  const { attributes, listeners, setNodeRef } = useDraggable({
    id: `${from}>${address}`,
    data: { name: label, address },
  });
  return (
    <span
      ref={setNodeRef}
      className="grab"
      {...listeners}
      {...attributes}
      role="button"
      data-handle={label}
      title={`Drag ${label} onto something to link the two`}
    >
      {children}
    </span>
  );
}
