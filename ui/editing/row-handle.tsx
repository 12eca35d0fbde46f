'use client';
import { useDraggable } from '@dnd-kit/core';
import { GripVertical } from 'lucide-react';
import type { HTMLAttributes, MouseEvent } from 'react';
import { readAddress, type Address } from '@/core/project/address';
import { pick, useChoice, useIsChosen } from '@/store/choice';
import { useProject } from '@/store/project-store';
import { putRows } from './commands';

/** Head and width of the column of handles. */
export const handleHead = <th scope="col" className="row-handle" aria-label="Choose" />;
export const handleColumn = <col style={{ width: 18 }} />;

/** Whether an event is about choosing a row rather than using it. */
export const isOfHandle = (e: { readonly target: EventTarget }): boolean =>
  e.target instanceof Element && e.target.closest('.row-handle') !== null;

/** The first cell of a row: chooses it (with Shift up to here, with Ctrl in addition), and takes it elsewhere when dragged. */
export function RowHandle({ address, what }: { readonly address: Address; readonly what: string }) {
  const isChosen = useIsChosen(address);
  const choice = useChoice((s) => (s.addresses.includes(address) ? s.addresses : undefined));
  const { attributes, listeners, setNodeRef } = useDraggable({
    id: `row>${address}`,
    data: { name: choice && choice.length > 1 ? `${choice.length} rows` : what, rows: choice ?? [address] },
  });
  const click = (e: MouseEvent): void => {
    const { project } = useProject.getState();
    if (project) pick(project, address, e);
  };
  return (
    <td className="row-handle">
      <button
        {...attributes}
        {...listeners}
        ref={setNodeRef}
        type="button"
        aria-label={`Choose ${what}`}
        aria-pressed={isChosen}
        title="Click to choose the row, drag to move it; Alt+↑ and Alt+↓ move it too"
        onClick={click}
      >
        <GripVertical size={13} aria-hidden />
      </button>
    </td>
  );
}

/** A row that can be chosen, moved and copied, and has no trace links. */
export function EditableRow({
  address,
  className = '',
  ...rest
}: { readonly address: Address } & HTMLAttributes<HTMLTableRowElement>) {
  const isChosen = useIsChosen(address);
  return <tr {...rest} className={`${className}${isChosen ? ' chosen' : ''}`} data-element={address} />;
}

/** The row under a point of the window that rows of a list can be put at, and whether they go before or behind it. */
export function rowTarget(
  rows: readonly Address[],
  x: number,
  y: number,
): { readonly row: HTMLElement; readonly to: Address; readonly where: 'before' | 'behind' } | undefined {
  const list = rows[0].slice(0, rows[0].lastIndexOf('/'));
  for (const el of document.elementsFromPoint(x, y)) {
    const row = el.closest<HTMLElement>('[data-element]');
    const to = row?.dataset.element;
    if (!row || to === undefined || to.slice(0, to.lastIndexOf('/')) !== list || rows.includes(to)) continue;
    const step = readAddress(to)?.steps.at(-1);
    if (!step) continue;
    const box = row.getBoundingClientRect();
    return { row, to, where: y < box.top + box.height / 2 ? 'before' : 'behind' };
  }
  return undefined;
}

/** Rows that were dropped at a point of the window. */
export function dropRows(rows: readonly Address[], x: number, y: number): void {
  const { project } = useProject.getState();
  const target = rowTarget(rows, x, y);
  if (project && target) putRows(project, rows, target.to, target.where);
}
