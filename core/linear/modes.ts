import { Matrix as Dense, SingularValueDecomposition } from 'ml-matrix';
import { argument, magnitude, type Complex } from './complex';
import type { LinearModel } from './linearise';
import { balance, polesOf, rateOf } from './poles';

/** A motion the model has by itself: how fast, how much the input moves it, and how much of it the output shows. */
export interface Mode {
  /** With an imaginary part of 0 or above; its conjugate goes with it. */
  readonly pole: Complex;
  /** How often it is there. */
  readonly times: number;
  /**
   * In which it falls to 1/e, or grows by e where it is negative; Infinity where it does neither; 0 where it is gone
   * after a tick. In s.
   */
  readonly timeConstant: number;
  /** Natural frequency in rad/s, and damping ratio; of one that does not swing, 1 or -1. */
  readonly frequency: number;
  readonly damping: number;
  /**
   * From 0, not at all, to 1: the input pushes nothing else. The cosine between input and mode in states of like size (Popov, Belevitch and Hautus:
   * Kailath 1980, section 2.4; Hamdan and Nayfeh 1989), and the same for what the output shows.
   */
  readonly reached: number;
  readonly seen: number;
  /** Names of the states it moves most (participation: Verghese, Perez-Arriaga and Schweppe 1982). */
  readonly states: readonly string[];
}

/** Beyond so many states each mode would take too long. */
const mostStates = 60;

/** The modes of a model with one input and one output, from the slowest to the fastest; undefined where there are too many states. */
export function modesOf(model: LinearModel, names: readonly string[], every: number | undefined): Mode[] | undefined {
  const n = model.A.length;
  if (n > mostStates) return undefined;
  const { A, scale } = balance(model.A);
  const b = Float64Array.from(model.B, (row, i) => row[0] / scale[i]);
  const c = Float64Array.from(model.C[0] ?? [], (x, i) => x * scale[i]);
  const size = Math.max(1e-300, ...A.map((row) => Math.hypot(...row)));
  const left = polesOf(model).filter(([, im]) => im >= 0);
  const found: Mode[] = [];
  while (left.length > 0) {
    const [pole] = left;
    const same = left.filter(
      (p) => Math.hypot(p[0] - pole[0], p[1] - pole[1]) <= 1e-6 * Math.max(magnitude(pole), 1e-6 * size),
    );
    left.splice(0, left.length, ...left.filter((p) => !same.includes(p)));
    found.push({ pole, times: same.length, ...speedOf(pole, every, size), ...sharesOf(A, b, c, pole, size, names) });
  }
  return found;
}

function speedOf(
  pole: Complex,
  every: number | undefined,
  size: number,
): Pick<Mode, 'timeConstant' | 'frequency' | 'damping'> {
  const rate = rateOf(pole, every);
  // of ticks: s = ln(z)/T
  const frequency = Math.hypot(rate, every === undefined ? pole[1] : argument(pole) / every);
  return {
    // what is at the edge to rounding neither dies away nor grows
    timeConstant:
      every !== undefined && magnitude(pole) < 1e-6
        ? 0
        : Math.abs(rate) <= 1e-13 * (every === undefined ? size : 1 / every)
          ? Infinity
          : 1 / rate,
    frequency,
    damping: frequency === 0 ? 0 : Number.isFinite(rate) ? rate / frequency : 1,
  };
}

function sharesOf(
  A: readonly Float64Array[],
  b: Float64Array,
  c: Float64Array,
  [re, im]: Complex,
  size: number,
  names: readonly string[],
): Pick<Mode, 'reached' | 'seen' | 'states'> {
  const n = A.length;
  // a complex matrix X + iY as the real one [X, -Y; Y, X]
  const width = im === 0 ? 1 : 2;
  const M = Dense.zeros(width * n, width * n);
  for (let p = 0; p < width; p++)
    A.forEach((row, i) => row.forEach((x, j) => M.set(p * n + i, p * n + j, x - (i === j ? re : 0))));
  if (width === 2)
    for (let i = 0; i < n; i++) {
      M.set(i, n + i, im);
      M.set(n + i, i, -im);
    }
  const svd = new SingularValueDecomposition(M, { autoTranspose: true });
  const values = svd.diagonal;
  const count = Math.max(width, values.filter((x) => x < 1e-7 * size).length);
  const own = [...values.keys()].sort((i, j) => values[i] - values[j]).slice(0, count);
  const share = (vectors: Dense, direction: Float64Array): number => {
    const length = Math.hypot(...direction);
    if (length === 0) return 0;
    const P = Dense.zeros(count, width);
    own.forEach((column, k) => {
      for (let p = 0; p < width; p++) {
        let sum = 0;
        for (let i = 0; i < n; i++) sum += vectors.get(p * n + i, column) * direction[i];
        P.set(k, p, sum / length);
      }
    });
    // more motions of one speed than inputs: some of them cannot be moved
    if (count > width) return 0;
    const least = Math.min(...new SingularValueDecomposition(P).diagonal);
    return least < 1e-9 ? 0 : Math.min(1, least);
  };
  const part = names.map((_, i) => {
    let [u, v] = [0, 0];
    for (const k of own)
      for (let p = 0; p < width; p++) {
        u += svd.leftSingularVectors.get(p * n + i, k) ** 2;
        v += svd.rightSingularVectors.get(p * n + i, k) ** 2;
      }
    return Math.sqrt(u * v);
  });
  const most = Math.max(...part);
  const involved = [...part.keys()].filter((i) => part[i] >= 0.3 * most && most > 0).sort((i, j) => part[j] - part[i]);
  return {
    reached: share(svd.leftSingularVectors, b),
    seen: share(svd.rightSingularVectors, c),
    states: involved.slice(0, 4).map((i) => names[i]),
  };
}
