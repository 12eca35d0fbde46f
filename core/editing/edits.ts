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
import type { AnySchema } from 'yup';
import { listFields, readAddress, type Address } from '../project/address';
import {
  partType,
  projectFields,
  quantity,
  requirement,
  state,
  type Project,
  type Quantity,
} from '../project/document';
import type { Edit } from '../project/edit';
import { marksFor } from '../project/equations';
import { complaint, entrySchema, nameSchema, type EntryDescription, type Fields } from '../project/field';
import { controlsToFollow } from './follow-type';
import { goneWith, isWithin } from './gone-with';
import { wrongIn } from './touched';
import { references, usersOf, type Reference } from './references';

export type { Edit, ListEntry } from '../project/edit';

enablePatches();

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
    // only what is sound can be read for what follows from it
    const wrong = wrongIn(project, next as Project, patches);
    if (wrong !== undefined) refuse('invalid', wrong);
    const [kept, more, back] = keepEquations(project, next as Project);
    const wrongThen = more.length > 0 ? wrongIn(project, kept, more) : undefined;
    if (wrongThen !== undefined) refuse('invalid', wrongThen);
    const all = [...patches, ...more];
    return { project: kept, patches: all, inverse: [...back, ...inverse] };
  } catch (error) {
    if (error instanceof Refused) return { project, refused: error.why, patches: [], inverse: [] };
    throw error;
  }
}

/** Equations keep their ids where a physics text has changed. */
function keepEquations(before: Project, after: Project): readonly [Project, readonly Patch[], readonly Patch[]] {
  if (before.types === after.types) return [after, [], []];
  const old = new Map(before.types.map((t) => [t.id, t]));
  const touched = after.types.flatMap((t, k) => {
    const was = old.get(t.id);
    return was && was.physics === t.physics ? [] : [{ k, marks: marksFor(t.physics, t.equations, was?.physics) }];
  });
  if (touched.length === 0) return [after, [], []];
  return produceWithPatches(after, (draft) => {
    for (const { k, marks } of touched) (draft as Draft<Project>).types[k].equations = marks.map((m) => ({ ...m }));
  });
}

export const undoEdit = (project: Project, inverse: readonly Patch[]): Project =>
  applyPatches(project, inverse as Patch[]);
export const redoEdit = (project: Project, patches: readonly Patch[]): Project =>
  applyPatches(project, patches as Patch[]);

type Entry = { id: string; name?: string };

interface ListAt {
  readonly list: Entry[];
  readonly description: EntryDescription;
  /** What holds the list: an entry, or the document. */
  readonly owner: Record<string, unknown>;
  readonly ownerFields: Fields;
}

function listAt(project: Draft<Project>, address: Address): ListAt {
  const read = readAddress(address);
  if (!read?.list) return refuse('no-list', `There is no list ${address}`);
  let owner = project as unknown as Record<string, unknown>;
  let ownerFields: Fields = projectFields;
  for (const step of read.steps) {
    const found = (owner[step.key] as Entry[]).find((e) => e.id === step.id);
    if (!found) return refuse('gone', `What this belongs to is no longer there`);
    owner = found as unknown as Record<string, unknown>;
    ownerFields = step.description.fields;
  }
  return { list: owner[read.list.key] as Entry[], description: read.list.description, owner, ownerFields };
}

/** The entry with an id. Looking into drafts makes a draft of everything looked at, so the list as it was is asked first. */
function entryOf(list: Entry[], id: string): Entry | undefined {
  const before = isDraft(list) ? original(list) : undefined;
  const k = before?.findIndex((e) => e.id === id) ?? -1;
  return k >= 0 && list[k]?.id === id ? list[k] : list.find((e) => e.id === id);
}

/** Refuses what an entry, or a field, cannot be. */
function check(schema: AnySchema, value: unknown, called?: string): void {
  const wrong = complaint(schema, value, called);
  if (wrong !== undefined) refuse('invalid', wrong);
}

/** Names are unique among all lists of an owner that share theirs. */
function checkUnique(at: ListAt, id: string, name: string): void {
  const { names } = at.description;
  if (names === undefined) return;
  for (const { key, description } of listFields(at.ownerFields).values()) {
    if (description.names !== names) continue;
    const taken = (at.owner[key] as Entry[]).find((e) => e.name === name && e.id !== id);
    if (taken)
      refuse(
        'duplicate-name',
        `${name} is taken: ${at.ownerFields !== projectFields ? `${String(at.owner.name)} has` : 'there is'} a ${description.word} of that name already`,
      );
  }
}

function change(project: Draft<Project>, edit: Edit): void {
  switch (edit.kind) {
    case 'project':
      for (const [key, value] of Object.entries(edit.changes)) {
        if (key !== 'name' && key !== 'note' && key !== 'root') refuse('no-field', `A project has no ${key}`);
        check(projectFields[key as 'name'].schema, value);
      }
      Object.assign(project, edit.changes);
      return;
    case 'batch':
      for (const inner of edit.edits) change(project, inner);
      return;
    case 'insert': {
      const at = listAt(project, edit.list);
      check(entrySchema(at.description), edit.entry);
      if (at.list.some((e) => e.id === edit.entry.id)) refuse('duplicate-id', 'This is there already');
      const entry = structuredClone(edit.entry) as unknown as Entry;
      if (entry.name !== undefined) checkUnique(at, entry.id, entry.name);
      if (at.description === requirement) takeKeys(project, [entry]);
      at.list.splice(edit.index ?? at.list.length, 0, entry);
      return;
    }
    case 'insert-all': {
      const at = listAt(project, edit.list);
      const taken = new Set(at.list.map((e) => e.id));
      for (const entry of edit.entries) {
        check(entrySchema(at.description), entry);
        if (taken.has(entry.id)) refuse('duplicate-id', 'This is there already');
        taken.add(entry.id);
        const { name } = entry as Entry;
        if (name !== undefined) checkUnique(at, entry.id, name);
      }
      const entries = structuredClone(edit.entries) as unknown as Entry[];
      if (at.description === requirement) takeKeys(project, entries);
      at.list.push(...entries);
      return;
    }
    case 'remove-all': {
      const at = listAt(project, edit.list);
      const gone = new Set(edit.ids);
      for (const entry of at.list)
        if (gone.has(entry.id)) refuseWhileUsed(project as Project, edit.list, at.description, entry);
      removeAll(project, at, gone);
      return;
    }
    case 'delete':
      removeTogether(project, edit.addresses);
      return;
    case 'update-all': {
      const at = listAt(project, edit.list);
      const places = new Map(at.list.map((e, k) => [e.id, k]));
      for (const { id, changes } of edit.updates) {
        const entry = at.list[places.get(id) ?? refuse('gone', 'This is no longer there')];
        const next = { ...((isDraft(entry) ? current(entry) : entry) as Entry), ...changes } as Entry;
        checkIdentity(at, entry, next);
        if (at.description === requirement) changeKey(project, entry, next);
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
      checkIdentity(at, entry, next);
      if (at.description === requirement) changeKey(project, entry, next);
      const { type: was } = entry as { type?: unknown };
      Object.assign(entry, edit.changes);
      const { type: now } = edit.changes;
      if (at.description === quantity && now !== undefined && now !== was)
        letControlsFollow(project, `${edit.list}/${edit.id}`, now as Quantity['type']);
      return;
    }
    case 'remove': {
      const at = listAt(project, edit.list);
      const index = at.list.findIndex((e) => e.id === edit.id);
      if (index < 0) refuse('gone', 'This is no longer there');
      refuseWhileUsed(project as Project, edit.list, at.description, at.list[index]);
      if (at.description === requirement) retire(project, new Set([edit.id]));
      at.list.splice(index, 1);
      if (at.description === state) removeState(at, edit.id);
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
      return;
    case 'lead':
      return lead(project, edit);
    case 'rename-declared':
      renameDeclared(project, edit);
  }
}

/** Controls of panels follow a quantity that is of another type now. */
function letControlsFollow(project: Draft<Project>, address: Address, type: Quantity['type']): void {
  const followers = controlsToFollow((isDraft(project) ? current(project) : project) as Project, address, type);
  for (const { panel, id, kind } of followers) {
    const control = project.panels.find((p) => p.id === panel)?.controls.find((c) => c.id === id);
    if (control) control.kind = kind;
  }
}

/** Everything else knows an entry by its id, and texts by its name. */
function checkIdentity(at: ListAt, entry: Entry, next: Entry): void {
  if (next.id !== entry.id) refuse('invalid', 'An id cannot be changed');
  const changed = (key: 'name' | 'key'): boolean => {
    const [was, now] = [entry, next] as readonly { readonly name?: string; readonly key?: string }[];
    if (now[key] === was[key] || !Object.hasOwn(at.description.fields, key)) return false;
    check(at.description.fields[key].schema, now[key], key);
    return true;
  };
  if (changed('name')) checkUnique(at, entry.id, next.name!);
  if (at.description === requirement) changed('key');
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

/** Kinds of entries that texts mention by name. */
const mentioned: ReadonlySet<string> = new Set([
  'type',
  'quantity',
  'part',
  'port',
  'chart',
  'state',
  'procedure',
  'value',
]);

function removeAll(project: Draft<Project>, at: ListAt, gone: ReadonlySet<string>): void {
  if (at.description === requirement) retire(project, gone);
  const left = at.list.filter((e) => !gone.has(e.id));
  at.list.splice(0, at.list.length, ...left);
}

function removeTogether(project: Draft<Project>, addresses: readonly Address[]): void {
  const before = (isDraft(project) ? current(project) : project) as Project;
  const gone = new Set(goneWith(before, addresses));
  const lists = new Map<Address, Set<string>>();
  for (const address of gone) {
    const [list, id] = splitAddress(address);
    lists.set(list, (lists.get(list) ?? new Set()).add(id));
    const at = listAt(project, list);
    const entry = entryOf(at.list, id) ?? refuse('gone', 'This is no longer there');
    refuseWhileUsed(before, list, at.description, (isDraft(entry) ? current(entry) : entry) as Entry, gone);
  }
  for (const [list, ids] of lists) {
    const at = listAt(project, list);
    removeAll(project, at, ids);
    // further targets of transitions that stay
    if (at.description === state)
      for (const t of (at.owner as unknown as { transitions: { also: string[] }[] }).transitions)
        if (t.also.some((x) => ids.has(x))) t.also = t.also.filter((x) => !ids.has(x));
  }
}

const splitAddress = (address: Address): [list: Address, id: string] => {
  const at = address.lastIndexOf('/');
  return [address.slice(0, at), address.slice(at + 1)];
};

/** What goes as well is no user. */
function refuseWhileUsed(
  project: Project,
  list: Address,
  description: EntryDescription,
  entry: Entry,
  gone: ReadonlySet<Address> = new Set([`${list}/${entry.id}`]),
): void {
  if (!mentioned.has(description.kind) || entry.name === undefined) return;
  const users = usersOf(project, `${list}/${entry.id}`, entry.name, gone);
  if (description === partType) {
    const stays = (t: { id: string }, p: { id: string }): boolean => !isWithin(`type/${t.id}/part/${p.id}`, gone);
    users.unshift(
      ...project.types.flatMap((t) =>
        t.parts.filter((p) => p.type === entry.id && stays(t, p)).map((p) => `${t.name}.${p.name}`),
      ),
    );
    if (project.root === entry.id) users.unshift('the project, as its product');
  }
  if (users.length === 0) return;
  const shown = users.length > 5 ? `${users.slice(0, 5).join('; ')} and ${users.length - 5} more` : users.join('; ');
  refuse('in-use', `${entry.name} is still used by ${shown}`);
}

/** With a state go the states inside it and all transitions that touch them. */
function removeState(at: ReturnType<typeof listAt>, id: string): void {
  const chart = at.owner as {
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
  if (!Object.hasOwn(at.description.fields, 'name')) refuse('no-name', `A ${at.description.word} has no name`);
  check(at.description.fields.name.schema, edit.name);
  checkUnique(at, entry.id, edit.name);
  if (mentioned.has(at.description.kind) && entry.name !== undefined) {
    const address = `${edit.list}/${entry.id}`;
    const found = references(current(project) as Project, entry.name);
    replaceMentions(
      project,
      found.filter((r) => r.address === address && r.name === entry.name),
      edit.name,
    );
  }
  entry.name = edit.name;
}

function renameDeclared(project: Draft<Project>, edit: Extract<Edit, { kind: 'rename-declared' }>): void {
  const type = project.types.find((t) => t.id === edit.type) ?? refuse('gone', 'This is no longer there');
  if (edit.to === edit.name) return;
  check(nameSchema, edit.to);
  const taken =
    [...type.quantities, ...type.parts, ...type.ports, ...type.charts, ...type.procedures].some(
      (x) => x.name === edit.to,
    ) ||
    references(current(project) as Project, edit.to).some(
      (r) => r.kind === 'declared' && r.declaredIn === type.name && r.name === edit.to,
    );
  if (taken) refuse('duplicate-name', `${edit.to} is taken: ${type.name} has something of that name already`);
  const found = references(current(project) as Project, edit.name);
  replaceMentions(
    project,
    found.filter((r) => r.kind === 'declared' && r.declaredIn === type.name && r.name === edit.name),
    edit.to,
  );
  for (const place of type.layout) if (place.name === edit.name) place.name = edit.to;
}

/** Replaces a path that begins with what a part type declares, wherever it is mentioned. */
function lead(project: Draft<Project>, edit: Extract<Edit, { kind: 'lead' }>): void {
  const type = project.types.find((t) => t.id === edit.type) ?? refuse('gone', 'This is no longer there');
  const [first, ...rest] = edit.from.split('.');
  const behind = new RegExp(`^${rest.map((name) => `\\s*\\.\\s*${name}`).join('')}(?![\\p{L}\\p{N}_])`, 'u');
  const found = references(current(project) as Project, first).flatMap((r): Reference[] => {
    if (r.kind !== 'declared' || r.declaredIn !== type.name || r.name !== first) return [];
    const more = behind.exec(r.text.text.slice(r.span.end))?.[0];
    return more === undefined ? [] : [{ ...r, span: { start: r.span.start, end: r.span.end + more.length } }];
  });
  replaceMentions(project, found, edit.to);
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
