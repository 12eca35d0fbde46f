import { applyEdit } from '../editing/edits';
import type { ClassText, PartType, Project, SignalLine } from '../project/document';
import { emptyProject, newSignalSheet, newType } from '../project/project';
import { classesIn, signalSheetAt, typesUsed, type Clipping, type Piece } from './clipping';
import { freeIn } from './free-names';

export interface Brought {
  /** What was copied; lines of signal sheets with the names their part types have here. */
  readonly pieces: readonly Piece[];
  readonly added: readonly PartType[];
  readonly idOf: (id: string) => string;
}

/** The part types that have to come along: those of the same name that say the same are there already. */
export function bringTypes(
  project: Project,
  clipping: Clipping,
  isHome: boolean,
  newId: () => string,
  notes: string[],
): Brought {
  const own = clipping.pieces.flatMap((p) => (p.kind === 'type' ? [p.entry as unknown as PartType] : []));
  const carried = [...own, ...clipping.types];
  const ids = new Map<string, string>();
  for (const t of clipping.types) {
    if (isHome && project.types.some((x) => x.id === t.id)) ids.set(t.id, t.id);
    else {
      const same = project.types.find((x) => x.name === t.name && isSame(project, x, t, clipping.types));
      if (same) ids.set(t.id, same.id);
    }
  }
  const bring = carried.filter((t) => !ids.has(t.id));
  for (const t of bring) ids.set(t.id, newId());
  // their texts name one another, and nothing of this project yet
  const taken = new Set([...project.types, ...carried].map((t) => t.name));
  const sheet = signalSheetAt.test(clipping.owner) ? shellOf(clipping, freeIn(taken, 'Shell')) : undefined;
  let scratch: Project = { ...emptyProject('scratch', 'scratch'), types: sheet ? [...carried, sheet] : [...carried] };
  const clash = new Set(project.types.map((t) => t.name));
  for (const t of bring) {
    if (!clash.has(t.name)) {
      clash.add(t.name);
      continue;
    }
    const name = freeIn(taken, t.name);
    scratch = applyEdit(scratch, { kind: 'rename', list: 'type', id: t.id, name }).project;
    taken.add(name);
    clash.add(name);
    if (!own.includes(t)) notes.push(`${t.name} came along as ${name}, as this project has another ${t.name}`);
  }
  const idOf = (id: string): string => ids.get(id) ?? id;
  const added = bring.map((t): PartType => {
    const now = scratch.types.find((x) => x.id === t.id)!;
    return { ...now, id: idOf(t.id), parts: now.parts.map((p) => ({ ...p, type: idOf(p.type) })) };
  });
  const lines = sheet && scratch.types.find((x) => x.id === sheet.id)!.signals[0].lines;
  return { added, idOf, pieces: lines ? lines.map((entry) => ({ kind: 'line', entry })) : clipping.pieces };
}

/** Lines of a signal sheet on a sheet of their own, where they follow other names of part types. */
const shellOf = (clipping: Clipping, name: string): PartType => ({
  ...newType('$lines', name),
  signals: [
    { ...newSignalSheet('sheet', 'Sheet'), lines: clipping.pieces.map((p) => p.entry as unknown as SignalLine) },
  ],
});

/** Whether a part type says the same as one that was copied, with all it is made of. */
function isSame(project: Project, here: PartType, there: PartType, carried: readonly PartType[]): boolean {
  const inHere = new Map(typesUsed(project, [here.id]).map((t) => [t.name, sayingOf(t, project.types)]));
  const inThere = typesUsed({ ...emptyProject('s', 's'), types: [...carried] }, [there.id]);
  return inThere.every((t) => inHere.get(t.name) === sayingOf(t, carried));
}

/** What a part type says, whatever its id and wherever its cards stand; parts by the names of their types. */
const sayingOf = (t: PartType, types: readonly PartType[]): string => {
  const nameOf = (id: string): string => types.find((x) => x.id === id)?.name ?? '';
  return JSON.stringify({
    ...t,
    id: '',
    equations: [],
    layout: [],
    parts: t.parts.map((p) => ({ ...p, type: nameOf(p.type), place: null })),
  });
};

/** The shared texts that have to come along: classes of their names are taken as they are here. */
export function bringLibraries(
  project: Project,
  clipping: Clipping,
  newId: () => string,
  notes: string[],
): readonly ClassText[] {
  const known = new Set(project.libraries.flatMap(classesIn));
  const names = new Set(project.libraries.map((l) => l.name));
  return clipping.libraries.flatMap((l): ClassText[] => {
    if (project.libraries.some((x) => x.text === l.text)) return [];
    const twice = classesIn(l).filter((c) => known.has(c));
    if (twice.length > 0) {
      notes.push(
        `${twice.join(', ')} of the shared text ${l.name} is taken as this project has it: look whether that fits`,
      );
      return [];
    }
    const name = freeIn(names, l.name, ' ');
    names.add(name);
    notes.push(`The shared text ${l.name} came along`);
    return [{ ...l, id: newId(), name }];
  });
}
