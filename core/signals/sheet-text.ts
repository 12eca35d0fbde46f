import type { SignalLine, SignalSheet } from '../project/document';
import { nameOfLine } from './sheet-picture';

/** A whole sheet as text, one line each, and back. */

export const sheetText = (sheet: Pick<SignalSheet, 'lines'>): string => sheet.lines.map((l) => l.text).join('\n');

const nameIn = (text: string): string | undefined => /^\s*([\p{L}_][\p{L}\p{N}_]*)\s*=(?!=)/u.exec(text)?.[1];

/**
 * The lines of a text. What stays the same keeps its id and its place on the drawing, then what gives the same name, then what stands where a line
 * was that is no more.
 */
export function linesFromText(before: readonly SignalLine[], text: string, newId: () => string): readonly SignalLine[] {
  const rows = text.split(/\r\n?|\n/);
  while (rows.length > 0 && rows.at(-1)!.trim() === '') rows.pop();
  const left = new Set(before);
  const found: (SignalLine | undefined)[] = rows.map(() => undefined);
  const take = (fits: (row: string, k: number) => SignalLine | undefined): void =>
    rows.forEach((row, k) => {
      if (found[k]) return;
      const line = fits(row, k);
      if (!line || !left.has(line)) return;
      left.delete(line);
      found[k] = line;
    });
  // in their order, so that equal lines stay what they are
  const byText = new Map<string, SignalLine[]>();
  for (const l of before) byText.set(l.text, [...(byText.get(l.text) ?? []), l]);
  take((row) => byText.get(row)?.shift());
  const byName = new Map(
    before.flatMap((l) => (left.has(l) && nameOfLine(l) !== undefined ? [[nameOfLine(l)!, l]] : [])),
  );
  take((row) => byName.get(nameIn(row) ?? ''));
  take((row, k) => {
    const above = k === 0 ? -1 : before.findIndex((l) => l === found[k - 1]);
    return row.trim() === '' ? undefined : before[above + 1];
  });
  return rows.map((row, k): SignalLine => {
    const known = found[k];
    if (!known) return { id: newId(), text: row, place: null, size: null };
    return known.text === row ? known : { ...known, text: row };
  });
}
