import { argument, magnitude, type Complex } from './complex';

/** What a loop can take before it swings without end, from its gain and phase over the frequency (Nyquist 1932, Bode 1945). */
export interface Margins {
  /** By how much the gain may grow, as a factor, and where; Infinity where the phase never comes to -180 deg. */
  readonly gainMargin: number;
  readonly gainMarginAt: number;
  /** By how much the gain may fall, as a factor below 1; 0 where it may be as small as one likes. */
  readonly gainReduction: number;
  readonly gainReductionAt: number;
  /** By how many radians the phase may fall, and where; Infinity where the gain never comes to 1. */
  readonly phaseMargin: number;
  readonly phaseMarginAt: number;
  /** By how many seconds it may come later. */
  readonly delayMargin: number;
  /** Angular frequencies at which the gain is 1. */
  readonly crossings: readonly number[];
}

/** Points per decade that are looked at before a crossing is narrowed down; fewer where each of them takes long. */
const density = 200;
const sparse = 50;
const manyStates = 100;

/** A frequency range that shows everything of these poles and zeros. */
export function rangeOf(points: readonly Complex[]): readonly [low: number, high: number] {
  const sizes = points.map(magnitude).filter((x) => x > 1e-9);
  if (sizes.length === 0) return [1e-2, 1e2];
  return [Math.min(...sizes) / 1e3, Math.max(...sizes) * 1e3];
}

/** Frequencies between two, evenly on a logarithmic scale, with more of them close to resonances. */
export function frequencies(
  [low, high]: readonly [number, number],
  poles: readonly Complex[] = [],
  perDecade = poles.length > manyStates ? sparse : density,
): number[] {
  const steps = Math.max(2, Math.ceil(Math.log10(high / low) * perDecade));
  const all = Array.from({ length: steps + 1 }, (_, k) => low * (high / low) ** (k / steps));
  for (const [re, im] of poles) {
    const w = Math.abs(im);
    if (w < low || w > high) continue;
    const width = Math.max(Math.abs(re), 1e-6 * w);
    for (let k = -10; k <= 10; k++) {
      const x = w + (k / 5) * width;
      if (x > low && x < high) all.push(x);
    }
  }
  return [...new Set(all)].sort((a, b) => a - b);
}

/** Margins of a loop gain L, for which the closed loop is 1/(1 + L). */
export function marginsOf(
  L: (w: number) => Complex,
  range: readonly [number, number],
  poles: readonly Complex[] = [],
): Margins {
  const w = frequencies(range, poles);
  const values = w.map(L);
  const narrowed = (k: number, f: (x: Complex) => number): number => {
    let [a, b] = [Math.log(w[k]), Math.log(w[k + 1])];
    const below = f(values[k]) < 0;
    for (let j = 0; j < 80 && b - a > 1e-14 * Math.abs(b) + 1e-16; j++) {
      const middle = (a + b) / 2;
      if (f(L(Math.exp(middle))) < 0 === below) a = middle;
      else b = middle;
    }
    return Math.exp((a + b) / 2);
  };
  const crossings: number[] = [];
  const turns: number[] = [];
  const logGain = (x: Complex): number => Math.log(magnitude(x));
  const imaginary = ([, im]: Complex): number => im;
  for (let k = 0; k + 1 < w.length; k++) {
    const [a, b] = [values[k], values[k + 1]];
    if (logGain(a) < 0 !== logGain(b) < 0) crossings.push(narrowed(k, logGain));
    // the negative real axis
    if (imaginary(a) < 0 !== imaginary(b) < 0 && a[0] < 0 && b[0] < 0) turns.push(narrowed(k, imaginary));
  }
  // from tick to tick the way ends on the real axis, at half the frequency of the ticks
  const last = values[values.length - 1];
  if (last[0] < 0 && Math.abs(last[1]) < 1e-9 * -last[0]) turns.push(w[w.length - 1]);
  let [gainMargin, gainMarginAt, gainReduction, gainReductionAt] = [Infinity, NaN, 0, NaN];
  for (const at of turns) {
    const factor = 1 / magnitude(L(at));
    if (factor >= 1 && factor < gainMargin) [gainMargin, gainMarginAt] = [factor, at];
    if (factor < 1 && factor > gainReduction) [gainReduction, gainReductionAt] = [factor, at];
  }
  let [phaseMargin, phaseMarginAt, delayMargin] = [Infinity, NaN, Infinity];
  for (const at of crossings) {
    const angle = argument(L(at));
    const above = angle + Math.PI;
    // as near as it comes to -180 deg from either side
    const margin = above > Math.PI ? above - 2 * Math.PI : above;
    if (Math.abs(margin) < Math.abs(phaseMargin)) [phaseMargin, phaseMarginAt] = [margin, at];
    delayMargin = Math.min(delayMargin, (above > 0 ? above : above + 2 * Math.PI) / at);
  }
  return {
    gainMargin,
    gainMarginAt,
    gainReduction,
    gainReductionAt,
    phaseMargin,
    phaseMarginAt,
    delayMargin,
    crossings,
  };
}

/** The lowest frequency at which a gain has fallen to 1/sqrt(2) of what it is at rest; Infinity where it never does. */
export function bandwidthOf(
  T: (w: number) => Complex,
  range: readonly [number, number],
  poles: readonly Complex[] = [],
): number {
  const level = magnitude(T(0)) / Math.SQRT2;
  if (!(level > 0) || !Number.isFinite(level)) return NaN;
  const w = frequencies(range, poles);
  for (let k = 0; k < w.length; k++) {
    if (magnitude(T(w[k])) > level) continue;
    let [a, b] = [k === 0 ? 0 : w[k - 1], w[k]];
    for (let j = 0; j < 100; j++) {
      const middle = (a + b) / 2;
      if (magnitude(T(middle)) > level) a = middle;
      else b = middle;
    }
    return (a + b) / 2;
  }
  return Infinity;
}
