import type { Address } from '@/core/project/address';
import type { Edit } from '@/core/project/edit';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';

/**
 * Rows of a table: one that is begun has the focus in its name, Enter there begins the next one, and Escape takes it back while
 * nothing was typed. Elsewhere Enter leads to the field below.
 */

/** The row that was begun last, and the state of the document just after. */
let begun: { readonly address: Address; readonly version: number } | undefined;

const rowOf = (address: Address): HTMLElement | null =>
  document.querySelector<HTMLElement>(`main [data-element="${CSS.escape(address)}"]`);

/** Adds a row and puts the focus into it. */
export function beginRow(list: Address, entry: Extract<Edit, { kind: 'insert' }>['entry'], label: string): void {
  const refused = useProject.getState().edit({ kind: 'insert', list, entry }, label);
  if (refused) return usePlace.getState().say(refused.message);
  const address = `${list}/${entry.id}`;
  begun = { address, version: useProject.getState().version };
  setTimeout(() => {
    const row = rowOf(address);
    row?.scrollIntoView({ block: 'nearest' });
    const field = row?.querySelector<HTMLInputElement>('input:not([type=checkbox]), textarea');
    field?.focus();
    field?.select();
  }, 30);
}

/** Enter in a field has been taken over. */
export function afterEnter(field: HTMLElement): void {
  const row = field.closest<HTMLElement>('[data-element]');
  const table = row?.closest<HTMLElement>('[data-rows]');
  const list = table?.dataset.rows;
  if (!row || !table || list === undefined) return;
  const fields = [...row.querySelectorAll<HTMLInputElement>('input:not([type=checkbox]), textarea')];
  if (begun?.address === row.dataset.element && fields[0] === field) {
    // where a row says nothing without its other fields, they come first
    if (table.dataset.enter === 'through') {
      fields[1]?.focus();
      fields[1]?.select();
    } else document.querySelector<HTMLElement>(`main [data-adds="${CSS.escape(list)}"]`)?.click();
    return;
  }
  const rows = [...table.querySelectorAll<HTMLElement>('[data-element]')];
  const next = rows[rows.indexOf(row) + 1];
  const cell = field.closest('td');
  const column = cell && cell.parentElement === row ? [...row.children].indexOf(cell) : -1;
  const below = next?.children[column]?.querySelector<HTMLInputElement>('input, textarea, select');
  below?.focus();
  if (below && 'select' in below) below.select();
}

/** Escape in a field without typing: a row that was only begun goes again. */
export function takeBackRow(field: HTMLElement): boolean {
  const at = field.closest<HTMLElement>('[data-element]')?.dataset.element;
  const { version, undo } = useProject.getState();
  if (at === undefined || begun?.address !== at || begun.version !== version) return false;
  begun = undefined;
  undo();
  return true;
}
