import { mergeDiff3 } from 'node-diff3';
import type { Address } from '../project/address';
import { projectFields, type Project } from '../project/document';
import type { Entry, EntryDescription, Fields } from '../project/field';

/**
 * Two versions of a document that grew from one are brought together by what they say, not by their lines: an entry is the same where its address is, and
 * each of its fields goes by itself (three-way merge: Mens 2002, A state-of-the-art survey on software merging). What only one side has changed is
 * taken; what both have changed in another way is decided by somebody. Until then it stays as it is on this side, and nothing is taken away.
 */
export interface Conflict {
  /** Of a field, or of an entry that one side has taken away and the other has changed. */
  readonly address: Address;
  readonly what: string;
  /** What was there before, and what each side has made of it; undefined where it is not there. */
  readonly before: unknown;
  readonly here: unknown;
  readonly there: unknown;
}

export type Side = 'here' | 'there';

export interface Merged {
  readonly project: Project;
  /** What both have changed, in the order of the document; those that are decided as well. */
  readonly conflicts: readonly Conflict[];
}

type Values = Readonly<Record<string, unknown>>;

/** `decided`: which side is taken, by the address of a conflict. */
export function merge(
  before: Project,
  here: Project,
  there: Project,
  decided: ReadonlyMap<Address, Side> = new Map(),
): Merged {
  const conflicts: Conflict[] = [];
  /** What is taken where both sides have something to say; what is decided later stays as it is here. */
  const decide = <T>(conflict: Conflict, own: T, other: T): T => {
    conflicts.push(conflict);
    return decided.get(conflict.address) === 'there' ? other : own;
  };

  const fieldsOf = (fields: Fields, at: Address, what: string, b: Values | undefined, h: Values, t: Values): Values => {
    const made: Record<string, unknown> = { ...h };
    for (const [key, field] of Object.entries(fields)) {
      // nobody makes an id, and what a file is does not change
      if (key === 'id' || key === 'format' || key === 'version') continue;
      const address = at === '' ? key : `${at}/${key}`;
      if (field.entries) {
        const [x, y, z] = [b, h, t].map((v) => (v?.[key] ?? []) as readonly Entry[]);
        made[key] = y === z ? y : listOf(field.entries, at, x, y, z);
      } else if (!isSame(h[key], t[key])) {
        if (b && isSame(b[key], h[key])) made[key] = t[key];
        else if (!b || !isSame(b[key], t[key])) {
          const joined = b && together(b[key], h[key], t[key]);
          made[key] =
            joined !== undefined
              ? joined
              : decide(
                  { address, what: `${key} of ${what}`, before: b?.[key], here: h[key], there: t[key] },
                  h[key],
                  t[key],
                );
        }
      }
    }
    return made;
  };

  const listOf = (
    description: EntryDescription,
    owner: Address,
    before: readonly Entry[],
    here: readonly Entry[],
    there: readonly Entry[],
  ): readonly Entry[] => {
    const [b, h, t] = [before, here, there].map((l) => new Map(l.map((e) => [e.id, e])));
    const at = (id: string): Address => (owner === '' ? '' : `${owner}/`) + `${description.kind}/${id}`;
    const made = new Map<string, Entry>();
    const take = (id: string, e: Entry | undefined): void => void (e && made.set(id, e));
    for (const id of new Set([...h.keys(), ...t.keys()])) {
      const [was, own, other] = [b.get(id), h.get(id), t.get(id)];
      const what = `${description.word} ${nameOf(own ?? other!)}`;
      if (own && other)
        take(
          id,
          own === other ? own : (fieldsOf(description.fields, at(id), what, was, own, other) as unknown as Entry),
        );
      else if (!was) take(id, own ?? other);
      else if (!isSame(was, own ?? other)) {
        const conflict = { address: at(id), what, before: was, here: own, there: other };
        const chosen = decide(conflict, own, other);
        // until it is decided it is there
        take(id, decided.has(conflict.address) ? chosen : (own ?? other));
      }
    }
    const ids = orderOf([...b.keys()], [...h.keys()], [...t.keys()]);
    const list = ids.flatMap((id) => made.get(id) ?? []);
    return list.length === here.length && list.every((e, k) => e === here[k]) ? here : list;
  };

  const of = (p: Project): Values => p as unknown as Values;
  const project = fieldsOf(projectFields, '', 'the project', of(before), of(here), of(there));
  return { project: project as unknown as Project, conflicts };
}

const nameOf = (e: Entry): string => String(e.name ?? e.key ?? e.id);

const isSame = (a: unknown, b: unknown): boolean => a === b || JSON.stringify(a) === JSON.stringify(b);

/** Both changes of a value at once, where they touch different lines or only add rows; undefined where they do not go together. */
function together(before: unknown, here: unknown, there: unknown): unknown {
  if (typeof before === 'string' && typeof here === 'string' && typeof there === 'string') {
    if (!before.includes('\n')) return undefined;
    const { conflict, result } = mergeDiff3(here.split('\n'), before.split('\n'), there.split('\n'));
    return conflict ? undefined : result.join('\n');
  }
  if (!Array.isArray(before) || !Array.isArray(here) || !Array.isArray(there)) return undefined;
  const [b, h, t] = [before, here, there].map((l: readonly unknown[]) => l.map((x) => JSON.stringify(x)));
  if (!b.every((x, k) => h[k] === x && t[k] === x)) return undefined;
  const known = new Set(h);
  return [...(here as readonly unknown[]), ...(there as readonly unknown[]).filter((_, k) => !known.has(t[k]))];
}

/** Ids of both sides: in the order of the side that has changed it, this one where both have; what is new behind what it follows. */
function orderOf(before: readonly string[], here: readonly string[], there: readonly string[]): readonly string[] {
  const common = (l: readonly string[], other: readonly string[]): string => {
    const has = new Set(other);
    return l.filter((x) => has.has(x)).join();
  };
  const isOwn = common(before, here) !== common(here, before) || common(before, there) === common(there, before);
  const [first, second] = isOwn ? [here, there] : [there, here];
  const list = [...first];
  const known = new Set(first);
  second.forEach((id, k) => {
    if (known.has(id)) return;
    known.add(id);
    const after = k === 0 ? -1 : list.indexOf(second[k - 1]);
    list.splice(after + 1, 0, id);
  });
  return list;
}
