import * as yup from 'yup';
import { referencesIn } from '../editing/references';
import { blockOf, partOf, withInner } from '../editing/gone-with';
import { createNames } from '../flatten/names';
import { parseFile } from '../language/parse';
import { declaredText, writtenConnects } from '../network/edit-physics';
import { findAt, listFields, ownerAddress, type Address } from '../project/address';
import {
  type Chart,
  type ClassText,
  type FlowLine,
  library,
  partType,
  type PartType,
  type Project,
  projectFields,
  projectVersion,
} from '../project/document';
import { complaint, entrySchema, type Entry, type EntryDescription, type Fields } from '../project/field';
import { documentTexts } from '../project/texts';

/** Elements that were copied, with what they need elsewhere: plain data, as they go through the clipboard to other projects. */
export interface Clipping {
  readonly format: typeof clippingFormat;
  readonly version: number;
  /** Id of the project they are from. */
  readonly project: string;
  /** Address of what they stood in; empty for the project itself. */
  readonly owner: Address;
  /** Names of what they stood in, from the part type down. */
  readonly within: readonly string[];
  readonly pieces: readonly Piece[];
  /** Parts that a physics text declares, and the connections among what was copied. */
  readonly declared: readonly DeclaredPiece[];
  readonly connects: readonly (readonly [string, string])[];
  /** Part types the pieces are made of, at any depth. */
  readonly types: readonly PartType[];
  /** Shared texts whose classes they name. */
  readonly libraries: readonly ClassText[];
}
export interface Piece {
  readonly kind: string;
  readonly entry: Entry;
}
export interface DeclaredPiece {
  readonly name: string;
  /** Class, with what stands before it. */
  readonly head: string;
  /** Size and changed values, as they stand behind the name. */
  readonly tail: string;
  readonly place: { readonly x: number; readonly y: number } | null;
}
export interface Refused {
  readonly refused: string;
}

export const clippingFormat = 'zelvar-clipping';

/** `3 states`, `1 quantity`. */
export const counted = (n: number, word: string): string =>
  `${n} ${n === 1 ? word : /[^aeiou]y$/.test(word) ? `${word.slice(0, -1)}ies` : /(s|x|ch)$/.test(word) ? `${word}es` : `${word}s`}`;

/** What can stand in something: the project, or what has an address. */
export function listsIn(
  project: Project,
  owner: Address,
):
  | { readonly lists: ReturnType<typeof listFields>; readonly holder: unknown; readonly chain: readonly Entry[] }
  | undefined {
  if (owner === '') return { lists: listFields(projectFields), holder: project, chain: [] };
  const found = findAt(project, owner);
  const step = found?.steps.at(-1);
  return (
    found && step && { lists: listFields(step.description.fields), holder: found.chain.at(-1), chain: found.chain }
  );
}

/** `type/t/declared/R1`: a part that the physics text of a type declares; texts have no addresses for what is in them. */
export const declaredAt = /^type\/([^/]+)\/declared\/(.+)$/;
export const declaredAddress = (type: string, name: string): Address => `type/${type}/declared/${name}`;

/** Copies what stands at some addresses, all of one sheet. With states come those inside and what leads from one to another, with parts the links among them. */
export function clip(project: Project, addresses: readonly Address[]): Clipping | Refused {
  const declared = addresses.flatMap((a) => {
    const [, type, name] = declaredAt.exec(a) ?? [];
    return type === undefined ? [] : [{ type, name }];
  });
  const own = addresses.filter((a) => !declaredAt.test(a) && findAt(project, a));
  const owners = new Set([...own.map(ownerAddress), ...declared.map((d) => `type/${d.type}`)]);
  const [owner] = owners;
  if (owner === undefined) return { refused: 'Nothing is chosen that could be copied' };
  if (owners.size > 1) return { refused: 'What is copied together has to stand together, on one sheet' };
  const at = listsIn(project, owner)!;
  const ids = new Set(own.map((a) => a.slice(owner === '' ? 0 : owner.length + 1)));
  takeAlong(at.holder as Entry, ids, new Set(declared.map((d) => d.name)));
  const pieces = [...at.lists.values()].flatMap(({ key, description }) =>
    (at.holder as Record<string, readonly Entry[]>)[key].flatMap((entry) =>
      ids.has(`${description.kind}/${entry.id}`) ? [{ kind: description.kind, entry }] : [],
    ),
  );
  const type = owner.startsWith('type/') ? (at.chain[0] as unknown as PartType) : undefined;
  const names = new Set([
    ...declared.map((d) => d.name),
    ...pieces.flatMap((p) => (p.kind === 'part' ? [p.entry.name!] : [])),
  ]);
  const types = typesUsed(
    project,
    pieces
      .flatMap((p) => (p.kind === 'part' ? [String(p.entry.type)] : p.kind === 'type' ? [p.entry.id] : []))
      .concat(signalSheetAt.test(owner) ? typesOnLines(project, owner, ids) : []),
  );
  const parts = declared.flatMap(({ name }): DeclaredPiece[] => {
    const found = type && declaredText(type.physics, name);
    const place = type?.layout.find((p) => p.name === name);
    return found ? [{ name, ...found, place: place ? { x: place.x, y: place.y } : null }] : [];
  });
  return {
    format: clippingFormat,
    version: projectVersion,
    project: project.id,
    owner,
    within: at.chain.map((e) => e.name ?? ''),
    pieces,
    declared: parts,
    connects:
      type && declared.length > 0
        ? writtenConnects(type.physics).filter((c) => c.every((end) => names.has(partOf(end) ?? '')))
        : [],
    types: types.filter((t) => !pieces.some((p) => p.kind === 'type' && p.entry.id === t.id)),
    libraries: librariesNamed(project, [
      ...types.map((t) => t.physics),
      ...parts.map((d) => d.head),
      ...(signalSheetAt.test(owner) ? pieces.map((p) => String(p.entry.text)) : []),
    ]),
  };
}

/** Names of the classes at the top of a shared text. */
export const classesIn = (l: ClassText): readonly string[] => parseFile(l.text).value.map((c) => c.name);

/** Shared texts with a class that some texts name, and those that these name in turn. */
function librariesNamed(project: Project, texts: readonly string[]): ClassText[] {
  const found = new Set<ClassText>();
  const left = [...texts];
  for (let text = left.pop(); text !== undefined; text = left.pop()) {
    const words = new Set(text.match(/[\p{L}_][\p{L}\p{N}_]*/gu));
    for (const l of project.libraries) {
      if (found.has(l) || !classesIn(l).some((name) => words.has(name))) continue;
      found.add(l);
      left.push(l.text);
    }
  }
  return project.libraries.filter((l) => found.has(l));
}

/** What belongs to what is copied, by kind and id. */
function takeAlong(holder: Entry, ids: Set<string>, declared: ReadonlySet<string>): void {
  if (Array.isArray(holder.states)) {
    const chart = holder as unknown as Chart;
    for (const s of chart.states)
      if (ids.has(`state/${s.id}`)) for (const x of withInner(chart, s.id)) ids.add(`state/${x}`);
    for (const t of chart.transitions)
      if (ids.has(`state/${t.from}`) && (t.to === '' || ids.has(`state/${t.to}`))) ids.add(`transition/${t.id}`);
  } else if (Array.isArray(holder.lines)) {
    const lines = holder.lines as readonly FlowLine[];
    for (const l of lines) if (ids.has(`line/${l.id}`)) for (const x of blockOf(lines, l.id)) ids.add(`line/${x}`);
  } else if (Array.isArray(holder.parts)) {
    const type = holder as unknown as PartType;
    const names = new Set([...declared, ...type.parts.flatMap((p) => (ids.has(`part/${p.id}`) ? [p.name] : []))]);
    for (const l of type.links)
      if ([l.from, l.to].every((end) => names.has(partOf(end) ?? ''))) ids.add(`link/${l.id}`);
  }
}

/** A signal sheet, and its part type. */
export const signalSheetAt = /^type\/([^/]+)\/signals\/[^/]+$/;

/** Part types that stand on lines of a signal sheet as blocks. */
function typesOnLines(project: Project, sheet: Address, ids: ReadonlySet<string>): readonly string[] {
  const names = createNames(project);
  return documentTexts(project, new Set(['types'] as const)).flatMap((text) => {
    const isChosen = [...ids].some((id) => text.place.startsWith(`${sheet}/${id}/`));
    if (!isChosen) return [];
    return referencesIn(project, text, names).flatMap((r) =>
      r.kind === 'type' ? [r.address.slice('type/'.length)] : [],
    );
  });
}

/** Some part types and all they are made of, those their texts name included. */
export function typesUsed(project: Project, ids: readonly string[]): PartType[] {
  if (ids.length === 0) return [];
  const names = createNames(project);
  const texts = documentTexts(project, new Set(['types'] as const));
  const found = new Map<string, PartType>();
  const left = [...ids];
  for (let id = left.pop(); id !== undefined; id = left.pop()) {
    const type = project.types.find((t) => t.id === id);
    if (!type || found.has(id)) continue;
    found.set(id, type);
    left.push(...type.parts.map((p) => p.type));
    for (const text of texts)
      if ((text.kind === 'physics' || text.place.includes('/signals/')) && text.place.startsWith(`type/${id}/`))
        for (const r of referencesIn(project, text, names))
          if (r.kind === 'type') left.push(r.address.slice('type/'.length));
  }
  return [...found.values()];
}

export const clippingText = (c: Clipping): string => JSON.stringify(c);

const piece = yup.object({ kind: yup.string().strict().defined(), entry: yup.object().defined() }).noUnknown().strict();
const text = yup.string().strict().max(20_000).defined();
const envelope = yup
  .object({
    format: yup.string().oneOf([clippingFormat]).defined(),
    version: yup.number().defined(),
    project: text,
    owner: text,
    within: yup.array(text).strict().defined(),
    pieces: yup.array(piece).strict().max(20_000).defined(),
    declared: yup
      .array(
        yup.object({
          name: text,
          head: text,
          tail: text,
          place: yup
            .object({ x: yup.number().strict().defined(), y: yup.number().strict().defined() })
            .nullable()
            .defined(),
        }),
      )
      .strict()
      .max(20_000)
      .defined(),
    connects: yup.array(yup.array(text).strict().length(2).defined()).strict().max(20_000).defined(),
    types: yup.array(yup.object()).strict().max(20_000).defined(),
    libraries: yup.array(yup.object()).strict().max(2000).defined(),
  })
  .noUnknown()
  .strict();

/** Reads what was copied; undefined where a text is something else. */
export function readClipping(from: string): Clipping | Refused | undefined {
  if (!from.trimStart().startsWith(`{"format":"${clippingFormat}"`)) return undefined;
  let data: unknown;
  try {
    data = JSON.parse(from);
  } catch {
    return { refused: 'What was copied is not whole: copy it again' };
  }
  const version = (data as { version?: unknown }).version;
  if (version !== projectVersion)
    return {
      refused: 'This was copied in another version of Zelvar: open both projects in the same one and copy it again',
    };
  const wrong = complaint(envelope, data) ?? wrongPiece(data as Clipping);
  return wrong === undefined ? (data as Clipping) : { refused: `What was copied cannot be read: ${wrong}` };
}

function wrongPiece(c: Clipping): string | undefined {
  for (const { kind, entry } of c.pieces) {
    const description = descriptionIn(c.owner, kind);
    if (!description) return `there is no ${kind} in that place`;
    const wrong = complaint(entrySchema(description), entry, description.word);
    if (wrong !== undefined) return wrong;
  }
  for (const t of c.types) {
    const wrong = complaint(entrySchema(partType), t, partType.word);
    if (wrong !== undefined) return wrong;
  }
  for (const l of c.libraries) {
    const wrong = complaint(entrySchema(library), l, library.word);
    if (wrong !== undefined) return wrong;
  }
  return undefined;
}

/** The description of a kind of entry in what an address names, whether anything is there or not. */
function descriptionIn(owner: Address, kind: string): EntryDescription | undefined {
  let fields: Fields = projectFields;
  const kinds = owner === '' ? [] : owner.split('/').filter((_, k) => k % 2 === 0);
  for (const k of kinds) {
    const inner = listFields(fields).get(k);
    if (!inner) return undefined;
    fields = inner.description.fields;
  }
  return listFields(fields).get(kind)?.description;
}
