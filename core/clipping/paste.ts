import { blockOf } from '../editing/gone-with';
import { isInside } from '../editing/references';
import { ownerAddress, type Address } from '../project/address';
import type {
  ChartState,
  FlowLine,
  Part,
  PartType,
  Place,
  Project,
  Requirement,
  Setup,
  SignalLine,
  Transition,
} from '../project/document';
import type { Edit, ListEntry } from '../project/edit';
import type { Entry } from '../project/field';
import { freshKeys } from '../project/keys';
import { bringLibraries, bringTypes } from './bring-types';
import { counted, declaredAddress, listsIn, signalSheetAt, type Clipping, type Piece, type Refused } from './clipping';
import { declaredPieces } from './declared-pieces';
import { renamed, type Naming } from './free-names';

export interface Pasting {
  readonly edit: Edit;
  readonly label: string;
  /** Addresses of what is new, as far as it was chosen and not only came along. */
  readonly added: readonly Address[];
  /** What is not as it was. */
  readonly notes: readonly string[];
}

export interface PasteOptions {
  readonly newId: () => string;
  /** Where the upper left of it comes to stand on a drawing. */
  readonly at?: Place;
  /** How often it was pasted before: each time a little farther. */
  readonly times?: number;
  /** Id of the state it comes to stand in; null for none. */
  readonly into?: string | null;
  /** Id of the entry behind which rows come to stand. */
  readonly after?: string;
}

/** Where a clipping can be pasted, from a place upwards; undefined where nowhere. */
export function pasteOwner(project: Project, clipping: Clipping, from: Address): Address | undefined {
  for (let at = from; ; at = ownerAddress(at)) {
    const lists = listsIn(project, at)?.lists;
    const takesTexts = clipping.declared.length === 0 || /^type\/[^/]+$/.test(at);
    if (lists && takesTexts && clipping.pieces.every((p) => lists.has(p.kind))) return at;
    if (at === '') return undefined;
  }
}

/** Puts what was copied into what an address names: with ids and names of its own, and whatever among it names another following that. */
export function paste(project: Project, clipping: Clipping, from: Address, options: PasteOptions): Pasting | Refused {
  const { declared } = clipping;
  const owner = pasteOwner(project, clipping, from);
  if (owner === undefined)
    return {
      refused: `${sentence(whatIs(clipping))} cannot stand here: ${wherePut[clipping.pieces[0]?.kind] ?? 'choose another sheet'}`,
    };
  const isHome = clipping.project === project.id;
  const notes: string[] = [];
  const types = bringTypes(project, clipping, isHome, options.newId, notes);
  const { pieces } = types;
  const shared = isHome ? [] : bringLibraries(project, clipping, options.newId, notes);
  const target = listsIn(project, owner)!;
  const type = owner.startsWith('type/') ? (target.chain[0] as unknown as PartType) : undefined;
  const ring =
    type &&
    pieces.find((p) => p.kind === 'part' && standsIn(project, type, types.idOf(String(p.entry.type)), types.added));
  if (ring) return { refused: `${ring.entry.name} cannot stand in ${type.name}: it has ${type.name} inside it` };

  const ids = new Map(
    pieces.map((p) => [`${p.kind}/${p.entry.id}`, p.kind === 'type' ? types.idOf(p.entry.id) : options.newId()]),
  );
  const context: Context = {
    project,
    clipping,
    owner,
    isHome,
    ids,
    typeId: types.idOf,
    options,
    notes,
    nextKey: freshKeys(project),
  };
  const fresh = pieces
    .filter((p) => p.kind !== 'type')
    .map((p): Piece => ({
      kind: p.kind,
      entry: { ...adapt(context, p), id: ids.get(`${p.kind}/${p.entry.id}`)! } as Entry,
    }));
  const texts = type ? declaredPieces(type, clipping, fresh, (at) => shifted(context, at)) : undefined;
  const named = renamed(context, fresh, types.added, texts?.names);
  const edits: Edit[] = [
    ...shared.map((entry): Edit => ({ kind: 'insert', list: 'library', entry })),
    ...types.added.map((entry): Edit => ({ kind: 'insert', list: 'type', entry })),
    ...inserts(context, named),
    ...(texts ? [texts.edit(named)] : []),
  ];
  const label = `Paste ${whatIs(clipping)}`;
  const main = pieces.filter((p) => !alongOf(clipping).has(p.kind) || pieces.every((x) => x.kind === p.kind));
  return {
    edit: { kind: 'batch', label, edits },
    label,
    added: [
      ...main.map((p) => `${owner === '' ? '' : `${owner}/`}${p.kind}/${ids.get(`${p.kind}/${p.entry.id}`)!}`),
      ...(texts ? declared.map((d) => declaredAddress(type!.id, texts.names.get(d.name)!)) : []),
    ],
    notes,
  };
}

/** Where things of a kind stand. */
const wherePut: Readonly<Record<string, string>> = {
  state: 'open a state chart',
  transition: 'open a state chart',
  line: 'open a use flow, a procedure, a sequence or a signal sheet',
  relation: 'open a relation sheet',
  control: 'open a panel to arrange it',
  stimulus: 'choose a setup on the bench',
  change: 'choose a setup on the bench, or a part',
  value: 'open a state chart or a procedure',
  part: 'open a part type',
  quantity: 'open a part type',
  port: 'open a part type',
  link: 'open a part type',
};

const sentence = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);

/** What only comes along with something else. */
const alongOf = (c: Clipping): ReadonlySet<string> =>
  new Set(
    c.pieces.some((p) => p.kind === 'state')
      ? ['transition']
      : c.pieces.some((p) => p.kind === 'part') || c.declared.length > 0
        ? ['link']
        : [],
  );

function whatIs(c: Clipping): string {
  const along = alongOf(c);
  const main = c.pieces.filter((p) => !along.has(p.kind));
  const counts = new Map<string, number>();
  for (const { kind } of main.length > 0 ? main : c.pieces) counts.set(kind, (counts.get(kind) ?? 0) + 1);
  if (c.declared.length > 0) counts.set('part', (counts.get('part') ?? 0) + c.declared.length);
  return [...counts].map(([kind, n]) => counted(n, words[kind] ?? kind)).join(' and ');
}
const words: Readonly<Record<string, string>> = {
  type: 'part type',
  line: 'row',
  stimulus: 'row',
  change: 'changed value',
  value: 'own quantity',
  glossary: 'phrase',
  flow: 'use flow',
  chart: 'state chart',
  sheet: 'relation sheet',
  library: 'shared text',
};

function standsIn(project: Project, type: PartType, id: string, added: readonly PartType[]): boolean {
  if (id === type.id) return true;
  const inner = project.types.find((t) => t.id === id) ?? added.find((t) => t.id === id);
  return inner !== undefined && isInside({ ...project, types: [...project.types, ...added] }, type.id, inner);
}

interface Context extends Naming {
  /** New ids by kind and old id. */
  readonly ids: ReadonlyMap<string, string>;
  readonly typeId: (id: string) => string;
  readonly options: PasteOptions;
  readonly notes: string[];
  readonly nextKey: (like: string) => string;
}

// what each kind of thing has to do with others

const step = 24;

function adapt(context: Context, { kind, entry }: Piece): Entry {
  const { project, clipping, owner, isHome, ids, typeId, options, notes } = context;
  const isBeside = isHome && clipping.owner === owner;
  switch (kind) {
    case 'state': {
      const s = entry as unknown as ChartState;
      const inner = s.parent !== null && ids.has(`state/${s.parent}`);
      if (inner) return { ...entry, parent: ids.get(`state/${s.parent}`)! };
      const chart = listsIn(project, owner)!.holder as { states: readonly ChartState[] };
      const stays = isBeside && chart.states.some((x) => x.id === s.parent);
      const parent = options.into !== undefined ? options.into : stays ? s.parent : null;
      const hasFirst = chart.states.some((x) => x.parent === parent && x.initial);
      return { ...entry, parent, initial: s.initial && !hasFirst, ...shifted(context, s) };
    }
    case 'transition': {
      const t = entry as unknown as Transition;
      const of = (id: string): string => ids.get(`state/${id}`) ?? (isBeside ? id : '');
      return {
        ...entry,
        from: of(t.from),
        to: t.to === '' ? '' : of(t.to),
        also: t.also.map(of).filter((x) => x !== ''),
      };
    }
    case 'part': {
      const p = entry as unknown as Part;
      return { ...entry, type: typeId(p.type), place: p.place && shifted(context, p.place) };
    }
    case 'line': {
      if (signalSheetAt.test(owner)) {
        const { place, size } = entry as unknown as Partial<SignalLine>;
        // several of a text find their places by what they are made of
        const isAlone = clipping.pieces.length === 1;
        const at = place ? shifted(context, place) : isAlone ? (options.at ?? null) : null;
        return { id: entry.id, text: entry.text, place: at, size: size ?? null } as unknown as Entry;
      }
      // lines of a signal sheet stand no further in than others
      const depthOf = (e: Entry): number => Number(e.depth ?? 0);
      const depth = depthOf(entry);
      const least = Math.min(...clipping.pieces.map((p) => depthOf(p.entry)));
      if (entry.depth === undefined)
        return { id: entry.id, text: entry.text, depth: depthAt(context) } as unknown as Entry;
      return { ...entry, depth: Math.min(40, depth - least + depthAt(context)) };
    }
    case 'control':
      return { ...entry, ...shifted(context, entry as unknown as Place) };
    case 'link': {
      const carried = String(entry.carries);
      return { ...entry, carries: project.items.some((i) => i.id === carried) ? carried : '' };
    }
    case 'requirement': {
      const r = entry as unknown as Requirement;
      const parent = r.parent === null ? null : (ids.get(`requirement/${r.parent}`) ?? (isHome ? r.parent : null));
      const standing =
        parent === null || [...ids.values()].includes(parent) || project.requirements.some((x) => x.id === parent);
      return {
        ...entry,
        key: context.nextKey(r.key),
        parent: standing ? parent : null,
        source: null,
        observation: null,
      };
    }
    case 'setup': {
      const s = entry as unknown as Setup;
      const root = s.root === '' || project.types.some((t) => t.id === s.root) ? s.root : '';
      const runs = project.types.find((t) => t.id === (root || project.root));
      const panel = project.panels.some((p) => p.id === s.panel) ? s.panel : '';
      const sequences = s.sequences.filter((id) => runs?.sequences.some((q) => q.id === id));
      if (root !== s.root || panel !== s.panel || sequences.length < s.sequences.length)
        notes.push(`${s.name}: what it runs, its panel or its sequences are not in this project; look at them`);
      return {
        ...entry,
        root,
        panel,
        sequences,
        tracks: s.tracks.filter((id) => project.tracks.some((t) => t.id === id)),
      };
    }
    default:
      return entry;
  }
}

/** How far in the line stands behind which lines are pasted. */
function depthAt({ project, clipping, owner, isHome, options }: Context): number {
  const { lines } = listsIn(project, owner)!.holder as { readonly lines: readonly FlowLine[] };
  const beside = isHome && clipping.owner === owner ? clipping.pieces[0].entry.id : undefined;
  return lines.find((l) => l.id === (options.after ?? beside))?.depth ?? 0;
}

/** On a drawing: at the point that is given, or a little beside what was copied. */
function shifted({ clipping, owner, isHome, options }: Context, { x, y }: Place): Place {
  if (!options.at) {
    const by = (isHome && clipping.owner === owner ? step : 0) + step * (options.times ?? 0);
    return { x: x + by, y: y + by };
  }
  const corner = cornerOf(clipping);
  return { x: Math.round(x - corner.x + options.at.x), y: Math.round(y - corner.y + options.at.y) };
}

function cornerOf(c: Clipping): Place {
  const inside = new Set(c.pieces.flatMap((p) => (p.kind === 'state' ? [p.entry.id] : [])));
  const places = [
    ...c.pieces.flatMap((p): Place[] => {
      if (p.kind === 'part' || p.kind === 'line') return p.entry.place ? [p.entry.place as Place] : [];
      if (p.kind === 'state' && inside.has(String(p.entry.parent))) return [];
      return p.kind === 'state' || p.kind === 'control' ? [p.entry as unknown as Place] : [];
    }),
    ...c.declared.flatMap((d) => (d.place ? [d.place] : [])),
  ];
  return places.length === 0
    ? { x: 0, y: 0 }
    : { x: Math.min(...places.map((p) => p.x)), y: Math.min(...places.map((p) => p.y)) };
}

/** Behind the last of what was copied, behind the chosen row, or at the end. */
function inserts({ project, clipping, owner, isHome, options }: Context, pieces: readonly Piece[]): Edit[] {
  const target = listsIn(project, owner)!;
  const edits: Edit[] = [];
  const byKind = new Map<string, Piece[]>();
  for (const p of pieces) byKind.set(p.kind, [...(byKind.get(p.kind) ?? []), p]);
  for (const [kind, some] of byKind) {
    const list = (target.holder as Record<string, readonly Entry[]>)[target.lists.get(kind)!.key];
    const copied = new Set(clipping.pieces.flatMap((p) => (p.kind === kind ? [p.entry.id] : [])));
    const chosen = options.after === undefined ? -1 : list.findIndex((e) => e.id === options.after);
    const beside = isHome && clipping.owner === owner ? list.findLastIndex((e) => copied.has(e.id)) : -1;
    let at = chosen >= 0 ? chosen : beside;
    // behind what stands further in below that line
    if (kind === 'line' && at >= 0) at += blockOf(list as unknown as readonly FlowLine[], list[at].id).length - 1;
    some.forEach(({ entry }, k) =>
      edits.push({
        kind: 'insert',
        list: owner === '' ? kind : `${owner}/${kind}`,
        entry: entry as unknown as ListEntry,
        ...(at >= 0 && { index: at + 1 + k }),
      }),
    );
  }
  return edits;
}
