'use client';
import { ClipboardPaste, Copy, CopyPlus, MoveDown, MoveUp, Pencil, Scissors, Trash2, Waypoints } from 'lucide-react';
import { useEffect, useState, type ReactNode } from 'react';
import Dropdown from 'react-bootstrap/Dropdown';
import { readAddress, type Address } from '@/core/project/address';
import { useChoice } from '@/store/choice';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { focusName } from '../focus-name';
import { showImpact } from '../impact';
import {
  chooseAll,
  chosen,
  copied,
  cutChosen,
  duplicate,
  elementAt,
  lastCopied,
  moveRows,
  pasteClipping,
  readPasted,
  removeChosen,
} from './commands';
import { pointUnder, type SheetPoint } from './sheet-point';

const ownType = 'application/x-zelvar-clipping';

/** A field that is typed into; `whole` leaves out those of one line, in which rows of a spreadsheet have no place. */
function isTyping(target: EventTarget | null, whole = false): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target instanceof HTMLTextAreaElement || target.isContentEditable) return true;
  return (
    target instanceof HTMLInputElement && !whole && !['checkbox', 'radio', 'button', 'range'].includes(target.type)
  );
}
/** Text is marked: then copying is about that. */
function hasMarked(target: EventTarget | null): boolean {
  if (target instanceof HTMLInputElement || target instanceof HTMLTextAreaElement)
    return target.selectionStart !== target.selectionEnd;
  return (target instanceof HTMLElement && target.isContentEditable) || getSelection()?.toString() !== '';
}
/** The sheet has the keyboard, or nothing has: keys elsewhere are not about what is chosen on it. */
const isOnSheet = (target: EventTarget | null): boolean =>
  target === document.body || (target instanceof Element && target.closest('main') !== null);
const isCovered = (): boolean => document.querySelector('.modal.show') !== null;

interface Menu {
  readonly x: number;
  readonly y: number;
  readonly at: Address | undefined;
  readonly point: SheetPoint | undefined;
  readonly target: Element | null;
}

/** Copying, pasting, choosing and moving by keys and by a menu, on every sheet. */
export function EverydayEditing() {
  const [menu, setMenu] = useState<Menu>();
  useEffect(() => {
    const copy = (e: ClipboardEvent): void => {
      if (isCovered() || hasMarked(e.target)) return;
      if (isTyping(e.target) && elementAt(e.target) === undefined) return;
      const what = copied();
      if (!what || !e.clipboardData) return;
      e.preventDefault();
      e.clipboardData.setData(ownType, what.clipping);
      e.clipboardData.setData('text/plain', what.text);
      if (e.type === 'cut') cutChosen();
    };
    const paste = (e: ClipboardEvent): void => {
      const { project } = useProject.getState();
      if (!project || isCovered() || !e.clipboardData || isTyping(e.target, true)) return;
      const [own, text] = [e.clipboardData.getData(ownType), e.clipboardData.getData('text/plain')];
      const target = e.target instanceof Element ? e.target : null;
      // a word for the field at hand
      if (isTyping(e.target) && own === '' && !/[\t\n]/.test(text.trim())) return;
      const read = readPasted(project, own, text, target);
      if (!read) return;
      e.preventDefault();
      pasteClipping(read, undefined, target);
    };
    const keys = (e: KeyboardEvent): void => {
      const { project } = useProject.getState();
      if (!project || isCovered() || e.defaultPrevented) return;
      const mod = e.ctrlKey || e.metaKey;
      const typing = isTyping(e.target);
      const done = (work: () => unknown): void => {
        e.preventDefault();
        work();
      };
      if (e.altKey && !mod && (e.key === 'ArrowUp' || e.key === 'ArrowDown')) {
        if (elementAt(e.target) === undefined && useChoice.getState().addresses.length === 0) return;
        const at = elementAt(document.activeElement);
        const label = document.activeElement?.getAttribute('aria-label');
        done(() => moveRows(e.key === 'ArrowUp' ? -1 : 1));
        // the field that had the focus keeps it
        if (at !== undefined && label)
          requestAnimationFrame(() =>
            document
              .querySelector<HTMLElement>(`[data-element="${CSS.escape(at)}"] [aria-label="${CSS.escape(label)}"]`)
              ?.focus(),
          );
      } else if (typing) {
        if (mod && !e.shiftKey && e.key.toLowerCase() === 'd' && elementAt(e.target) !== undefined) done(duplicate);
      } else if (!isOnSheet(e.target)) return;
      else if (mod && !e.shiftKey && e.key.toLowerCase() === 'd') done(duplicate);
      else if (mod && !e.shiftKey && e.key.toLowerCase() === 'a') {
        const target = e.target instanceof Element ? e.target : null;
        if (chooseAll(target)) e.preventDefault();
      } else if (e.key === 'Delete' || e.key === 'Backspace') {
        const addresses = chosen(project);
        if (addresses.length > 0) done(() => removeChosen(project, addresses));
      } else if (e.key === 'Escape' && useChoice.getState().addresses.length > 1) useChoice.getState().choose([]);
      else if (e.key === 'F2' && chosen(project).length === 1) done(focusName);
      else if (e.key === 'ContextMenu' || (e.key === 'F10' && e.shiftKey)) {
        const box = document.activeElement?.getBoundingClientRect();
        const at = elementAt(document.activeElement);
        if (!box || at === undefined) return;
        done(() => open(at, box.left + 20, box.top + 12, document.activeElement));
      }
    };
    const open = (at: Address | undefined, x: number, y: number, target: Element | null): void => {
      if (at !== undefined && !useChoice.getState().addresses.includes(at)) useChoice.getState().choose([at]);
      setMenu({ x, y, at, point: pointUnder(x, y), target });
    };
    const context = (e: MouseEvent): void => {
      const target = e.target instanceof Element ? e.target : null;
      // with Shift, or over text that is typed or marked, the browser has its own
      if (e.shiftKey || isCovered() || !target || target.closest('.cm-editor, textarea')) return;
      if (target instanceof HTMLInputElement && (hasMarked(target) || elementAt(target) === undefined)) return;
      if (!target.closest('main')) return;
      const at = elementAt(target);
      if (at === undefined && !target.closest('[data-rows], .react-flow, .pane-body')) return;
      e.preventDefault();
      open(at, e.clientX, e.clientY, target);
    };
    /** A click in a cell is one in its field, where it has just one. */
    const beside = (e: MouseEvent): void => {
      const cell = e.target instanceof Element && e.button === 0 ? e.target : null;
      if (!cell?.matches('td, .field-row, .field-row > div')) return;
      const fields = cell.querySelectorAll<HTMLElement>('input.cell-field, textarea.cell-field');
      if (fields.length !== 1 || cell.querySelector('button') !== null) return;
      e.preventDefault();
      fields[0].focus();
    };
    document.addEventListener('mousedown', beside);
    document.addEventListener('copy', copy);
    document.addEventListener('cut', copy);
    document.addEventListener('paste', paste);
    document.addEventListener('keydown', keys);
    document.addEventListener('contextmenu', context);
    return () => {
      document.removeEventListener('mousedown', beside);
      document.removeEventListener('copy', copy);
      document.removeEventListener('cut', copy);
      document.removeEventListener('paste', paste);
      document.removeEventListener('keydown', keys);
      document.removeEventListener('contextmenu', context);
    };
  }, []);
  return menu ? <ElementMenu key={`${menu.x} ${menu.y}`} menu={menu} close={() => setMenu(undefined)} /> : null;
}

/** What can be done to what is chosen. */
function ElementMenu({ menu, close }: { readonly menu: Menu; readonly close: () => void }) {
  const { project } = useProject.getState();
  const addresses = project ? chosen(project) : [];
  const some = menu.at !== undefined && addresses.length > 0;
  const isRow = menu.target?.closest('[data-rows]') !== null;
  const item = (text: string, icon: ReactNode, keys: string, work: () => void) => (
    <Dropdown.Item
      as="button"
      onClick={() => {
        close();
        work();
      }}
    >
      {icon} <span>{text}</span> <span className="keys">{keys}</span>
    </Dropdown.Item>
  );
  const isNamed =
    addresses.length === 1 && 'name' in (readAddress(addresses[0])?.steps.at(-1)?.description.fields ?? {});
  return (
    <Dropdown show onToggle={(open) => !open && close()} className="element-menu" style={{ left: menu.x, top: menu.y }}>
      <Dropdown.Toggle as="span" />
      <Dropdown.Menu data-testid="element-menu" ref={(el: HTMLElement | null) => el?.querySelector('button')?.focus()}>
        {some && addresses.length > 1 && <Dropdown.Header>{addresses.length} chosen</Dropdown.Header>}
        {some && item('Cut', <Scissors size={14} aria-hidden />, 'Ctrl+X', () => void document.execCommand('cut'))}
        {some && item('Copy', <Copy size={14} aria-hidden />, 'Ctrl+C', () => void document.execCommand('copy'))}
        {item('Paste', <ClipboardPaste size={14} aria-hidden />, 'Ctrl+V', () => void pasteFromMenu(menu))}
        {some && item('Duplicate', <CopyPlus size={14} aria-hidden />, 'Ctrl+D', duplicate)}
        {some && isRow && item('Move up', <MoveUp size={14} aria-hidden />, 'Alt+↑', () => moveRows(-1))}
        {some && isRow && item('Move down', <MoveDown size={14} aria-hidden />, 'Alt+↓', () => moveRows(1))}
        {some && isNamed && !isRow && item('Rename', <Pencil size={14} aria-hidden />, 'F2', focusName)}
        {some &&
          addresses.length === 1 &&
          item('What rests on it', <Waypoints size={14} aria-hidden />, 'i', showImpact)}
        {some && <Dropdown.Divider />}
        {some &&
          item('Delete', <Trash2 size={14} aria-hidden />, 'Delete', () => project && removeChosen(project, addresses))}
      </Dropdown.Menu>
    </Dropdown>
  );
}

/** A menu may read the clipboard only where the browser lets it; what was copied in this tab is known. */
async function pasteFromMenu({ point, target }: Menu): Promise<void> {
  const { project } = useProject.getState();
  if (!project) return;
  const text = await navigator.clipboard?.readText().catch(() => undefined);
  const read = text === undefined ? undefined : readPasted(project, '', text, target);
  if (read) return pasteClipping(read, point, target);
  const last = lastCopied();
  if (text === undefined && last) return pasteClipping(last, point, target);
  usePlace
    .getState()
    .say(
      text === undefined
        ? 'The browser keeps its clipboard from menus: press Ctrl+V instead'
        : 'There is nothing in the clipboard that could stand here',
      'note',
    );
}
