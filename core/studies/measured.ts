import { readCellNumber, readColumnHead } from '../formats/column-head';
import { readCsvSheet } from '../formats/sheet-csv';
import { problem, type Problem } from '../language/diagnostics';
import { convertValue, sameDimension, unitOrUndefined } from '../language/units';

/** Values over time from a file: measured, or recorded by a run. */
export interface Measured {
  /** In seconds, never going back; the same twice where something jumps. */
  readonly time: Float64Array;
  readonly columns: readonly MeasuredColumn[];
  /** What was left out. */
  readonly remarks: readonly string[];
}
export interface MeasuredColumn {
  readonly name: string;
  readonly unit: string;
  /** NaN where the file has a gap. */
  readonly values: Float64Array;
  /** Words instead of numbers, such as names of states; those have no values. */
  readonly words: readonly string[] | undefined;
}

/** Truths count as 1 and 0. */
const numberIn = (cell: string): number =>
  cell.trim() === 'true' ? 1 : cell.trim() === 'false' ? 0 : readCellNumber(cell);
const isGap = (cell: string): boolean => /^\s*(|nan|n\/a|na|-)\s*$/i.test(cell);

/** A CSV file with names in its first row and time in its first column. */
export function readMeasured(
  bytes: Uint8Array,
  file = 'the file',
): { readonly value?: Measured; readonly problem?: Problem } {
  const wrong = (message: string): { problem: Problem } => ({
    problem: problem('error', 'data', `${file}: ${message}`),
  });
  const read = readCsvSheet(bytes, 'measured');
  const broken = read.remarks.find((r) => r.severity === 'error');
  if (broken) return wrong(broken.message);
  const rows = (read.value?.sheets[0]?.rows ?? []).filter((r) => r.some((c) => c.trim() !== ''));
  if (rows.length < 3) return wrong('a row of names is needed, and at least two rows of time and values below it');
  const heads = rows[0].map(readColumnHead);
  if (heads.slice(1).every((h) => h.name === '')) return wrong('it has no columns with names besides the time');
  if (rows[0].every((c) => c.trim() !== '' && Number.isFinite(numberIn(c))))
    return wrong('its first row are numbers: names of the columns are needed there');
  const twice = heads.find((h, k) => h.name !== '' && heads.findIndex((x) => x.name === h.name) !== k);
  if (twice) return wrong(`it has two columns ${twice.name}`);
  const named = heads.findIndex((h) => /^(time|t|seconds?)$/i.test(h.name));
  const at = Math.max(0, named);
  const timeUnit = heads[at].unit === '' ? 's' : heads[at].unit;
  const seconds = unitOrUndefined(timeUnit);
  const second = unitOrUndefined('s')!;
  if (!seconds || !sameDimension(seconds, second))
    return wrong(`its column ${heads[at].name} is in ${timeUnit}: the time is needed in the first one`);
  const remarks: string[] = [];
  const time: number[] = [];
  const kept: (readonly string[])[] = [];
  let without = 0;
  for (const [k, row] of rows.slice(1).entries()) {
    const cell = row[at] ?? '';
    if (isGap(cell)) {
      without++;
      continue;
    }
    const t = convertValue(numberIn(cell), seconds, second)!;
    if (!Number.isFinite(t)) return wrong(`row ${k + 2} has no time: ${cell}`);
    if (time.length > 0 && t < time[time.length - 1])
      return wrong(`row ${k + 2} goes back in time, from ${time[time.length - 1]} to ${t} s: sort its rows`);
    time.push(t);
    kept.push(row);
  }
  if (without > 0) remarks.push(`${without} rows without a time were left out`);
  if (time.length < 2) return wrong('it has fewer than two rows with a time');
  const columns: MeasuredColumn[] = [];
  for (let c = 0; c < heads.length; c++) {
    const { name, unit } = heads[c];
    if (name === '' || c === at) continue;
    const cells = kept.map((row) => row[c] ?? '');
    const values = Float64Array.from(cells, (cell) => (isGap(cell) ? NaN : numberIn(cell)));
    const isWord = cells.map((cell, k) => !isGap(cell) && !Number.isFinite(values[k]));
    const words = isWord.filter(Boolean).length;
    const filled = cells.filter((cell) => !isGap(cell)).length;
    if (words > 0 && words < filled) {
      const row = isWord.indexOf(true);
      return wrong(`${name} at ${time[row]} s is "${cells[row].trim()}", which is no number, among numbers`);
    }
    if (filled === 0) {
      remarks.push(`${name} is empty`);
      continue;
    }
    const gaps = cells.length - filled;
    if (gaps > 0) remarks.push(`${name} has ${gaps} gap${gaps === 1 ? '' : 's'}`);
    columns.push({ name, unit, values, words: words > 0 ? cells.map((x) => x.trim()) : undefined });
  }
  return { value: { time: Float64Array.from(time), columns, remarks } };
}

/** The same of a text, such as that of a recording of the project. */
export const readMeasuredText = (text: string, name: string): ReturnType<typeof readMeasured> =>
  readMeasured(new TextEncoder().encode(text), name);

/** The value of a column at a time: straight between its points, before a jump or after it; NaN outside and in gaps. */
export function valueOver(time: Float64Array, values: Float64Array, t: number, isAfter = true): number {
  const n = time.length;
  if (n === 0 || t < time[0] || t > time[n - 1]) return NaN;
  // the last row at or before t, or the first one at it
  let [low, high] = [0, n - 1];
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (time[middle] <= t) low = middle;
    else high = middle - 1;
  }
  if (time[low] === t) {
    if (isAfter) return values[low];
    while (low > 0 && time[low - 1] === t) low--;
    return values[low];
  }
  const share = (t - time[low]) / (time[low + 1] - time[low]);
  return values[low] + share * (values[low + 1] - values[low]);
}
