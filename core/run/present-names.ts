import { createNames } from '../flatten/names';
import { listFields, type Address } from '../project/address';
import { partType, type Chart, type PartType, type Project } from '../project/document';
import type { Entry, EntryDescription } from '../project/field';
import type { RunModel } from './protocol';

/**
 * What a run recorded has the names of its time. When something is renamed, and when that is undone, recordings follow: a track of
 * the new name shows what was recorded under the old one.
 */

/** Names that differ between two states of one project, by the address of what has them. */
export function changedNames(before: Project, after: Project): ReadonlyMap<Address, string> {
  const changed = new Map<Address, string>();
  if (before.types === after.types) return changed;
  const compare = (was: Entry, is: Entry, description: EntryDescription, address: Address): void => {
    if (was === is) return;
    if (typeof is.name === 'string' && was.name !== is.name) changed.set(address, is.name);
    for (const { key, description: inner } of listFields(description.fields).values()) {
      const old = new Map((was[key] as readonly Entry[]).map((e) => [e.id, e]));
      for (const e of is[key] as readonly Entry[]) {
        const other = old.get(e.id);
        if (other) compare(other, e, inner, `${address}/${inner.kind}/${e.id}`);
      }
    }
  };
  const old = new Map(before.types.map((t) => [t.id, t]));
  for (const t of after.types) {
    const was = old.get(t.id);
    if (was) compare(was as unknown as Entry, t as unknown as Entry, partType, `type/${t.id}`);
  }
  return changed;
}

export interface PresentNames {
  /** A full name, such as `spindle.speed`, as it is now. */
  path(name: string): string;
  /** A state of a chart, by its path, as it is called now. */
  state(chart: string, path: string): string;
  type(name: string): string;
}

/** How names of a run of a part type are written after a change. */
export function presentNames(
  before: Project,
  after: Project,
  changed: ReadonlyMap<Address, string>,
  rootType: string,
): PresentNames {
  const names = createNames(before);
  const root = before.types.find((t) => t.name === rootType);
  const ref = root && names.classOf(root.id);
  const known = new Map<string, string>();
  const statePaths = new Map<string, ReadonlyMap<string, string>>();
  const path = (name: string): string => {
    let now = known.get(name);
    if (now === undefined) {
      const parts = [...name.matchAll(/([\p{L}_][\p{L}\p{N}_]*)(\[[^\]]*\])?/gu)];
      const meanings = ref
        ? names.path(
            ref,
            parts.map((m) => m[1]),
          )
        : [];
      now = name;
      for (let k = meanings.length - 1; k >= 0; k--) {
        const next = changed.get(meanings[k].address);
        if (next === undefined || meanings[k].declaredIn !== undefined) continue;
        const { index } = parts[k];
        now = now.slice(0, index) + next + now.slice(index + parts[k][1].length);
      }
      known.set(name, now);
    }
    return now;
  };
  const statesOf = (chart: string): ReadonlyMap<string, string> => {
    let found = statePaths.get(chart);
    if (!found) {
      const meaning = ref && names.path(ref, chart.replace(/\[[^\]]*\]/g, '').split('.')).at(-1);
      found = meaning?.kind === 'chart' ? renamedStates(before, after, meaning.address) : new Map<string, string>();
      statePaths.set(chart, found);
    }
    return found;
  };
  return {
    path,
    state: (chart, state) => statesOf(chart).get(state) ?? state,
    type: (name) => {
      const type = before.types.find((t) => t.name === name);
      return (type && changed.get(`type/${type.id}`)) ?? name;
    },
  };
}

function renamedStates(before: Project, after: Project, address: Address): ReadonlyMap<string, string> {
  const [, typeId, , chartId] = address.split('/');
  const chartIn = (types: readonly PartType[]): Chart | undefined =>
    types.find((t) => t.id === typeId)?.charts.find((c) => c.id === chartId);
  const [was, is] = [chartIn(before.types), chartIn(after.types)];
  const pathIn = (chart: Chart, id: string): string => {
    const names: string[] = [];
    const seen = new Set<string>();
    for (let at = chart.states.find((s) => s.id === id); at && !seen.has(at.id);) {
      seen.add(at.id);
      names.unshift(at.name);
      const { parent } = at;
      at = parent === null ? undefined : chart.states.find((s) => s.id === parent);
    }
    return names.join('.');
  };
  if (!was || !is) return new Map();
  return new Map(
    was.states.flatMap((s) =>
      is.states.some((x) => x.id === s.id) ? [[pathIn(was, s.id), pathIn(is, s.id)] as const] : [],
    ),
  );
}

/** What a run says of its model, under the present names. */
export const modelUnder = (model: RunModel, names: PresentNames): RunModel => ({
  ...model,
  parameters: keysUnder(model.parameters, names.path),
  units: keysUnder(model.units, names.path),
  parts: model.parts.map((p) => (p === '' ? p : names.path(p))),
  partTypes: model.partTypes.map(names.type),
  settable: model.settable.map(names.path),
  shapes: model.shapes.map((s) => ({ ...s, part: names.path(s.part) })),
  charts: model.charts.map((c) => ({
    ...c,
    name: names.path(c.name),
    part: c.part === '' ? c.part : names.path(c.part),
    states: c.states.map((s) => names.state(c.name, s)),
    targets: c.targets.map((s) => names.state(c.name, s)),
  })),
});

const keysUnder = <T>(
  values: Readonly<Record<string, T>>,
  name: (key: string) => string,
): Readonly<Record<string, T>> => Object.fromEntries(Object.entries(values).map(([key, value]) => [name(key), value]));
