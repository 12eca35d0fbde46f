import { applyEdit } from '../editing/edits';
import { findAt, readAddress, type Address } from '../project/address';
import { differences, type Difference } from '../project/differences';
import type { Edit, ListEntry } from '../project/edit';
import type { Entry } from '../project/field';
import type { Project } from '../project/project';
import { linkIndex } from '../trace/links';
import { caseMark } from '../proof/case-mark';

/** What has changed since a version that was kept. */
export interface ChangesSince {
  /** What says something else than before. */
  readonly said: readonly Difference[];
  /** What only stands elsewhere: cards, states, the order of lists. */
  readonly moved: readonly Difference[];
  /** Keys of requirements that are others, or that are linked to something that is another one. */
  readonly requirements: readonly string[];
  /** Ids of test cases whose outcome of then says nothing of now. */
  readonly cases: readonly string[];
}

const places: ReadonlySet<string> = new Set(['x', 'y', 'width', 'height', 'place', 'size', 'layout']);
const isMoved = (d: Difference): boolean =>
  d.kind === 'order' || (d.kind === 'changed' && d.fields.every((f) => places.has(f.field)));

export function changesSince(before: Project, now: Project): ChangesSince {
  const found = differences(now, before);
  const said = found.filter((d) => !isMoved(d));
  const touched = new Set<string>();
  const { ofElement } = linkIndex(now);
  for (const d of said) {
    // what an element says is what its owner is made of
    for (let at = d.address; at !== ''; at = at.slice(0, Math.max(0, at.lastIndexOf('/')))) {
      if (at.startsWith('requirement/')) touched.add(at.split('/')[1]);
      for (const l of ofElement.get(at) ?? []) touched.add(l.link.requirement);
    }
  }
  const were = new Map(before.cases.map((c) => [c.id, c]));
  return {
    said,
    moved: found.filter(isMoved),
    requirements: now.requirements.flatMap((r) => (touched.has(r.id) ? [r.key] : [])),
    cases: now.cases.flatMap((c) => {
      const was = were.get(c.id);
      return was && caseMark(before, was) === caseMark(now, c) ? [] : [c.id];
    }),
  };
}

/** The edit after which one thing says again what it said; undefined where there is none, such as for what a project is. */
export function takeBack(before: Project, now: Project, d: Difference): Edit | undefined {
  if (d.kind === 'only here') return { kind: 'delete', addresses: [d.address] };
  if (d.kind === 'order')
    return d.list === undefined ? undefined : { kind: 'order', list: d.list, ids: idsOf(before, d.list) };
  if (d.address === '') {
    // identifiers that were given up are not given again, whatever is taken back
    const own = d.fields.map((f) => f.field).filter((f) => f === 'name' || f === 'note' || f === 'root');
    return own.length > 0
      ? { kind: 'project', changes: Object.fromEntries(own.map((f) => [f, before[f]])) }
      : undefined;
  }
  const was = findAt(before, d.address);
  const entry = was?.chain.at(-1);
  if (!entry) return undefined;
  const list = d.address.slice(0, d.address.lastIndexOf('/'));
  if (d.kind === 'only there')
    return { kind: 'insert', list, entry: entry as unknown as ListEntry, index: idsOf(before, list).indexOf(entry.id) };
  const changed = d.fields.map((f) => f.field);
  const isRenamed = changed.includes('name') && readAddress(d.address)?.steps.at(-1)?.description.isNamed === true;
  const changes = Object.fromEntries(
    changed
      .filter((f) => !(isRenamed && f === 'name'))
      .map((f) => [f, (entry as Readonly<Record<string, unknown>>)[f]]),
  );
  const edits: Edit[] = [
    // who mentions it follows
    ...(isRenamed ? [{ kind: 'rename' as const, list, id: entry.id, name: String(entry.name) }] : []),
    ...(Object.keys(changes).length > 0 ? [{ kind: 'update' as const, list, id: entry.id, changes }] : []),
  ];
  return edits.length === 1 ? edits[0] : { kind: 'batch', label: `Take back ${d.what}`, edits };
}

/** The edits that lead from one version to another, in turn; and what stays different, as no edit is taken for it. */
export function editsTo(
  wanted: Project,
  now: Project,
): { readonly edits: readonly Edit[]; readonly left: readonly Difference[] } {
  const edits: Edit[] = [];
  for (let project = now; ;) {
    const found = differences(project, wanted);
    const before = project;
    for (const d of found) {
      // what was done for one thing may have done for another
      const edit = takeBack(wanted, project, d);
      const done = edit && applyEdit(project, edit);
      if (!done || done.refused || done.project === project) continue;
      project = done.project;
      edits.push(edit);
    }
    if (project === before) return { edits, left: found };
  }
}

function idsOf(project: Project, list: Address): readonly string[] {
  const owner = list.slice(0, Math.max(0, list.lastIndexOf('/')));
  const key = readAddress(list)?.list?.key;
  const of = owner === '' ? (project as unknown as Entry) : findAt(project, owner)?.chain.at(-1);
  return key === undefined || !of ? [] : (of[key] as readonly Entry[]).map((e) => e.id);
}
