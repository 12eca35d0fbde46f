import { convertValue, sameDimension, unitOrUndefined } from '../language/units';
import { valueOver, type Measured, type MeasuredColumn } from './measured';

/** How far two recordings are apart, and where they first are. */
export interface Tolerance {
  /** Relative to the largest value of a column. */
  readonly relative: number;
  readonly absolute: number;
  /** Seconds by which the same may happen earlier or later. */
  readonly time: number;
  /** The second is moved by so many seconds before it is compared. */
  readonly shift: number;
}

export interface ColumnComparison {
  readonly name: string;
  readonly unit: string;
  readonly same: boolean;
  /** The largest difference that counts, in the unit of the first, and relative to the largest value. */
  readonly difference: number;
  readonly relative: number;
  readonly at: number;
  /** Where it first is above the tolerance, with both values (words where the column has such). */
  readonly first: { readonly time: number; readonly a: number | string; readonly b: number | string } | undefined;
  /** Why it could not be compared. */
  readonly problem: string;
}

export interface Comparison {
  readonly same: boolean;
  readonly from: number;
  readonly to: number;
  readonly columns: readonly ColumnComparison[];
  readonly onlyInFirst: readonly string[];
  readonly onlyInSecond: readonly string[];
  /** The first place of all at which they differ. */
  readonly first:
    | { readonly column: string; readonly time: number; readonly a: number | string; readonly b: number | string }
    | undefined;
  /** They do not end, or begin, together. */
  readonly span: string;
}

export function compareRecordings(a: Measured, b: Measured, tolerance: Tolerance): Comparison {
  const moved = { ...b, time: b.time.map((t) => t + tolerance.shift) };
  const [from, to] = [Math.max(a.time[0], moved.time[0]), Math.min(a.time.at(-1)!, moved.time.at(-1)!)];
  const names = new Set(b.columns.map((c) => c.name));
  const common = a.columns.filter((c) => names.has(c.name));
  const columns =
    from > to
      ? []
      : common.map((c) =>
          compareColumn(
            c,
            moved.columns.find((x) => x.name === c.name)!,
            a,
            moved,
            from,
            to,
            tolerance,
          ),
        );
  const spacing = (m: Pick<Measured, 'time'>): number => (m.time.at(-1)! - m.time[0]) / Math.max(1, m.time.length - 1);
  const slack = tolerance.time + 1.5 * Math.max(spacing(a), spacing(b));
  const ends = [
    Math.abs(a.time[0] - moved.time[0]) > slack ? `one begins at ${a.time[0]} s, the other at ${moved.time[0]} s` : '',
    Math.abs(a.time.at(-1)! - moved.time.at(-1)!) > slack
      ? `one ends at ${a.time.at(-1)} s, the other at ${moved.time.at(-1)} s`
      : '',
  ].filter(Boolean);
  const firsts = columns.flatMap((c) => (c.first ? [{ column: c.name, ...c.first }] : []));
  return {
    same: columns.every((c) => c.same) && ends.length === 0 && from <= to,
    from,
    to,
    columns,
    onlyInFirst: a.columns.filter((c) => !names.has(c.name)).map((c) => c.name),
    onlyInSecond: b.columns.filter((c) => !common.some((x) => x.name === c.name)).map((c) => c.name),
    first: firsts.sort((x, y) => x.time - y.time)[0],
    span: from > to ? 'They have no time in common' : ends.join('; '),
  };
}

function compareColumn(
  a: MeasuredColumn,
  b: MeasuredColumn,
  { time: ta }: Pick<Measured, 'time'>,
  { time: tb }: Pick<Measured, 'time'>,
  from: number,
  to: number,
  tolerance: Tolerance,
): ColumnComparison {
  const base = { name: a.name, unit: a.unit, difference: 0, relative: 0, at: from, first: undefined };
  if ((a.words === undefined) !== (b.words === undefined))
    return { ...base, same: false, problem: 'one has words, the other numbers' };
  if (a.words && b.words) return compareWords(base, a.words, b.words, ta, tb, from, to, tolerance.time);
  let other = b.values;
  if (a.unit !== b.unit && a.unit !== '' && b.unit !== '') {
    const [ua, ub] = [unitOrUndefined(a.unit), unitOrUndefined(b.unit)];
    if (!ua || !ub || !sameDimension(ua, ub))
      return { ...base, same: false, problem: `${b.unit} does not fit ${a.unit}` };
    other = b.values.map((x) => convertValue(x, ub, ua)!);
  }
  const inside = (t: number): boolean => t >= from && t <= to;
  const times = [...new Set([...ta.filter(inside), ...tb.filter(inside)])].sort((x, y) => x - y);
  const scale = [a.values, other].reduce((m, v) => v.reduce((s, x) => (Math.abs(x) > s ? Math.abs(x) : s), m), 0);
  const allowed = Math.max(tolerance.absolute, tolerance.relative * scale);
  let [difference, at] = [0, from];
  let first: ColumnComparison['first'];
  let gaps = 0;
  for (const t of times)
    for (const isAfter of [false, true]) {
      const [x, y] = [valueOver(ta, a.values, t, isAfter), valueOver(tb, other, t, isAfter)];
      if (!Number.isFinite(x) || !Number.isFinite(y)) {
        // a gap in both is none of either
        if (Number.isNaN(x) !== Number.isNaN(y)) gaps++;
        continue;
      }
      let gap = Math.abs(x - y);
      if (gap > allowed && tolerance.time > 0)
        gap = Math.min(distanceNear(x, tb, other, t, tolerance.time), distanceNear(y, ta, a.values, t, tolerance.time));
      if (gap > difference) [difference, at] = [gap, t];
      if (gap > allowed) first ??= { time: t, a: x, b: y };
    }
  return {
    ...base,
    same: first === undefined,
    difference,
    relative: scale === 0 ? 0 : difference / scale,
    at,
    first,
    problem: gaps > 0 && times.length > 0 && gaps >= 2 * times.length ? 'they have no values at the same times' : '',
  };
}

/** How near a column comes to a value around a time. */
function distanceNear(x: number, time: Float64Array, values: Float64Array, t: number, within: number): number {
  const ends = [valueOver(time, values, t - within), valueOver(time, values, t + within)].filter(Number.isFinite);
  const between: number[] = [];
  for (let k = 0; k < time.length; k++) if (time[k] >= t - within && time[k] <= t + within) between.push(values[k]);
  const all = [...ends, ...between].filter(Number.isFinite);
  if (all.length === 0) return Infinity;
  const [low, high] = [Math.min(...all), Math.max(...all)];
  return x < low ? low - x : x > high ? x - high : 0;
}

function compareWords(
  base: Omit<ColumnComparison, 'same' | 'problem'>,
  a: readonly string[],
  b: readonly string[],
  ta: Float64Array,
  tb: Float64Array,
  from: number,
  to: number,
  within: number,
): ColumnComparison {
  const wordAt = (words: readonly string[], time: Float64Array, t: number): string => {
    let k = time.findLastIndex((x) => x <= t);
    if (k < 0) k = 0;
    return words[k];
  };
  const changes = (words: readonly string[], time: Float64Array): number[] =>
    words.flatMap((w, k) => (k === 0 || w !== words[k - 1] ? [time[k]] : []));
  const times = [...new Set([from, ...changes(a, ta), ...changes(b, tb)])]
    .filter((t) => t >= from && t <= to)
    .sort((x, y) => x - y);
  for (const t of times) {
    const [x, y] = [wordAt(a, ta, t), wordAt(b, tb, t)];
    if (x === y) continue;
    if (within > 0 && (wordAt(b, tb, t + within) === x || wordAt(a, ta, t + within) === y)) continue;
    return { ...base, same: false, at: t, difference: 1, relative: 1, first: { time: t, a: x, b: y }, problem: '' };
  }
  return { ...base, same: true, problem: '' };
}
