import { isInside } from '@/core/editing/references';
import { declarePart, writeConnect } from '@/core/network/edit-physics';
import { endAt, physicalConflict, splitEnd, type Network } from '@/core/network/read-network';
import type { Edit } from '@/core/project/edit';
import { newPart, type Link, type PartType, type Place, type Project } from '@/core/project/project';
import { linkConflict } from '@/core/run/check-links';
import { allNames, freeName } from '../names';

/** What can be done to the inside of a part type in its drawing, as edits of the document and of its physics text. */

/** A change with its name and what is chosen after it; or why there is none. */
export type InsideChange =
  | { readonly edit: Edit; readonly label: string; readonly chosen?: string; readonly note?: string }
  | { readonly refused: string };

export interface Inside {
  readonly project: Project;
  readonly type: PartType;
  /** With the parts that are shapes. */
  readonly network: Network;
}

const alreadyThere: InsideChange = { refused: 'This link is there already' };
const list = (type: PartType): string => `type/${type.id}`;
const changeType = (type: PartType, changes: Partial<PartType>): Edit => ({
  kind: 'update',
  list: 'type',
  id: type.id,
  changes,
});

/** A link drawn from one end to another, whichever way round: a connection, an equation of the text, or a link of the document. */
export function linkEnds(inside: Inside, a: string, b: string, newId: () => string): InsideChange {
  const { network } = inside;
  if ([a, b].some((e) => endAt(network, e)?.kind === 'physical')) return connectPhysical(inside, a, b);
  const isDeclared = (e: string): boolean => network.parts.some((p) => !p.part && p.name === splitEnd(e).part);
  return isDeclared(a) || isDeclared(b) ? connectSignal(inside, a, b) : addLink(inside, a, b, newId);
}

function addLink({ project, type, network }: Inside, a: string, b: string, newId: () => string): InsideChange {
  const isTurned = linkConflict(project, type, a, b) !== undefined && linkConflict(project, type, b, a) === undefined;
  const [from, to] = isTurned ? [b, a] : [a, b];
  const conflict = linkConflict(project, type, from, to);
  if (conflict !== undefined) return { refused: conflict };
  if (type.links.some((l) => l.from === from && l.to === to)) return alreadyThere;
  const writer = type.links.find((l) => l.to === to);
  if (writer && endAt(network, to)?.kind !== 'message')
    return { refused: `${writer.from} writes ${to} already: two writers would fight over one signal` };
  const entry: Link = { id: `l-${newId()}`, from, to, carries: '' };
  return {
    edit: { kind: 'insert', list: `${list(type)}/link`, entry },
    label: `Link ${from} to ${to}`,
    chosen: `link/${entry.id}`,
  };
}

/** Of an array of parts the first one. */
const withIndex = (network: Network, end: string): string => {
  const { part } = splitEnd(end);
  return network.parts.find((p) => p.name === part)?.dimensions ? end.replace(part, `${part}[1]`) : end;
};

function connectPhysical({ type, network }: Inside, a: string, b: string): InsideChange {
  const conflict = physicalConflict(network, a, b);
  if (conflict !== undefined) return { refused: conflict };
  const [x, y] = [withIndex(network, a), withIndex(network, b)];
  const physics = writeConnect(type.physics, x, y);
  if (physics === type.physics) return alreadyThere;
  return {
    edit: changeType(type, { physics }),
    label: `Link ${x} to ${y}`,
    chosen: `connect/${x}|${y}`,
    ...((x !== a || y !== b) && { note: 'The first element was linked: change the index in the physics text' }),
  };
}

/** A signal of a part that the text declares is an equation of the text. */
function connectSignal({ type, network }: Inside, a: string, b: string): InsideChange {
  // an input of the type itself gives its value to what is inside
  const gives = (e: string): boolean =>
    splitEnd(e).part === '' ? !endAt(network, e)?.gives : endAt(network, e)?.gives === true;
  const [from, to] = gives(a) ? [a, b] : [b, a];
  if (!gives(from) || gives(to) || [from, to].some((e) => endAt(network, e)?.kind !== 'signal'))
    return { refused: `${a} and ${b} do not fit: a value goes from an output to an input` };
  const physics = writeConnect(type.physics, withIndex(network, from), withIndex(network, to));
  if (physics === type.physics) return alreadyThere;
  return { edit: changeType(type, { physics }), label: `Link ${from} to ${to}` };
}

const rounded = ({ x, y }: Place): Place => ({ x: Math.round(x), y: Math.round(y) });
const nameFor = ({ type, network }: Inside, of: string): string =>
  freeName(
    [...allNames(type), ...network.parts.map((p) => p.name)],
    of.replace(/^./, (c) => c.toLowerCase()),
  );

export function addPart(inside: Inside, typeId: string, at: Place, newId: () => string): InsideChange {
  const { project, type } = inside;
  const target = project.types.find((t) => t.id === typeId);
  if (!target) return { refused: 'This part type is no longer there' };
  const entry = { ...newPart(`p-${newId()}`, nameFor(inside, target.name), typeId), place: rounded(at) };
  return {
    edit: { kind: 'insert', list: `${list(type)}/part`, entry },
    label: `Add a part of type ${target.name}`,
    chosen: `part/${entry.id}`,
  };
}

/** A part of the library, declared in the physics text. Shapes have their own picture, and no place in this one. */
export function addDeclared(inside: Inside, className: string, at: Place): InsideChange {
  const { type } = inside;
  const name = nameFor(inside, className.split('.').at(-1)!);
  const layout = className.startsWith('Shapes.') ? type.layout : [...type.layout, { name, ...rounded(at) }];
  return {
    edit: changeType(type, { physics: declarePart(type.physics, className, name), layout }),
    label: `Add ${name}`,
    chosen: `declared/${name}`,
  };
}

/** Cards put somewhere else: `partId` of a part of the document, otherwise a name of the text. */
export function moveParts(
  { type }: Inside,
  cards: readonly { readonly name: string; readonly partId: string | undefined; readonly at: Place }[],
): InsideChange {
  const label = cards.length === 1 ? `Move ${cards[0].name}` : `Move ${cards.length} parts`;
  const own = cards.flatMap(({ partId, at }) =>
    partId === undefined ? [] : [{ id: partId, changes: { place: rounded(at) } }],
  );
  const declared = cards.flatMap(({ name, partId, at }) => (partId === undefined ? [{ name, ...rounded(at) }] : []));
  const edits: Edit[] = [];
  if (own.length > 0) edits.push({ kind: 'update-all', list: `${list(type)}/part`, updates: own });
  if (declared.length > 0) {
    const names = new Set(declared.map((d) => d.name));
    edits.push(changeType(type, { layout: [...type.layout.filter((p) => !names.has(p.name)), ...declared] }));
  }
  return { edit: edits.length === 1 ? edits[0] : { kind: 'batch', label, edits }, label };
}

/** All cards at once: parts of the document by their id, parts of the text by their name. */
export function placeAll(
  { type }: Inside,
  parts: ReadonlyMap<string, Place>,
  declared: ReadonlyMap<string, Place>,
): InsideChange {
  const label = 'Tidy the inside';
  const edits = type.parts.flatMap((p): Edit[] => {
    const place = parts.get(p.id);
    return place ? [{ kind: 'update', list: `${list(type)}/part`, id: p.id, changes: { place: rounded(place) } }] : [];
  });
  const layout = [...declared].map(([name, place]) => ({ name, ...rounded(place) }));
  return { edit: { kind: 'batch', label, edits: [...edits, changeType(type, { layout })] }, label };
}

/** Part types of which there can be a part here. */
export const usableTypes = ({ project, type }: Inside): readonly PartType[] =>
  project.types.filter((t) => t.id !== type.id && !isInside(project, type.id, t));
