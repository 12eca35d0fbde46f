import { longestText } from '../project/field';
import { readCellNumber, readColumnHead } from './column-head';
import { readCsvSheet } from './sheet-csv';

/** A signal of a file, as the formula of an input that follows it. */
export interface FileSignal {
  readonly target: string;
  readonly formula: string;
  readonly points: number;
}

/**
 * Signals of a CSV file: time in seconds in its first column, a quantity in each other one, names (with a unit in brackets) in its
 * first row. Points that lie on the straight line of their neighbours are left out; what else is left out is told.
 */
export function readStimulusCsv(bytes: Uint8Array): {
  readonly value: readonly FileSignal[];
  readonly remarks: readonly string[];
} {
  const read = readCsvSheet(bytes, 'signals');
  const remarks = read.remarks.filter((r) => r.severity === 'error').map((r) => r.message);
  const rows = read.value?.sheets[0]?.rows ?? [];
  if (rows.length < 2)
    return { value: [], remarks: [...remarks, 'The file needs a row of names, and rows of times and values below'] };
  const heads = rows[0].map(readColumnHead);
  const value: FileSignal[] = [];
  for (let column = 1; column < heads.length; column++) {
    const { name: target, unit } = heads[column];
    if (target === '') continue;
    const points: [number, number][] = [];
    let bad = 0,
      back = 0;
    for (const row of rows.slice(1)) {
      const cells = [row[0] ?? '', row[column] ?? ''];
      if (cells.some((c) => c.trim() === '')) continue;
      const [t, y] = cells.map(readCellNumber);
      if (!Number.isFinite(t) || !Number.isFinite(y)) bad++;
      else if (points.length > 0 && t <= points[points.length - 1][0]) back++;
      else points.push([t, y]);
    }
    if (bad > 0) remarks.push(`${target}: ${bad} rows are no numbers and were left out`);
    if (back > 0) remarks.push(`${target}: ${back} rows go back in time and were left out`);
    if (points.length === 0) continue;
    const all = withoutStraight(points);
    const unitText = unit ? ` '${unit}'` : '';
    const whole = formulaOf(all, unitText);
    // what a text of the document can hold
    const every = Math.ceil(whole.length / (longestText * 0.95));
    if (every > 1) remarks.push(`${target}: every ${every}. of ${all.length} points was kept`);
    const kept = all.filter((_, k) => k % every === 0 || k === all.length - 1);
    value.push({ target, points: kept.length, formula: every > 1 ? formulaOf(kept, unitText) : whole });
  }
  if (value.length === 0) remarks.push('No column has a name and numbers');
  return { value, remarks };
}

function formulaOf(points: readonly (readonly [number, number])[], unitText: string): string {
  const list = (k: 0 | 1, after: string): string =>
    `{${points.map((p) => `${Number(p[k].toPrecision(9))}${after}`).join(', ')}}`;
  return `interpolate(${list(0, '')}, ${list(1, unitText)}, time)`;
}

/** Leaves out points that the line between the ones kept passes through. */
function withoutStraight(points: readonly (readonly [number, number])[]): (readonly [number, number])[] {
  const range = points.reduce((most, p) => Math.max(most, Math.abs(p[1])), 0) || 1;
  const kept: (readonly [number, number])[] = [points[0]];
  let from = 0;
  for (let k = 2; k <= points.length; k++) {
    const [a, b] = [points[from], points[k]];
    const straight =
      b !== undefined &&
      points
        .slice(from + 1, k)
        .every((p) => Math.abs(a[1] + ((b[1] - a[1]) * (p[0] - a[0])) / (b[0] - a[0]) - p[1]) <= 1e-9 * range) &&
      k - from < 400;
    if (straight) continue;
    kept.push(points[k - 1]);
    from = k - 1;
  }
  return points.length > 1 ? kept : [points[0]];
}
