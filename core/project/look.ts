import { complaint, type EntryDescription, type Fields } from './field';

/** Something in data that a document cannot have, with its place as `types[2].parts[0].name`. */
export interface Wrong {
  readonly place: string;
  readonly why: string;
}

/**
 * What is wrong in data that are to be a document: the same as its schema says, piece by piece, and no more than `most` of it, as
 * data from outside may be wrong a million times.
 */
export function wrongPlaces(fields: Fields, data: unknown, most: number): readonly Wrong[] {
  const found: Wrong[] = [];
  lookAt(fields, data, '', found, most);
  return found;
}

function lookAt(fields: Fields, value: unknown, place: string, found: Wrong[], most: number): void {
  const tell = (at: string, why: string): void => void found.push({ place: at, why });
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    return tell(place, 'This must be a group of values');
  const inner = (key: string): string => (place === '' ? key : `${place}.${key}`);
  const given = value as Readonly<Record<string, unknown>>;
  for (const [key, field] of Object.entries(fields)) {
    if (found.length >= most) return;
    const own = Object.hasOwn(given, key) ? given[key] : undefined;
    if (field.entries) lookAtList(field.entries, field.json.maxItems as number, own, inner(key), found, most);
    else {
      const why = complaint(field.schema, own);
      if (why !== undefined) tell(inner(key), why);
    }
  }
  for (const key of Object.keys(given)) {
    if (found.length >= most) return;
    if (!Object.hasOwn(fields, key)) tell(place, `There is nothing called ${key.slice(0, 80)} here`);
  }
}

function lookAtList(
  entries: EntryDescription,
  longest: number,
  list: unknown,
  place: string,
  found: Wrong[],
  most: number,
): void {
  const tell = (why: string): void => void found.push({ place, why });
  if (!Array.isArray(list)) return tell(list === undefined ? 'It is missing' : 'This must be a list');
  if (list.length > longest) return tell(`At most ${longest} entries`);
  const ids = new Set<unknown>();
  for (let k = 0; k < list.length && found.length < most; k++) {
    const entry: unknown = list[k];
    lookAt(entries.fields, entry, `${place}[${k}]`, found, most);
    const id = (entry as { readonly id?: unknown } | null)?.id;
    if (ids.has(id)) tell('Two entries have one id');
    ids.add(id);
  }
}
