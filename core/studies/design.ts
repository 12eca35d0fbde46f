import { problem, type Problem } from '../language/diagnostics';
import { shuffled, randomFrom, uniformAt } from '../numbers/random';
import { mostSobolDimensions, sobolPoint } from './sobol';
import { normalQuantile } from './statistics';

/** Which values runs of a study have. */

/** A value over a range, from a list, or drawn from a distribution. */
export type Variation = { readonly name: string } & (
  | { readonly kind: 'range'; readonly from: number; readonly to: number; readonly count: number }
  | { readonly kind: 'list'; readonly values: readonly number[] }
  | { readonly kind: 'random'; readonly of: Distribution }
);

export type Distribution =
  | { readonly kind: 'normal'; readonly mean: number; readonly deviation: number }
  | { readonly kind: 'lognormal'; readonly median: number; readonly spread: number }
  | { readonly kind: 'uniform'; readonly low: number; readonly high: number }
  | { readonly kind: 'triangular'; readonly low: number; readonly mode: number; readonly high: number };

/** How points are drawn: each by itself, one in each of equally likely slices (McKay 1979), or filling evenly (Sobol 1967). */
export type Drawing = 'random' | 'slices' | 'sobol';

export interface Correlation {
  readonly a: string;
  readonly b: string;
  /** Between -1 and 1: of the normal values behind both (Gaussian copula: Nelsen 2006). */
  readonly r: number;
}

export interface Design {
  readonly variations: readonly Variation[];
  /** How often random values are drawn for each combination of the others. */
  readonly runs: number;
  readonly seed: number;
  readonly drawing: Drawing;
  readonly correlations: readonly Correlation[];
}

/** More than this is no study any more. */
export const mostRuns = 1_000_000;

/** The value of a distribution below which a share lies. */
export function quantileOf(of: Distribution, p: number): number {
  switch (of.kind) {
    case 'normal':
      return of.mean + of.deviation * normalQuantile(p);
    case 'lognormal':
      return of.median * of.spread ** normalQuantile(p);
    case 'uniform':
      return of.low + (of.high - of.low) * p;
    case 'triangular': {
      const { low, mode, high } = of;
      const share = (mode - low) / (high - low);
      return p < share
        ? low + Math.sqrt(p * (high - low) * (mode - low))
        : high - Math.sqrt((1 - p) * (high - low) * (high - mode));
    }
  }
}

const numbersIn = (text: string): number[] | undefined => {
  const numbers = text.split(',').map((x) => (x.trim() === '' ? NaN : Number(x)));
  return numbers.every(Number.isFinite) ? numbers : undefined;
};

/** `speed=8:14:13`, `count=1,2,5`, `friction~normal(0.02, 0.002)`. */
export function readVariation(text: string): { readonly value?: Variation; readonly problem?: Problem } {
  const wrong = (message: string): { problem: Problem } => ({ problem: problem('error', 'vary', message) });
  const [, name, sign, rest] = /^\s*([^=~]+?)\s*([=~])\s*(.+?)\s*$/s.exec(text) ?? [];
  if (name === undefined)
    return wrong(
      `${text}: this is no value with a range; write name=from:to:count, name=a,b,c or name~normal(mean, deviation)`,
    );
  if (sign === '~') {
    const [, kind, inner] = /^(\w+)\s*\((.*)\)$/s.exec(rest) ?? [];
    const numbers = inner === undefined ? undefined : numbersIn(inner);
    const of = kind === undefined || !numbers ? undefined : distributionOf(kind, numbers);
    if (of === undefined)
      return wrong(
        `${name}~${rest}: there is normal(mean, deviation), uniform(low, high), triangular(low, mode, high) and lognormal(median, spread)`,
      );
    return typeof of === 'string' ? wrong(`${name}~${rest}: ${of}`) : { value: { name, kind: 'random', of } };
  }
  if (rest.includes(':')) {
    const parts = rest.split(':').map((x) => (x.trim() === '' ? NaN : Number(x)));
    if (parts.length !== 3 || !parts.every(Number.isFinite))
      return wrong(`${name}=${rest}: a range is from:to:count, such as 8:14:13`);
    const [from, to, count] = parts;
    if (!Number.isInteger(count) || count < 1) return wrong(`${name}=${rest}: ${count} is no number of values`);
    if (count === 1 && from !== to) return wrong(`${name}=${rest}: one value does not go from ${from} to ${to}`);
    if (count > mostRuns) return wrong(`${name}=${rest}: these are more than ${mostRuns.toLocaleString('en-GB')} runs`);
    return { value: { name, kind: 'range', from, to, count } };
  }
  const values = numbersIn(rest);
  if (!values) return wrong(`${name}=${rest}: these are not all numbers`);
  return { value: { name, kind: 'list', values } };
}

/** Whether a range is that of a distribution, such as `normal(2, 0.1)`. */
export const isDrawn = (range: string): boolean => /^\s*[a-z]+\s*\(/i.test(range);

/** A range as a study has it, without the name of what takes the values. */
export const readRange = (name: string, range: string): ReturnType<typeof readVariation> =>
  readVariation(`${name.trim()}${isDrawn(range) ? '~' : '='}${range.trim()}`);

/** `8:14`: between which values something is looked for. */
export function readSpan(text: string): { readonly low: number; readonly high: number } | string {
  const [, a, b, more] = /^\s*([^:]*):([^:]*)(:.*)?$/.exec(text) ?? [];
  const [low, high] = [a, b].map((x) => (x === undefined || x.trim() === '' ? NaN : Number(x)));
  if (more !== undefined || !Number.isFinite(low) || !Number.isFinite(high))
    return 'this is no range: write low:high, such as 8:14';
  return low < high ? { low, high } : 'the second number is above the first';
}

function distributionOf(kind: string, n: readonly number[]): Distribution | string | undefined {
  const of = kind.toLowerCase();
  if (of === 'normal' && n.length === 2)
    return n[1] > 0 ? { kind: of, mean: n[0], deviation: n[1] } : 'the deviation is above 0';
  if (of === 'lognormal' && n.length === 2)
    return n[0] > 0 && n[1] > 1
      ? { kind: of, median: n[0], spread: n[1] }
      : 'the median is above 0, and the spread a factor above 1';
  if (of === 'uniform' && n.length === 2)
    return n[0] < n[1] ? { kind: of, low: n[0], high: n[1] } : 'the second number is above the first';
  if (of === 'triangular' && n.length === 3)
    return n[0] <= n[1] && n[1] <= n[2] && n[0] < n[2]
      ? { kind: of, low: n[0], mode: n[1], high: n[2] }
      : 'the numbers go up from the lowest over the likeliest to the highest';
  return undefined;
}

/** What is known of a design before its values are made. */
interface Plan {
  /** Values of ranges and lists; undefined where they are drawn. */
  readonly lists: readonly (readonly number[] | undefined)[];
  readonly random: readonly number[];
  readonly draws: number;
  readonly combinations: number;
  readonly factor: readonly (readonly number[])[] | undefined;
}

/** Values of a range or a list; undefined where they are drawn. */
export const listedValues = (v: Variation): readonly number[] | undefined =>
  v.kind === 'list'
    ? v.values
    : v.kind === 'range'
      ? Array.from({ length: v.count }, (_, k) =>
          v.count === 1 ? v.from : k === v.count - 1 ? v.to : v.from + ((v.to - v.from) * k) / (v.count - 1),
        )
      : undefined;

function planOf(design: Design): { readonly value?: Plan; readonly problem?: Problem } {
  const wrong = (message: string): { problem: Problem } => ({ problem: problem('error', 'vary', message) });
  const { variations, runs, drawing, correlations } = design;
  if (variations.length === 0) return wrong('Nothing is varied');
  const names = variations.map((v) => v.name);
  const twice = names.find((name, k) => names.indexOf(name) !== k);
  if (twice !== undefined) return wrong(`${twice} is varied twice`);
  const random = variations.flatMap((v, k) => (v.kind === 'random' ? [k] : []));
  const lengthOf = (v: Variation): number => (v.kind === 'list' ? v.values.length : v.kind === 'range' ? v.count : 1);
  const combinations = variations.reduce((n, v) => n * lengthOf(v), 1);
  const draws = random.length === 0 ? 1 : runs;
  if (!Number.isInteger(draws) || draws < 1) return wrong(`${runs} is no number of runs`);
  if (combinations * draws > mostRuns)
    return wrong(
      `These are ${(combinations * draws).toLocaleString('en-GB')} runs, more than ${mostRuns.toLocaleString('en-GB')}: take fewer values`,
    );
  if (drawing === 'sobol' && random.length > mostSobolDimensions)
    return wrong(`Sobol points fill up to ${mostSobolDimensions} values at once: draw in slices`);
  const factor = factorOf(
    correlations,
    random.map((k) => names[k]),
  );
  if (typeof factor === 'string') return wrong(factor);
  return { value: { lists: variations.map(listedValues), random, draws, combinations, factor } };
}

/** How many runs a design takes, or why it has none: without making them. */
export function runsOf(design: Design): { readonly value?: number; readonly problem?: Problem } {
  const { value, problem: why } = planOf(design);
  return value ? { value: value.combinations * value.draws } : { problem: why! };
}

/** The values of every run, or why there are none. */
export function pointsOf(design: Design): {
  readonly value?: readonly (readonly number[])[];
  readonly problem?: Problem;
} {
  const { value: plan, problem: why } = planOf(design);
  if (!plan) return { problem: why! };
  const { variations, seed, drawing } = design;
  const { lists, random, draws, combinations, factor } = plan;
  const slices = drawing === 'slices' ? random.map((_, d) => shuffled(draws, randomFrom(seed + 7919 * (d + 1)))) : [];
  const shift = random.map((_, d) => uniformAt(seed, d, 0x50b01));
  const points: number[][] = [];
  for (let draw = 0; draw < draws; draw++) {
    const shares =
      drawing === 'sobol'
        ? sobolPoint(draw, random.length, shift)
        : random.map((_, d) => {
            const u = uniformAt(seed, draw, d + 1);
            return drawing === 'slices' ? (slices[d][draw] + u) / draws : u;
          });
    const together = factor ? correlated(shares, factor) : shares;
    const drawn = new Map(
      random.map((k, d) => [k, quantileOf((variations[k] as { of: Distribution }).of, together[d])]),
    );
    for (let c = 0; c < combinations; c++) {
      let rest = c;
      const point = lists.map((l, k) => {
        if (!l) return drawn.get(k)!;
        // the last one goes quickest
        const behind = lists.slice(k + 1).reduce((n, x) => n * (x?.length ?? 1), 1);
        const at = Math.floor(rest / behind);
        rest -= at * behind;
        return l[at];
      });
      points.push(point);
    }
  }
  return { value: points };
}

/** The lower factor of the matrix of correlations (Cholesky), why there is none, or nothing where all are independent. */
function factorOf(
  correlations: readonly Correlation[],
  names: readonly string[],
): readonly (readonly number[])[] | string | undefined {
  if (correlations.length === 0) return undefined;
  const n = names.length;
  const R = Array.from({ length: n }, (_, i) => Array.from({ length: n }, (__, j) => Number(i === j)));
  for (const { a, b, r } of correlations) {
    const [i, j] = [names.indexOf(a), names.indexOf(b)];
    const missing = i < 0 ? a : j < 0 ? b : undefined;
    if (missing !== undefined) return `${missing} is not drawn at random: it has no correlation`;
    if (!(Math.abs(r) <= 1)) return `The correlation of ${a} and ${b} lies between -1 and 1`;
    if (i !== j) R[i][j] = R[j][i] = r;
  }
  const L = R.map((row) => row.map(() => 0));
  for (let i = 0; i < n; i++)
    for (let j = 0; j <= i; j++) {
      let sum = R[i][j];
      for (let k = 0; k < j; k++) sum -= L[i][k] * L[j][k];
      if (i === j) {
        if (sum < -1e-9) return 'These correlations contradict each other';
        L[i][i] = Math.sqrt(Math.max(0, sum));
      } else L[i][j] = L[j][j] < 1e-9 ? 0 : sum / L[j][j];
    }
  return L;
}

/** Shares with the correlations of a factor. */
function correlated(shares: readonly number[], L: readonly (readonly number[])[]): number[] {
  const z = shares.map(normalQuantile);
  return L.map((row) => normalShare(row.reduce((s, l, k) => s + l * z[k], 0)));
}

/** The share of the normal distribution below a value: Newton steps on its inverse, from a logistic curve. */
function normalShare(x: number): number {
  let p = 1 / (1 + Math.exp(-1.702 * x));
  for (let k = 0; k < 60; k++) {
    const slope = Math.exp((-x * x) / 2) / Math.sqrt(2 * Math.PI);
    const step = (normalQuantile(p) - x) * slope;
    const next = Math.min(1 - 1e-16, Math.max(1e-300, p - step));
    if (Math.abs(next - p) <= 1e-15) return next;
    p = next;
  }
  return p;
}
