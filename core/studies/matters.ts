import type { Executor, RunWatch } from './many';
import type { Runner, RunOutcome } from './runner';
import { mostSobolDimensions, sobolPoint } from './sobol';

/**
 * What matters: how much of the variance of a result each value explains over its range, by itself (first index) and with all it takes
 * part in (total index): Sobol (1993), estimated as by Saltelli et al. (2010) and Jansen (1999); and the slope at the design point.
 */
export interface MattersRange {
  readonly name: string;
  readonly low: number;
  readonly high: number;
}

export interface Mattering {
  readonly name: string;
  readonly first: number;
  readonly total: number;
  /** Standard errors of both, from parts of the sample. */
  readonly firstError: number;
  readonly totalError: number;
}

/** Indices from results at the points A, B, and A with one value from B: `ab[i][k]` for value i. */
export function sobolIndices(
  a: readonly number[],
  b: readonly number[],
  ab: readonly (readonly number[])[],
): { readonly variance: number; readonly first: readonly number[]; readonly total: readonly number[] } {
  const n = a.length;
  const all = [...a, ...b];
  const mean = all.reduce((s, x) => s + x, 0) / all.length;
  const variance = all.reduce((s, x) => s + (x - mean) ** 2, 0) / all.length;
  const share = (x: number): number => (variance === 0 ? 0 : x / variance);
  return {
    variance,
    first: ab.map((c) => share(c.reduce((s, x, k) => s + (b[k] - mean) * (x - a[k]), 0) / n)),
    total: ab.map((c) => share(c.reduce((s, x, k) => s + (a[k] - x) ** 2, 0) / (2 * n))),
  };
}

/** Points to run for so many base points, in the order that `indicesOf` takes their results. */
export function mattersPoints(ranges: readonly MattersRange[], base: number): readonly (readonly number[])[] {
  const d = ranges.length;
  const at = (u: readonly number[]): number[] => ranges.map((r, k) => r.low + u[k] * (r.high - r.low));
  const points: number[][] = [];
  for (let k = 0; k < base; k++) {
    const u = sobolPoint(k, 2 * d);
    const [a, b] = [u.slice(0, d), u.slice(d)];
    points.push(at(a), at(b));
    for (let i = 0; i < d; i++) points.push(at(a.map((x, j) => (j === i ? b[j] : x))));
  }
  return points;
}

/** From results in the order of the points; rows of base points in which one failed are left out. */
export function indicesOf(
  ranges: readonly MattersRange[],
  results: readonly (number | undefined)[],
): {
  readonly values: readonly Mattering[];
  readonly variance: number;
  readonly used: number;
  readonly leftOut: number;
} {
  const d = ranges.length;
  const width = d + 2;
  const rows: number[][] = [];
  let leftOut = 0;
  for (let k = 0; k + width <= results.length; k += width) {
    const row = results.slice(k, k + width);
    if (row.every((x): x is number => x !== undefined && Number.isFinite(x))) rows.push(row);
    else leftOut++;
  }
  const of = (some: readonly (readonly number[])[]) =>
    sobolIndices(
      some.map((r) => r[0]),
      some.map((r) => r[1]),
      ranges.map((_, i) => some.map((r) => r[2 + i])),
    );
  const whole = of(rows);
  // the spread among eight parts
  const parts = Array.from({ length: 8 }, (_, j) => of(rows.filter((__, k) => k % 8 === j)));
  const error = (get: (x: ReturnType<typeof of>) => number): number => {
    const all = parts.map(get);
    const mean = all.reduce((s, x) => s + x, 0) / all.length;
    return Math.sqrt(all.reduce((s, x) => s + (x - mean) ** 2, 0) / (all.length - 1) / all.length);
  };
  return {
    variance: whole.variance,
    used: rows.length,
    leftOut,
    values: ranges.map((r, i) => ({
      name: r.name,
      first: whole.first[i],
      total: whole.total[i],
      firstError: error((x) => x.first[i]),
      totalError: error((x) => x.total[i]),
    })),
  };
}

export const mostMattering = Math.floor(mostSobolDimensions / 2);

/** How much each result changes with each value at the design point, by central differences of a thousandth of the range. */
export async function slopesAt(
  executor: Executor,
  runner: Runner,
  ranges: readonly MattersRange[],
  results: readonly ((o: RunOutcome) => number | undefined)[],
): Promise<readonly (readonly (number | undefined)[])[]> {
  const middle = ranges.map((r, k) => runner.nominal[k] ?? (r.low + r.high) / 2);
  const steps = ranges.map((r, k) => (runner.isWhole[k] ? 1 : 1e-3 * (r.high - r.low)));
  const points = ranges.flatMap((_, k) =>
    [1, -1].map((sign) => middle.map((x, j) => (j === k ? x + sign * steps[k] : x))),
  );
  const outcomes = await executor.run(points.map((values) => ({ values })));
  return results.map((resultOf) =>
    ranges.map((_, k) => {
      const [up, down] = [outcomes[2 * k], outcomes[2 * k + 1]].map((o) =>
        o?.status === 'finished' ? resultOf(o) : undefined,
      );
      return up === undefined || down === undefined ? undefined : (up - down) / (2 * steps[k]);
    }),
  );
}

/** A margin or a formula that changes with the values, and how much of that each of them explains. */
export interface MatteringResult {
  /** Key of the requirement, or the formula. */
  readonly name: string;
  /** It is the margin of a requirement. */
  readonly isMargin: boolean;
  readonly unit: string;
  readonly mean: number;
  readonly deviation: number;
  readonly used: number;
  /** Points whose runs have no value of it. */
  readonly leftOut: number;
  readonly values: readonly (Mattering & { readonly slope: number | undefined })[];
}
export interface MattersAnswer {
  readonly over: readonly string[];
  readonly units: readonly string[];
  readonly runs: number;
  readonly results: readonly MatteringResult[];
  /** Why runs failed that did. */
  readonly problems: readonly string[];
}

/** How many of so many runs each of the two samples has. */
const baseOf = (runs: number, over: number): number => Math.max(8, Math.floor(runs / (over + 2)));
export const mattersRuns = (runs: number, over: number): number => baseOf(runs, over) * (over + 2) + 2 * over;

export async function mattersOf(
  runner: Runner,
  executor: Executor,
  question: { readonly over: readonly MattersRange[]; readonly aims: readonly string[]; readonly runs: number },
  watch: RunWatch = {},
): Promise<MattersAnswer | string> {
  const { over, aims } = question;
  if (over.length > mostMattering) return `At most ${mostMattering} values can be told apart at once`;
  const whole = over.find((_, k) => runner.isWhole[k]);
  if (whole) return `${whole.name} takes whole numbers: it has no share over a range`;
  const points = mattersPoints(over, baseOf(question.runs, over.length));
  const outcomes = await executor.run(
    points.map((values) => ({ values })),
    watch,
  );
  const results: { name: string; isMargin: boolean; unit: string; of: (o: RunOutcome) => number | undefined }[] = [
    ...runner.requirements.map(({ key }) => ({
      name: key,
      isMargin: true,
      unit: outcomes.map((o) => o.findings.find((f) => f.key === key)?.unit).find((u) => u !== undefined) ?? '',
      of: (o: RunOutcome) => o.findings.find((f) => f.key === key)?.margin,
    })),
    ...aims.map((text, k) => ({
      name: text,
      isMargin: false,
      unit: runner.aimUnits[k],
      of: (o: RunOutcome) => o.aims[k],
    })),
  ];
  const slopes = await slopesAt(
    executor,
    runner,
    over,
    results.map((r) => r.of),
  );
  const told: MatteringResult[] = [];
  for (const [j, { name, isMargin, unit, of }] of results.entries()) {
    const values = outcomes.map((o) => (o.status === 'finished' ? of(o) : undefined));
    const { values: indices, variance, used, leftOut } = indicesOf(over, values);
    const known = values.filter((x): x is number => x !== undefined && Number.isFinite(x));
    const mean = known.reduce((sum, x) => sum + x, 0) / Math.max(1, known.length);
    // a margin that no run has, or that is the same in all but for rounding, has no shares
    if (used < 8 || !(Math.sqrt(variance) > 1e-9 * Math.abs(mean))) continue;
    told.push({
      name,
      isMargin,
      unit,
      mean,
      deviation: Math.sqrt(variance),
      used,
      leftOut,
      values: indices.map((v, k) => ({ ...v, slope: slopes[j][k] })),
    });
  }
  if (told.length === 0) return 'No margin and no formula changes with these values';
  return {
    over: over.map((o) => o.name),
    units: runner.units,
    runs: outcomes.length + 2 * over.length,
    results: told,
    problems: [...new Set(outcomes.flatMap((o) => (o.status === 'failed' ? [o.problem] : [])))],
  };
}
