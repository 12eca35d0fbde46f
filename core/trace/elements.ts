import { listFields, type Address } from '../project/address';
import { partType, projectFields, requirement, type PartType, type Project } from '../project/document';
import { markOf, physicsEquations } from '../project/equations';
import type { Chain, Entry, EntryDescription } from '../project/field';

/**
 * Everything a trace link can lead to, under its address: the entries of the document that say something (see `content` in
 * core/project/document.ts), physics texts and their equations.
 */
export interface TraceElement {
  readonly address: Address;
  readonly kind: ElementKind;
  /** How people call it, such as SpindleDrive.current. */
  readonly label: string;
  /** What it says, and its mark: when that changes, its links are looked at again. */
  readonly content: string;
  readonly mark: string;
  /** Address of what it stands in; empty where that is the project. */
  readonly owner: Address;
}

/** Kinds in the order lists and the matrix show them. */
export const elementKinds = [
  'requirement',
  'use flow',
  'step',
  'part type',
  'part',
  'quantity',
  'port',
  'link',
  'state chart',
  'state',
  'transition',
  'procedure',
  'sequence',
  'row',
  'physics text',
  'equation',
  'relation',
  'signal sheet',
  'block',
  'setup',
  'study',
  'test case',
  'panel',
  'phrase',
] as const;
export type ElementKind = (typeof elementKinds)[number];

/** The elements of an entry and of what it holds. */
function elementsOf(description: EntryDescription, chain: Chain, address: Address, owner: Address): TraceElement[] {
  const entry = chain.at(-1)!;
  const content = description.content?.(entry);
  const found: TraceElement[] = [];
  if (content !== undefined)
    found.push({
      address,
      kind: description.word as ElementKind,
      label: description.label(chain),
      content,
      mark: markOf(content),
      owner: description === requirement && entry.parent !== null ? `requirement/${String(entry.parent)}` : owner,
    });
  const inside = content === undefined ? owner : address;
  for (const { key, description: inner } of listFields(description.fields).values())
    for (const x of entry[key] as readonly Entry[])
      found.push(...elementsOf(inner, [...chain, x], `${address}/${inner.kind}/${x.id}`, inside));
  if (description === partType) found.push(...physicsElements(entry as unknown as PartType, address));
  return found;
}

function physicsElements(type: PartType, owner: Address): TraceElement[] {
  if (type.physics.trim() === '') return [];
  const address = `${owner}/physics`;
  return [
    {
      address,
      kind: 'physics text',
      label: `physics of ${type.name}`,
      content: 'physics',
      mark: markOf('physics'),
      owner,
    },
    ...physicsEquations(type).map((e): TraceElement => ({
      address: `${owner}/equation/${e.id}`,
      kind: 'equation',
      label: `${type.name}: ${e.text}`,
      content: e.text,
      mark: markOf(e.text),
      owner: address,
    })),
  ];
}

export interface ElementIndex {
  readonly all: readonly TraceElement[];
  readonly byAddress: ReadonlyMap<Address, TraceElement>;
  /** The same elements, to see at once whether one of them is still as it was. */
  readonly live: ReadonlySet<TraceElement>;
}

const indices = new WeakMap<Project, ElementIndex>();
/** Entries change one at a time: what one of them gave, and a whole list, is kept as long as it is the same. */
const ofEntry = new WeakMap<Entry, readonly TraceElement[]>();
const ofList = new WeakMap<readonly Entry[], readonly TraceElement[]>();

/** All elements of a project. Kept per project, so asking again costs nothing. */
export function elementIndex(project: Project): ElementIndex {
  const known = indices.get(project);
  if (known) return known;
  const all = [...listFields(projectFields).values()].flatMap(({ key, description }) => {
    const list = project[key as keyof Project] as unknown as readonly Entry[];
    const before = ofList.get(list);
    if (before) return before;
    const found = list.flatMap((entry) => {
      const own = ofEntry.get(entry) ?? elementsOf(description, [entry], `${description.kind}/${entry.id}`, '');
      ofEntry.set(entry, own);
      return own;
    });
    ofList.set(list, found);
    return found;
  });
  const index: ElementIndex = { all, byAddress: new Map(all.map((e) => [e.address, e])), live: new Set(all) };
  indices.set(project, index);
  return index;
}
