import { nanoid } from 'nanoid';
import type { Edit } from '@/core/project/edit';
import { newChange, type Change, type PartType } from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';

/** A name nobody has yet: the one wanted, or with a number from 2 on behind it. */
export const freeName = (taken: readonly string[], wanted: string, between = ''): string => {
  let name = wanted;
  for (let k = 2; taken.includes(name); k++) name = `${wanted}${between}${k}`;
  return name;
};

/** A name nobody has yet, with a number from 1 on: `State1`, `State2`. */
export const numberedName = (taken: readonly string[], base: string): string => {
  for (let k = 1; ; k++) if (!taken.includes(`${base}${k}`)) return `${base}${k}`;
};

export const allNames = (t: PartType): string[] =>
  [...t.quantities, ...t.parts, ...t.ports, ...t.charts].map((x) => x.name);

/** Runs an edit and says why it was refused, where there is no field to say it at. */
export const tryEdit = (edit: Edit, label: string): void => {
  const refused = useProject.getState().edit(edit, label);
  if (refused) usePlace.getState().say(refused.message);
};

/** `a = 1, b = f(2, 3)`: commas inside brackets belong to the value. What was changed before stays the same entry. */
export function readChangeList(text: string, before: readonly Change[]): readonly Change[] {
  const rows: string[] = [];
  let depth = 0;
  let row = '';
  for (const c of text) {
    if (c === '(' || c === '{' || c === '[') depth++;
    if (c === ')' || c === '}' || c === ']') depth--;
    if (c === ',' && depth === 0) {
      rows.push(row);
      row = '';
    } else row += c;
  }
  rows.push(row);
  return rows
    .filter((r) => r.trim() !== '')
    .map((r) => {
      const at = r.indexOf('=');
      const name = (at < 0 ? r : r.slice(0, at)).trim();
      return newChange(
        before.find((c) => c.name === name)?.id ?? nanoid(8),
        name,
        at < 0 ? '' : r.slice(at + 1).trim(),
      );
    });
}
