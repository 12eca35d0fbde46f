import type { Edit } from '../project/edit';
import { newRequirement, type Attribute, type Project, type Requirement } from '../project/project';
import type { ImportedRow } from './requirement-sheet';

/** One way in which a sheet differs from the project; each can be taken over on its own. */
export type Difference =
  | { readonly kind: 'added'; readonly id: string; readonly row: ImportedRow; readonly returns: boolean }
  | {
      readonly kind: 'changed';
      readonly id: string;
      readonly row: ImportedRow;
      readonly requirement: Requirement;
      readonly fields: readonly FieldChange[];
    }
  | {
      readonly kind: 'moved';
      readonly id: string;
      readonly row: ImportedRow;
      readonly requirement: Requirement;
      readonly from: string;
      readonly to: string;
    }
  | { readonly kind: 'removed'; readonly id: string; readonly requirement: Requirement };

export interface FieldChange {
  readonly field: string;
  readonly before: string;
  readonly after: string;
}

export interface Comparison {
  readonly differences: readonly Difference[];
  readonly same: number;
  /** Requirement of the project for each row that has one, by key of the row. */
  readonly matches: ReadonlyMap<string, Requirement>;
  readonly rows: readonly ImportedRow[];
}

/**
 * Compares a sheet with the project. Rows meet requirements by the identifier another tool gave, then by their id.
 * Requirements count as removed when they came from this file before and are not in it any more.
 */
export function compareSheet(project: Project, rows: readonly ImportedRow[], file: string): Comparison {
  const byForeign = new Map(
    project.requirements.flatMap((r) => (r.source?.foreign ? [[r.source.foreign, r] as const] : [])),
  );
  const byKey = new Map(project.requirements.map((r) => [r.key, r]));
  const byId = new Map(project.requirements.map((r) => [r.id, r]));
  const retired = new Set(project.retired.map((r) => r.key));
  const matches = new Map<string, Requirement>();
  const met = new Set<string>();
  for (const row of rows) {
    const found = (row.source.foreign && byForeign.get(row.source.foreign)) || byKey.get(row.key);
    if (!found || met.has(found.id)) continue;
    met.add(found.id);
    matches.set(row.key, found);
  }
  const differences: Difference[] = [];
  let same = 0;
  const keyOf = (id: string | null): string => (id === null ? '' : (byId.get(id)?.key ?? ''));
  const after = orderChanges(
    rows.flatMap((r) => matches.get(r.key) ?? []),
    project.requirements,
  );
  for (const row of rows) {
    const requirement = matches.get(row.key);
    if (!requirement) {
      differences.push({ kind: 'added', id: `added/${row.key}`, row, returns: retired.has(row.key) });
      continue;
    }
    const fields = fieldChanges(requirement, row);
    if (fields.length > 0)
      differences.push({ kind: 'changed', id: `changed/${requirement.id}`, row, requirement, fields });
    const parent = keyOf(requirement.parent);
    const wanted = row.parent === '' ? '' : (matches.get(row.parent)?.key ?? row.parent);
    if (parent !== wanted)
      differences.push({
        kind: 'moved',
        id: `moved/${requirement.id}`,
        row,
        requirement,
        from: parent ? `under ${parent}` : 'on top',
        to: wanted ? `under ${wanted}` : 'on top',
      });
    else if (after.has(requirement.id))
      differences.push({
        kind: 'moved',
        id: `moved/${requirement.id}`,
        row,
        requirement,
        from: 'its place',
        to: after.get(requirement.id)!,
      });
    else if (fields.length === 0) same++;
  }
  for (const r of project.requirements) {
    if (!met.has(r.id) && r.source?.file === file)
      differences.push({ kind: 'removed', id: `removed/${r.id}`, requirement: r });
  }
  return { differences, same, matches, rows };
}

/** Requirements that stand elsewhere among the others now: those outside the longest run that kept its order. */
function orderChanges(wanted: readonly Requirement[], present: readonly Requirement[]): Map<string, string> {
  const place = new Map(present.map((r, k) => [r.id, k]));
  const sequence = wanted.map((r) => place.get(r.id)!);
  // longest increasing subsequence by patience sorting (Fredman 1975)
  const tails: number[] = [],
    previous = new Array<number>(sequence.length).fill(-1);
  sequence.forEach((x, k) => {
    let low = 0,
      high = tails.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (sequence[tails[middle]] < x) low = middle + 1;
      else high = middle;
    }
    if (low > 0) previous[k] = tails[low - 1];
    tails[low] = k;
  });
  const kept = new Set<number>();
  for (let k = tails.at(-1) ?? -1; k >= 0; k = previous[k]) kept.add(k);
  const moved = new Map<string, string>();
  wanted.forEach((r, k) => {
    if (!kept.has(k)) moved.set(r.id, k === 0 ? 'first' : `after ${wanted[k - 1].key}`);
  });
  return moved;
}

function fieldChanges(r: Requirement, row: ImportedRow): FieldChange[] {
  const found: FieldChange[] = [];
  const compare = (field: string, before: string, after: string): void => {
    if (before !== after) found.push({ field, before, after });
  };
  compare('id', r.key, row.key);
  compare('text', r.text, row.text);
  compare('kind', r.kind, row.kind);
  const values = (list: readonly Attribute[]): Map<string, string> => new Map(list.map((a) => [a.name, a.value]));
  const [before, after] = [values(r.attributes), values(row.attributes)];
  // columns that were not chosen this time are no changes
  for (const [name, value] of after) compare(name, before.get(name) ?? '', value);
  return found;
}

/** The edit that takes chosen differences over. `newId` makes ids for added requirements. */
export function takeOver(
  project: Project,
  comparison: Comparison,
  chosen: ReadonlySet<string>,
  newId: () => string,
): Edit {
  const edits: Edit[] = [];
  const ids = new Map<string, string>([...comparison.matches].map(([key, r]) => [key, r.id]));
  const retired = new Map(project.retired.map((r) => [r.key, r.id]));
  const live = new Set(project.requirements.map((r) => r.id));
  const added = comparison.differences.filter(
    (d): d is Extract<Difference, { kind: 'added' }> => d.kind === 'added' && chosen.has(d.id),
  );
  for (const { row } of added) {
    const back = retired.get(row.key);
    ids.set(row.key, back !== undefined && !live.has(back) ? back : newId());
  }
  const parentOf = (row: ImportedRow): string | null => (row.parent === '' ? null : (ids.get(row.parent) ?? null));
  // those that leave go first, so that nothing stands in the way of an id
  const removed = comparison.differences.flatMap((d) =>
    d.kind === 'removed' && chosen.has(d.id) ? [d.requirement.id] : [],
  );
  if (removed.length > 0) edits.push({ kind: 'remove-all', list: 'requirement', ids: removed });
  const updates = new Map<string, Record<string, unknown>>();
  const update = (r: Requirement, changes: Record<string, unknown>): void =>
    void updates.set(r.id, { ...updates.get(r.id), ...changes });
  for (const d of comparison.differences) {
    if (!chosen.has(d.id)) continue;
    if (d.kind === 'changed') {
      const attributes = new Map([...d.requirement.attributes, ...d.row.attributes].map((a) => [a.name, a]));
      update(d.requirement, {
        key: d.row.key,
        text: d.row.text,
        kind: d.row.kind,
        attributes: [...attributes.values()],
        source: d.row.source,
      });
    } else if (d.kind === 'moved' && d.from !== 'its place')
      update(d.requirement, { parent: parentOf(d.row), source: d.row.source });
  }
  // rows that are the same still know their newest place in the file
  const differing = new Set(
    comparison.differences.flatMap((d) => (d.kind === 'changed' || d.kind === 'moved' ? [d.requirement.id] : [])),
  );
  for (const row of comparison.rows) {
    const r = comparison.matches.get(row.key);
    if (r && !differing.has(r.id) && JSON.stringify(r.source) !== JSON.stringify(row.source))
      update(r, { source: row.source });
  }
  if (added.length > 0) {
    edits.push({
      kind: 'insert-all',
      list: 'requirement',
      entries: added.map(({ row }) => ({
        ...newRequirement(ids.get(row.key)!, row.key, row.text),
        kind: row.kind,
        parent: parentOf(row),
        attributes: row.attributes,
        source: row.source,
      })),
    });
  }
  if (updates.size > 0)
    edits.push({
      kind: 'update-all',
      list: 'requirement',
      updates: [...updates].map(([id, changes]) => ({ id, changes })),
    });
  const inOrder = added.length > 0 || comparison.differences.some((d) => d.kind === 'moved' && chosen.has(d.id));
  if (inOrder)
    edits.push({
      kind: 'order',
      list: 'requirement',
      ids: orderAfter(project, comparison, chosen, ids, new Set(removed)),
    });
  return { kind: 'batch', label: 'Import requirements', edits };
}

/** The order of the list once rows stand where the sheet has them; those the sheet does not know keep their place. */
function orderAfter(
  project: Project,
  comparison: Comparison,
  chosen: ReadonlySet<string>,
  ids: ReadonlyMap<string, string>,
  removed: ReadonlySet<string>,
): string[] {
  const refused = new Set(
    comparison.differences.flatMap((d) => (d.kind === 'moved' && !chosen.has(d.id) ? [d.requirement.id] : [])),
  );
  const inSheet = comparison.rows
    .flatMap((r) => ids.get(r.key) ?? [])
    .filter((id) => !removed.has(id) && !refused.has(id));
  const known = new Set(inSheet);
  const present = project.requirements.map((r) => r.id).filter((id) => !removed.has(id));
  const result: string[] = [];
  const placed = new Set<string>();
  let next = 0;
  for (const id of present) {
    if (!known.has(id)) {
      result.push(id);
      continue;
    }
    // everything the sheet has up to here comes first
    while (next < inSheet.length) {
      const at = inSheet[next++];
      if (placed.has(at)) continue;
      placed.add(at);
      result.push(at);
      if (at === id) break;
    }
  }
  // what is added behind the last of them stands at the end as it is
  return result;
}
