import type { Patch } from 'immer';
import { projectFields, type Project } from '../project/document';
import { complaint, entrySchema, type EntryDescription, type Field, type Fields } from '../project/field';

/**
 * What an edit leaves behind is looked at once more, wherever it was written: with this the document after any edit is one that
 * its own file can bring back. Only what the patches touch is looked at, as everything else has been before.
 */
export function wrongIn(before: Project, after: Project, patches: readonly Patch[]): string | undefined {
  const looked = new Set<unknown>();
  for (const { path } of patches) {
    let owner: unknown = after;
    let was: unknown = before;
    let fields: Fields = projectFields;
    for (let k = 0; k < path.length; k += 2) {
      const key = String(path[k]);
      const field = Object.hasOwn(fields, key) ? fields[key] : undefined;
      if (!field) return `There is nothing called ${key} here`;
      const value = at(owner, key);
      const earlier = at(was, key);
      const place = path[k + 1];
      if (!field.entries || place === undefined) {
        const wrong = complaint(field.schema, value, key);
        if (wrong !== undefined) return wrong;
        break;
      }
      if (k + 2 === path.length || path[k + 2] === 'id') {
        // an entry that came, went or is called by another id: the list as a whole is looked at once, its new entries one by one
        const wrong = looked.has(value) ? undefined : wrongList(field, field.entries, value, earlier);
        if (wrong !== undefined) return wrong;
        looked.add(value);
        break;
      }
      owner = at(value, place);
      was = at(earlier, place);
      fields = field.entries.fields;
    }
  }
  return undefined;
}

const at = (owner: unknown, key: string | number): unknown =>
  (owner as Readonly<Record<string | number, unknown>> | undefined)?.[key];

function wrongList(field: Field<unknown>, entries: EntryDescription, list: unknown, was: unknown): string | undefined {
  const now = list as readonly { readonly id: string }[];
  const most = field.json.maxItems as number;
  if (now.length > most) return `There can be at most ${most} of these: ${entries.word}`;
  if (new Set(now.map((e) => e.id)).size < now.length) return `Two of these have one id: ${entries.word}`;
  const known = new Set(Array.isArray(was) ? (was as unknown[]) : []);
  for (const entry of now) {
    const wrong = known.has(entry) ? undefined : complaint(entrySchema(entries), entry, entries.word);
    if (wrong !== undefined) return wrong;
  }
  return undefined;
}
