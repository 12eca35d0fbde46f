import { nanoid } from 'nanoid';
import { clip, clippingText, counted, declaredAt, readClipping, type Clipping } from '@/core/clipping/clipping';
import { paste, pasteOwner } from '@/core/clipping/paste';
import { removal } from '@/core/clipping/removal';
import { isTable, readRows, rowKinds, rowsText } from '@/core/clipping/rows-text';
import { findAt, ownerAddress, readAddress, type Address } from '@/core/project/address';
import type { Project } from '@/core/project/project';
import { besides, useChoice } from '@/store/choice';
import { selectedAddress, sheetOwner } from '@/store/locate';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { deleteWithImpact } from '../impact';
import { middlePoint, type SheetPoint } from './sheet-point';

/** Everyday editing, the same for everything that has an address: states, parts, rows of tables, controls, setups. */

/** Elements of the document carry their address in the page. */
export const elementAt = (target: EventTarget | null): Address | undefined =>
  target instanceof Element ? target.closest<HTMLElement>('[data-element]')?.dataset.element : undefined;

const connectAt = /^type\/[^/]+\/connect\//;
const isThere = (project: Project, a: Address): boolean =>
  declaredAt.test(a) ||
  connectAt.test(a) ||
  (findAt(project, a) !== undefined && readAddress(a)?.steps.at(-1)?.description.kind !== 'equation');

/** What a command is about: what is chosen together, or has the keyboard, or is shown in the details. */
export function chosen(project: Project): readonly Address[] {
  const together = useChoice.getState().addresses.filter((a) => isThere(project, a));
  if (together.length > 0) return together;
  const focused = elementAt(document.activeElement);
  if (focused !== undefined && isThere(project, focused)) return [focused];
  const { item } = usePlace.getState();
  const shown = item === '' ? undefined : selectedAddress(project);
  return shown !== undefined && isThere(project, shown) ? [shown] : [];
}

/** What was copied last in this tab, as the clipboard may be closed to a menu. */
let memory: { readonly clipping: Clipping; readonly text: string } | undefined;
let times = 0;

export const lastCopied = (): Clipping | undefined => memory?.clipping;

export interface Copied {
  readonly clipping: string;
  readonly text: string;
}

/** What goes to the clipboard; undefined, with the reason said, where nothing does. */
export function copied(): Copied | undefined {
  const { project } = useProject.getState();
  if (!project) return undefined;
  const addresses = chosen(project);
  if (addresses.length === 0) return undefined;
  const c = clip(project, addresses);
  if ('refused' in c) {
    usePlace.getState().say(c.refused);
    return undefined;
  }
  const whole = clippingText(c);
  const text = rowsText(c) ?? whole;
  memory = { clipping: c, text };
  times = 0;
  return { clipping: whole, text };
}

/** Takes away what is chosen; what rests on a single one is shown before. */
export function removeChosen(project: Project, addresses: readonly Address[]): void {
  const taken = removal(project, addresses);
  if (!taken) return;
  const done = (): void => useChoice.getState().choose([]);
  if (addresses.length === 1) return deleteWithImpact(addresses[0], taken.edit, taken.label, done);
  if (!useProject.getState().edit(taken.edit, taken.label)) done();
}

/** After a copy went to the clipboard: what is cut goes, unless something still needs it. */
export function cutChosen(): void {
  const { project, edit } = useProject.getState();
  const addresses = project ? chosen(project) : [];
  const taken = project && removal(project, addresses);
  if (!taken) return;
  if (!edit(taken.edit, taken.label.replace('Delete', 'Cut'))) useChoice.getState().choose([]);
}

/** What a text from the clipboard would be here; undefined where it is none of ours. */
export function readPasted(
  project: Project,
  clipping: string,
  text: string,
  target: Element | null,
): Clipping | { readonly refused: string } | undefined {
  const own = readClipping(clipping) ?? readClipping(text);
  if (own) return own;
  if (memory && text === memory.text) return memory.clipping;
  if (text.trim() === '') return undefined;
  const [owner, kind] = rowPlace(project, target);
  return kind === undefined ||
    !(isTable(text) || target?.closest('[data-rows]') || document.querySelector('main [data-takes-text]'))
    ? undefined
    : readRows(project, text, owner, kind);
}

/** Rows come to stand in the table that was used last. */
function rowPlace(project: Project, target: Element | null): readonly [owner: Address, kind: string | undefined] {
  const list =
    target?.closest<HTMLElement>('[data-rows]')?.dataset.rows ??
    document.querySelector<HTMLElement>('main [data-rows]')?.dataset.rows;
  if (list === undefined) return [sheetOwner(project), undefined];
  const kind = list.slice(list.lastIndexOf('/') + 1);
  return [
    list.slice(0, Math.max(0, list.length - kind.length - 1)),
    kind === 'line' || Object.hasOwn(rowKinds, kind) ? kind : undefined,
  ];
}

/** Puts a clipping onto the sheet; `point` is where on a drawing. */
export function pasteClipping(
  c: Clipping | { readonly refused: string },
  point?: SheetPoint,
  target?: Element | null,
): void {
  const { project, edit } = useProject.getState();
  const { say } = usePlace.getState();
  if (!project) return;
  if ('refused' in c) return say(c.refused);
  // behind the last of what is chosen, in the order of the list
  const now = chosen(project);
  const chosenNow = now.length > 1 ? besides(project, now[0]).findLast((a) => now.includes(a)) : now[0];
  const list = target?.closest<HTMLElement>('[data-rows]')?.dataset.rows;
  const rows = list === undefined ? undefined : list.slice(0, Math.max(0, list.lastIndexOf('/')));
  const from = rows ?? sheetOwner(project);
  const owner = pasteOwner(project, c, from);
  const isBeside = c.project === project.id && c.owner === owner;
  const where = point ?? (isBeside ? undefined : middlePoint());
  const after =
    chosenNow !== undefined && ownerAddress(chosenNow) === owner ? readAddress(chosenNow)?.steps.at(-1) : undefined;
  const done = paste(project, c, from, {
    newId: () => nanoid(10),
    ...(where && { at: { x: where.at.x + 24 * (point ? 0 : times), y: where.at.y + 24 * (point ? 0 : times) } }),
    ...(where?.into !== undefined && { into: where.into }),
    ...(!where && { times }),
    ...(after && c.pieces[0]?.kind === after.description.kind && { after: after.id }),
  });
  if ('refused' in done) return say(done.refused);
  if (edit(done.edit, done.label)) return;
  times++;
  if (done.notes.length > 0) say(done.notes.join('. '), 'note');
  else if (owner !== sheetOwner(project) && owner !== rows)
    say(`${done.label.replace('Paste', 'Pasted')} into ${nameOf(project, owner ?? '')}`, 'note');
  useChoice.getState().choose(done.added);
}

const nameOf = (project: Project, owner: Address): string => findAt(project, owner)?.chain.at(-1)?.name ?? project.name;

/** A copy beside what is chosen; the clipboard stays as it is. */
export function duplicate(): void {
  const { project } = useProject.getState();
  const addresses = project ? chosen(project) : [];
  if (!project || addresses.length === 0) return;
  const c = clip(project, addresses);
  if ('refused' in c) return usePlace.getState().say(c.refused);
  const done = paste(project, c, c.owner, { newId: () => nanoid(10) });
  if ('refused' in done) return usePlace.getState().say(done.refused);
  const label = done.label.replace('Paste', 'Duplicate');
  if (!useProject.getState().edit(done.edit, label)) useChoice.getState().choose(done.added);
}

/** Rows up or down, as a block where several are chosen. */
export function moveRows(by: -1 | 1): void {
  const { project } = useProject.getState();
  const addresses = project ? chosen(project) : [];
  if (!project || addresses.length === 0) return;
  const order = besides(project, addresses[0]);
  const moved = order.filter((a) => addresses.includes(a));
  if (moved.length < addresses.length) return;
  const first = order.indexOf(moved[0]);
  const last = order.indexOf(moved.at(-1)!);
  const next = by < 0 ? order[first - 1] : order[last + 1];
  if (next !== undefined) putRows(project, moved, next, by < 0 ? 'before' : 'behind');
}

/** Brings rows before or behind another one of their list. */
export function putRows(project: Project, moved: readonly Address[], to: Address, where: 'before' | 'behind'): void {
  if (moved.includes(to)) return;
  const order = besides(project, to);
  if (!moved.every((a) => order.includes(a))) return;
  const rest = order.filter((a) => !moved.includes(a));
  const at = rest.indexOf(to) + (where === 'behind' ? 1 : 0);
  const ids = [...rest.slice(0, at), ...order.filter((a) => moved.includes(a)), ...rest.slice(at)].map((a) =>
    a.slice(a.lastIndexOf('/') + 1),
  );
  const list = to.slice(0, to.lastIndexOf('/'));
  useProject.getState().edit({ kind: 'order', list, ids }, `Move ${counted(moved.length, 'row')}`);
}

/** Everything of the list that what is chosen stands in, or of the sheet. */
export function chooseAll(target: Element | null): boolean {
  const { project } = useProject.getState();
  if (!project) return false;
  const shown = [...document.querySelectorAll<HTMLElement>('main [data-element]')].flatMap(
    (e) => e.dataset.element ?? [],
  );
  const from = chosen(project)[0] ?? elementAt(target) ?? shown[0];
  if (from === undefined) return false;
  const isDrawn = target?.closest('.react-flow') !== null || document.querySelector('main .react-flow') !== null;
  const owner = ownerAddress(from);
  const all = isDrawn ? shown.filter((a) => ownerAddress(a) === owner) : besides(project, from);
  if (all.length === 0) return false;
  useChoice.getState().choose([...new Set(all)]);
  return true;
}
