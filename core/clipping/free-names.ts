import { applyEdit } from '../editing/edits';
import { declaredNames } from '../network/edit-physics';
import type { Address } from '../project/address';
import type { PartType, Project } from '../project/document';
import type { Entry } from '../project/field';
import { namesTaken, withFreeNames } from '../signals/rename-lines';
import { newChart, newProcedure, newType } from '../project/project';
import { listsIn, signalSheetAt, type Clipping, type Piece } from './clipping';

/** A name nobody has: the one wanted, or the next of its numbers. */
export const freeIn = (taken: ReadonlySet<string>, wanted: string, between = ''): string => {
  if (!taken.has(wanted)) return wanted;
  const [, stem, number] = between === '' ? /^(.*?)(\d*)$/.exec(wanted)! : ['', wanted, ''];
  for (let k = number === '' ? 2 : Number(number) + 1; ; k++) {
    const name = `${stem}${between}${k}`;
    if (!taken.has(name)) return name;
  }
};

export interface Naming {
  readonly project: Project;
  readonly clipping: Clipping;
  readonly owner: Address;
  readonly isHome: boolean;
}

/** Gives names nobody has; texts among what is pasted that mention one of it follow. */
export function renamed(
  { project, clipping, owner, isHome }: Naming,
  pieces: readonly Piece[],
  added: readonly PartType[],
  declared: ReadonlyMap<string, string> | undefined,
): readonly Piece[] {
  const target = listsIn(project, owner)!;
  const sheetOf = signalSheetAt.exec(owner)?.[1];
  const sheetType = sheetOf === undefined ? undefined : project.types.find((t) => t.id === sheetOf);
  if (sheetType) {
    const texts = withFreeNames(
      pieces.map((p) => String(p.entry.text)),
      namesTaken(sheetType),
    );
    return pieces.map((p, k) => ({ kind: p.kind, entry: { ...p.entry, text: texts[k] } }));
  }
  const inType = target.chain[0] as unknown as PartType | undefined;
  if (!owner.startsWith('type/') || !inType) return titled(target.holder, target.lists, pieces);
  // they stand alone in a part type of their own while they are renamed
  const others = [...project.types, ...added];
  const shellName = freeIn(new Set(others.map((t) => t.name)), clipping.within[0] || 'Shell');
  const [, , holderKind] = owner.split('/');
  const holder = target.chain.at(-1)!;
  const isElsewhere = !isHome || clipping.owner.split('/')[1] !== inType.id;
  const holderName = (isElsewhere ? holder.name : clipping.within.at(-1)) || holder.name!;
  let shell: PartType = newType('shell', shellName);
  const filled = <T extends object>(of: T): T => {
    const lists: Record<string, Entry[]> = {};
    for (const p of pieces) (lists[target.lists.get(p.kind)!.key] ??= []).push(p.entry);
    return { ...of, ...lists };
  };
  if (holderKind === undefined) shell = filled(shell);
  else if (holderKind === 'chart') shell = { ...shell, charts: [filled(newChart('holder', holderName))] };
  else if (holderKind === 'procedure') shell = { ...shell, procedures: [filled(newProcedure('holder', holderName))] };
  else return titled(target.holder, target.lists, pieces);
  const at = holderKind === undefined ? 'type/shell' : `type/shell/${holderKind}/holder`;
  let scratch: Project = { ...project, types: [...others, shell] };
  const taken = new Map<string, Set<string>>();
  const takenIn = (names: string): Set<string> => {
    let known = taken.get(names);
    if (!known) {
      known = new Set(
        [...target.lists.values()].flatMap(({ key, description }) =>
          description.names === names
            ? (target.holder as Record<string, readonly Entry[]>)[key].map((e) => e.name!)
            : [],
        ),
      );
      if (names === 'members') {
        for (const name of declaredNames(inType.physics)) known.add(name);
        for (const name of declared?.values() ?? []) known.add(name);
      }
      taken.set(names, known);
    }
    return known;
  };
  const everywhere = new Set(pieces.map((p) => p.entry.name ?? ''));
  for (const { kind, entry } of pieces) {
    const { description } = target.lists.get(kind)!;
    if (description.names === undefined && !(description.isNamed && kind === 'value')) continue;
    const names = description.names ?? key(kind);
    const known = description.names === undefined ? valuesIn(target.holder, taken, names) : takenIn(names);
    if (known.has(entry.name!)) {
      const name = freeIn(new Set([...known, ...everywhere]), entry.name!);
      scratch = applyEdit(scratch, { kind: 'rename', list: `${at}/${kind}`, id: entry.id, name }).project;
      known.add(name);
    } else known.add(entry.name!);
  }
  const now = listsIn(scratch, at)!;
  return pieces.map(({ kind, entry }) => ({
    kind,
    entry: (now.holder as Record<string, readonly Entry[]>)[now.lists.get(kind)!.key].find((e) => e.id === entry.id)!,
  }));
}

const key = (kind: string): string => `own ${kind}`;
function valuesIn(holder: unknown, taken: Map<string, Set<string>>, names: string): Set<string> {
  const known = taken.get(names) ?? new Set((holder as { values: readonly Entry[] }).values.map((v) => v.name!));
  taken.set(names, known);
  return known;
}

/** Titles are for people: two of one list that are called alike could not be told apart. */
function titled(
  holder: unknown,
  lists: NonNullable<ReturnType<typeof listsIn>>['lists'],
  pieces: readonly Piece[],
): readonly Piece[] {
  const taken = new Map<string, Set<string>>();
  return pieces.map((p) => {
    const field = p.kind === 'glossary' ? 'phrase' : 'name';
    const { key: list, description } = lists.get(p.kind)!;
    if (!Object.hasOwn(description.fields, field) || p.kind === 'change') return p;
    let known = taken.get(p.kind);
    if (!known)
      taken.set(
        p.kind,
        (known = new Set((holder as Record<string, readonly Entry[]>)[list].map((e) => String(e[field])))),
      );
    const was = String(p.entry[field]);
    const name = known.has(was) ? freeIn(known, `${was.replace(/ copy( \d+)?$/, '')} copy`, ' ') : was;
    known.add(name);
    return name === was ? p : { kind: p.kind, entry: { ...p.entry, [field]: name } };
  });
}
