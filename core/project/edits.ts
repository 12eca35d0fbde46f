import {
  applyPatches,
  current,
  enablePatches,
  isDraft,
  original,
  produceWithPatches,
  type Draft,
  type Patch,
} from 'immer';
import { problem, type Problem } from '../language/diagnostics';
import { ValidationError, type AnyObjectSchema } from 'yup';
import {
  typeById,
  type Chart,
  type ChartState,
  type ChartValue,
  type Control,
  type Flow,
  type FlowLine,
  type GlossaryEntry,
  type Item,
  type Link,
  type Panel,
  type Part,
  type PartType,
  type Port,
  type Procedure,
  type Project,
  type Quantity,
  type ClassText,
  type Relation,
  type RelationSheet,
  type Requirement,
  type Sequence,
  type Setup,
  type Shape,
  type StimulusRow,
  type TraceLink,
  type Track,
  type Transition,
} from './project';
import { references, typeMentions, usersOf, type ElementKind, type Reference } from './references';
import { entrySchemas, nameSchema, type ListName } from './schema';

enablePatches();

/** Anything a list of the document can hold. */
export type ListEntry =
  | ClassText
  | Relation
  | RelationSheet
  | Flow
  | FlowLine
  | TraceLink
  | PartType
  | Quantity
  | Part
  | Port
  | Link
  | Item
  | Chart
  | ChartState
  | ChartValue
  | Procedure
  | Sequence
  | Transition
  | Requirement
  | GlossaryEntry
  | Setup
  | StimulusRow
  | Panel
  | Control
  | Shape
  | Track;

/** A change of the document, as data. Lists are addressed like `types/<id>/charts/<id>/states`, entries by their id. */
export type Edit =
  | { readonly kind: 'insert'; readonly list: string; readonly entry: ListEntry; readonly index?: number }
  /** Many entries at once, at the end of the list. */
  | { readonly kind: 'insert-all'; readonly list: string; readonly entries: readonly ListEntry[] }
  | { readonly kind: 'remove-all'; readonly list: string; readonly ids: readonly string[] }
  | {
      readonly kind: 'update-all';
      readonly list: string;
      readonly updates: readonly { readonly id: string; readonly changes: Readonly<Record<string, unknown>> }[];
    }
  /** Brings entries into the order of their ids here; others keep their place after the one they follow. */
  | { readonly kind: 'order'; readonly list: string; readonly ids: readonly string[] }
  | {
      readonly kind: 'update';
      readonly list: string;
      readonly id: string;
      readonly changes: Readonly<Record<string, unknown>>;
    }
  | { readonly kind: 'remove'; readonly list: string; readonly id: string }
  | { readonly kind: 'move'; readonly list: string; readonly id: string; readonly index: number }
  /** Renames an element; every text that mentions it follows. */
  | { readonly kind: 'rename'; readonly list: string; readonly id: string; readonly name: string }
  | { readonly kind: 'project'; readonly changes: Partial<Pick<Project, 'name' | 'note' | 'root'>> }
  | { readonly kind: 'batch'; readonly label: string; readonly edits: readonly Edit[] };

export interface EditResult {
  readonly project: Project;
  /** Why the edit was refused; the project is unchanged then. */
  readonly refused?: Problem;
  readonly patches: readonly Patch[];
  readonly inverse: readonly Patch[];
}

class Refused extends Error {
  constructor(readonly why: Problem) {
    super(why.message);
  }
}

const refuse = (code: string, message: string): never => {
  throw new Refused(problem('error', code, message));
};

/** Carries an edit out. A refused edit changes nothing. */
export function applyEdit(project: Project, edit: Edit): EditResult {
  try {
    const [next, patches, inverse] = produceWithPatches(project, (draft) => change(draft as Draft<Project>, edit));
    return { project: next as Project, patches, inverse };
  } catch (error) {
    if (error instanceof Refused) return { project, refused: error.why, patches: [], inverse: [] };
    throw error;
  }
}

export const undoEdit = (project: Project, inverse: readonly Patch[]): Project =>
  applyPatches(project, inverse as Patch[]);
export const redoEdit = (project: Project, patches: readonly Patch[]): Project =>
  applyPatches(project, patches as Patch[]);

type Entry = { id: string; name?: string };

function listAt(project: Draft<Project>, address: string): { list: Entry[]; name: ListName; owner: Entry | undefined } {
  const keys = address.split('/');
  let at: unknown = project;
  let owner: Entry | undefined;
  for (let k = 0; k < keys.length; k++) {
    const inside: unknown = (at as Record<string, unknown>)[keys[k]];
    if (!Array.isArray(inside) || !(keys[k] in entrySchemas)) return refuse('no-list', `There is no list ${address}`);
    if (k === keys.length - 1) return { list: inside as Entry[], name: keys[k] as ListName, owner };
    const id = keys[++k];
    owner = (inside as Entry[]).find((e) => e.id === id);
    if (!owner) return refuse('gone', `What this belongs to is no longer there`);
    at = owner;
  }
  return refuse('no-list', `There is no list ${address}`);
}

/** The entry with an id. Looking into drafts makes a draft of everything looked at, so the list as it was is asked first. */
function entryOf(list: Entry[], id: string): Entry | undefined {
  const before = isDraft(list) ? original(list) : undefined;
  const k = before?.findIndex((e) => e.id === id) ?? -1;
  return k >= 0 && list[k]?.id === id ? list[k] : list.find((e) => e.id === id);
}

/** Schemas of some of the fields of an entry: what an edit leaves as it was has been looked at before. */
const partial = new Map<string, AnyObjectSchema>();
function schemaOf(name: ListName, keys: readonly string[] | undefined): AnyObjectSchema {
  const whole: AnyObjectSchema = entrySchemas[name];
  // rules over several fields need all of them
  if (!keys || whole.tests.length > 0) return whole;
  const address = `${name} ${keys.join(' ')}`;
  let schema = partial.get(address);
  if (!schema) partial.set(address, (schema = whole.pick(keys.filter((k) => k in whole.fields))));
  return schema;
}

function validate(name: ListName, entry: unknown, keys?: readonly string[]): void {
  try {
    schemaOf(name, keys).validateSync(entry, { strict: true, abortEarly: true });
  } catch (error) {
    if (error instanceof ValidationError)
      refuse('invalid', error.path ? `${lastKey(error.path)}: ${error.errors[0]}` : error.errors[0]);
    throw error;
  }
}
const lastKey = (path: string): string => path.split('.').at(-1)!;

/** Lists whose names are looked up together: no two entries of them may share one. */
const membersOfType: readonly ListName[] = ['quantities', 'parts', 'ports', 'charts', 'procedures'];
const namespaces: Partial<Record<ListName, readonly ListName[]>> = {
  quantities: membersOfType,
  parts: membersOfType,
  ports: membersOfType,
  charts: membersOfType,
  procedures: membersOfType,
  types: ['types'],
  states: ['states'],
};

function checkUnique(project: Draft<Project>, list: ReturnType<typeof listAt>, id: string, name: string): void {
  const owner = (list.owner ?? project) as unknown as Record<string, Entry[]>;
  for (const other of namespaces[list.name] ?? []) {
    const taken = owner[other]?.find((e) => e.name === name && e.id !== id);
    if (taken)
      refuse(
        'duplicate-name',
        `${name} is taken: ${'name' in owner ? `${(owner as unknown as Entry).name} has` : 'there is'} one in ${other} already`,
      );
  }
}

function change(project: Draft<Project>, edit: Edit): void {
  switch (edit.kind) {
    case 'project':
      Object.assign(project, edit.changes);
      return;
    case 'batch':
      for (const inner of edit.edits) change(project, inner);
      return;
    case 'insert': {
      const at = listAt(project, edit.list);
      validate(at.name, edit.entry);
      if (at.list.some((e) => e.id === edit.entry.id)) refuse('duplicate-id', 'This is there already');
      const entry = structuredClone(edit.entry) as unknown as Entry;
      if (entry.name !== undefined) checkUnique(project, at, entry.id, entry.name);
      if (at.name === 'requirements') takeKeys(project, [entry]);
      at.list.splice(edit.index ?? at.list.length, 0, entry);
      return;
    }
    case 'insert-all': {
      const at = listAt(project, edit.list);
      const taken = new Set(at.list.map((e) => e.id));
      for (const entry of edit.entries) {
        validate(at.name, entry);
        if (taken.has(entry.id)) refuse('duplicate-id', 'This is there already');
        taken.add(entry.id);
        const { name } = entry as Entry;
        if (name !== undefined && namespaces[at.name]) checkUnique(project, at, entry.id, name);
      }
      const entries = structuredClone(edit.entries) as unknown as Entry[];
      if (at.name === 'requirements') takeKeys(project, entries);
      at.list.push(...entries);
      return;
    }
    case 'remove-all': {
      const at = listAt(project, edit.list);
      const gone = new Set(edit.ids);
      for (const entry of at.list)
        if (gone.has(entry.id)) refuseWhileUsed(project as Project, edit.list, at.name, entry);
      if (at.name === 'requirements') retire(project, gone);
      const left = at.list.filter((e) => !gone.has(e.id));
      at.list.splice(0, at.list.length, ...left);
      return;
    }
    case 'update-all': {
      const at = listAt(project, edit.list);
      const places = new Map(at.list.map((e, k) => [e.id, k]));
      for (const { id, changes } of edit.updates) {
        const entry = at.list[places.get(id) ?? refuse('gone', 'This is no longer there')];
        const next = { ...((isDraft(entry) ? current(entry) : entry) as Entry), ...changes } as Entry;
        validate(at.name, next);
        if (at.name === 'requirements') changeKey(project, entry, next);
        Object.assign(entry, changes);
      }
      return;
    }
    case 'order': {
      const at = listAt(project, edit.list);
      const byId = new Map(at.list.map((e) => [e.id, e]));
      const wanted = edit.ids.flatMap((id) => byId.get(id) ?? []);
      const moved = new Set(wanted.map((e) => e.id));
      let k = 0;
      const next = at.list.map((e) => (moved.has(e.id) ? wanted[k++] : e));
      at.list.splice(0, at.list.length, ...next);
      return;
    }
    case 'update': {
      const at = listAt(project, edit.list);
      const entry = entryOf(at.list, edit.id) ?? refuse('gone', 'This is no longer there');
      const next = { ...(isDraft(entry) ? current(entry) : entry), ...edit.changes } as Entry;
      validate(at.name, next, Object.keys(edit.changes));
      if (next.name !== undefined && next.name !== entry.name) checkUnique(project, at, entry.id, next.name);
      if (at.name === 'requirements') changeKey(project, entry, next);
      Object.assign(entry, edit.changes);
      return;
    }
    case 'remove': {
      const at = listAt(project, edit.list);
      const index = at.list.findIndex((e) => e.id === edit.id);
      if (index < 0) refuse('gone', 'This is no longer there');
      refuseWhileUsed(project as Project, edit.list, at.name, at.list[index]);
      if (at.name === 'requirements') retire(project, new Set([edit.id]));
      at.list.splice(index, 1);
      if (at.name === 'states') removeState(at, edit.id);
      return;
    }
    case 'move': {
      const { list } = listAt(project, edit.list);
      const index = list.findIndex((e) => e.id === edit.id);
      if (index < 0) return;
      const [entry] = list.splice(index, 1);
      list.splice(Math.max(0, Math.min(edit.index, list.length)), 0, entry);
      return;
    }
    case 'rename':
      rename(project, edit);
  }
}

/** Identifiers of requirements are unique, and those of deleted ones are never given to another. */
function takeKeys(project: Draft<Project>, entries: readonly Entry[]): void {
  const taken = new Map((project as Project).requirements.map((r) => [r.key, r.id]));
  const retired = new Map((project as Project).retired.map((r) => [r.key, r.id]));
  for (const { id, key } of entries as readonly (Entry & { key: string })[]) {
    if (taken.has(key)) refuse('duplicate-key', `There is a requirement ${key} already`);
    if (retired.has(key) && retired.get(key) !== id)
      refuse('retired-key', `${key} was the id of a deleted requirement and is not used again`);
    taken.set(key, id);
  }
  const back = new Set((entries as readonly (Entry & { key: string })[]).map((e) => `${e.id} ${e.key}`));
  if (project.retired.some((r) => back.has(`${r.id} ${r.key}`)))
    project.retired = project.retired.filter((r) => !back.has(`${r.id} ${r.key}`));
}

function changeKey(project: Draft<Project>, entry: Entry, next: Entry): void {
  const [before, after] = [entry, next] as unknown as readonly { key: string }[];
  if (before.key === after.key) return;
  takeKeys(project, [next]);
  project.retired.push({ id: entry.id, key: before.key });
}

/** Deleted requirements leave their identifier behind; what stood under them moves up, and their links go. */
function retire(project: Draft<Project>, gone: ReadonlySet<string>): void {
  const byId = new Map(project.requirements.map((r) => [r.id, r]));
  const lastingParent = (id: string | null): string | null => {
    for (let at = id, steps = 0; at !== null && steps < 10_000; at = byId.get(at)?.parent ?? null, steps++)
      if (!gone.has(at)) return at;
    return null;
  };
  for (const r of project.requirements) {
    if (gone.has(r.id)) project.retired.push({ id: r.id, key: r.key });
    else if (r.parent !== null && gone.has(r.parent)) r.parent = lastingParent(r.parent);
  }
  if (project.traces.some((t) => gone.has(t.requirement) || gone.has(t.element.replace(/^requirement\//, '')))) {
    project.traces = project.traces.filter(
      (t) => !gone.has(t.requirement) && !gone.has(t.element.replace(/^requirement\//, '')),
    );
  }
}

const kindOfList: Partial<Record<ListName, ElementKind>> = {
  quantities: 'quantity',
  parts: 'part',
  ports: 'port',
  charts: 'chart',
  states: 'state',
  procedures: 'procedure',
};

function refuseWhileUsed(project: Project, list: string, name: ListName, entry: Entry): void {
  const [, typeId] = list.split('/');
  const shown = (users: readonly string[]): string =>
    users.length > 5 ? `${users.slice(0, 5).join('; ')} and ${users.length - 5} more` : users.join('; ');
  if (name === 'types') {
    const users = project.types.flatMap((t) =>
      t.parts.filter((p) => p.type === entry.id).map((p) => `${t.name}.${p.name}`),
    );
    users.push(...new Set(typeMentions(project, entry.name ?? '').map((m) => `the physics text of ${m.owner}`)));
    if (project.root === entry.id) users.unshift('the project, as its product');
    if (users.length > 0) refuse('in-use', `${entry.name} is still used by ${shown(users)}`);
    return;
  }
  const kind = kindOfList[name];
  if (!kind || entry.name === undefined) return;
  const own = kind === 'state' ? `state ${entry.name}` : `${typeById(project, typeId)?.name}.${entry.name} (`;
  const users = usersOf(project, kind, typeId, entry.name).filter(
    (u) => !u.startsWith(own) && !['entry', 'do', 'exit'].some((x) => u === `${x} of ${own}`),
  );
  if (users.length > 0) refuse('in-use', `${entry.name} is still used by ${shown(users)}`);
}

/** With a state go the states inside it and all transitions that touch them. */
function removeState(at: ReturnType<typeof listAt>, id: string): void {
  const chart = at.owner as unknown as {
    states: { id: string; parent: string | null }[];
    transitions: { from: string; to: string; also: string[] }[];
  };
  const gone = new Set([id]);
  for (let grown = true; grown;) {
    grown = false;
    for (const s of chart.states) {
      if (s.parent !== null && gone.has(s.parent) && !gone.has(s.id)) {
        gone.add(s.id);
        grown = true;
      }
    }
  }
  chart.states = chart.states.filter((s) => !gone.has(s.id));
  chart.transitions = chart.transitions.filter((t) => !gone.has(t.from) && !gone.has(t.to));
  for (const t of chart.transitions) if (t.also.some((x) => gone.has(x))) t.also = t.also.filter((x) => !gone.has(x));
}

function rename(project: Draft<Project>, edit: Extract<Edit, { kind: 'rename' }>): void {
  const at = listAt(project, edit.list);
  const entry = entryOf(at.list, edit.id) ?? refuse('gone', 'This is no longer there');
  if (entry.name === edit.name) return;
  try {
    if (
      at.name !== 'setups' &&
      at.name !== 'panels' &&
      at.name !== 'flows' &&
      at.name !== 'sequences' &&
      at.name !== 'sheets' &&
      at.name !== 'libraries'
    )
      nameSchema.validateSync(edit.name, { strict: true });
  } catch (error) {
    if (error instanceof ValidationError) refuse('invalid', error.errors[0]);
    throw error;
  }
  checkUnique(project, at, entry.id, edit.name);
  const kind = kindOfList[at.name];
  if (kind) {
    const [, typeId] = edit.list.split('/');
    const mentions = references(current(project) as Project, entry.name).filter(
      (r) => r.kind === kind && r.type === typeId && r.name === entry.name && (kind !== 'state' || r.id === entry.id),
    );
    replaceMentions(project, mentions, edit.name);
  }
  if (at.name === 'types') {
    const mentions = typeMentions(current(project) as Project, entry.name!);
    for (const { typeIndex, span } of mentions.sort((a, b) => b.span.start - a.span.start)) {
      const type = project.types[typeIndex];
      type.physics = type.physics.slice(0, span.start) + edit.name + type.physics.slice(span.end);
    }
  }
  entry.name = edit.name;
}

/** Replaces mentions from the back, so that earlier spans stay valid. */
function replaceMentions(project: Draft<Project>, mentions: readonly Reference[], name: string): void {
  const byText = new Map<string, Reference[]>();
  for (const m of mentions) byText.set(m.text.place, [...(byText.get(m.text.place) ?? []), m]);
  for (const list of byText.values()) {
    const { keys } = list[0].text;
    let replaced = keys.reduce<unknown>((at, key) => (at as Record<string | number, unknown>)[key], project) as string;
    for (const m of [...list].sort((a, b) => b.span.start - a.span.start))
      replaced = replaced.slice(0, m.span.start) + name + replaced.slice(m.span.end);
    let at: unknown = project;
    for (const key of keys.slice(0, -1)) at = (at as Record<string | number, unknown>)[key];
    (at as Record<string | number, unknown>)[keys[keys.length - 1]] = replaced;
  }
}
