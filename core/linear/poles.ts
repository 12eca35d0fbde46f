import { EigenvalueDecomposition, Matrix as Dense } from 'ml-matrix';
import type { Complex } from './complex';
import type { Matrix } from './dense';
import type { LinearModel } from './linearise';

/** The eigenvalues of a matrix, from the slowest to the fastest, conjugates with the positive one first. */
export function eigenvalues(A: Matrix): Complex[] {
  if (A.length === 0) return [];
  const { A: balanced } = balance(A);
  const { realEigenvalues: re, imaginaryEigenvalues: im } = new EigenvalueDecomposition(
    new Dense(balanced.map((row) => [...row])),
    { assumeSymmetric: false },
  );
  const found = re.map((x, k): Complex => [x, im[k]]);
  return found.sort((a, b) => Math.hypot(...a) - Math.hypot(...b) || a[0] - b[0] || b[1] - a[1]);
}

/**
 * Scales states by powers of two until rows and columns are of one size (Parlett and Reinsch 1969): badly scaled ones lose digits. A state is
 * `scale` times the scaled one.
 */
export function balance(A: Matrix): { readonly A: Float64Array[]; readonly scale: Float64Array } {
  const a = A.map((row) => Float64Array.from(row));
  const n = a.length;
  const scale = new Float64Array(n).fill(1);
  for (let round = 0, settled = false; !settled && round < 100; round++) {
    settled = true;
    for (let i = 0; i < n; i++) {
      let [row, column] = [0, 0];
      for (let j = 0; j < n; j++) {
        if (j === i) continue;
        row += Math.abs(a[i][j]);
        column += Math.abs(a[j][i]);
      }
      if (row === 0 || column === 0) continue;
      let f = 1;
      const sum = row + column;
      for (; column < row / 2; column *= 4) f *= 2;
      for (; column >= row * 2; column /= 4) f /= 2;
      if ((column + row) / f >= 0.95 * sum || f === 1) continue;
      settled = false;
      scale[i] *= f;
      for (let j = 0; j < n; j++) a[i][j] /= f;
      for (let j = 0; j < n; j++) a[j][i] *= f;
    }
  }
  return { A: a, scale };
}

/** How fast a motion dies away, in 1/s; below 0 where it grows. Infinity where a tick ends it. */
export const rateOf = ([re, im]: Complex, every: number | undefined): number =>
  every === undefined ? -re : -Math.log(Math.hypot(re, im)) / every;

export const polesOf = ({ A }: Pick<LinearModel, 'A'>): Complex[] => eigenvalues(A);

/**
 * The zeros of one input and one output. Feedback that keeps the output on a motion of its own leaves the zeros as the other eigenvalues
 * (Isidori 1995, chapter 4: zero dynamics); that motion has as many eigenvalues, chosen here, as y has to be differentiated until u
 * appears. Undefined where u never comes to y.
 */
export function zerosOf(
  { A, B, C, D }: Pick<LinearModel, 'A' | 'B' | 'C' | 'D'>,
  input = 0,
  output = 0,
): Complex[] | undefined {
  const n = A.length;
  const b = Float64Array.from(B, (row) => row[input]);
  const d = D[output][input];
  let c: Float64Array = Float64Array.from(C[output]);
  const largest = Math.max(...A.map((row) => Math.max(...Array.from(row, Math.abs))), 0);
  const withGain = (gain: Float64Array): Float64Array[] => A.map((row, i) => row.map((x, j) => x - b[i] * gain[j]));
  if (d !== 0) return eigenvalues(withGain(c.map((x) => x / d)));
  // c A^k
  const powers = [c];
  for (let r = 1; r <= n; r++) {
    const through = dot(c, b);
    const size = norm(c) * norm(b);
    if (Math.abs(through) > 1e-12 * size) {
      const next = timesMatrix(c, A);
      const speed = largest || 1;
      const own = Array.from({ length: r }, (_, k) => speed * (0.37 + 0.21 * k));
      // (s + p1)(s + p2)... as coefficients of s^0, s^1, ...
      const polynomial = own.reduce<number[]>(
        (all, p) => [...all, 0].map((_, k) => (k < all.length ? all[k] * p : 0) + (k > 0 ? all[k - 1] : 0)),
        [1],
      );
      const gain = next.map((x, j) => (x + powers.reduce((sum, row, k) => sum + polynomial[k] * row[j], 0)) / through);
      const all = eigenvalues(withGain(gain));
      for (const p of own) {
        let nearest = 0;
        all.forEach(([re, im], k) => {
          const [bestRe, bestIm] = all[nearest];
          if (Math.hypot(re + p, im) < Math.hypot(bestRe + p, bestIm)) nearest = k;
        });
        all.splice(nearest, 1);
      }
      return all;
    }
    c = timesMatrix(c, A);
    powers.push(c);
  }
  return undefined;
}

const dot = (a: Float64Array, b: Float64Array): number => a.reduce((sum, x, k) => sum + x * b[k], 0);
const norm = (a: Float64Array): number => Math.sqrt(dot(a, a));
function timesMatrix(row: Float64Array, A: Matrix): Float64Array {
  const out = new Float64Array(row.length);
  row.forEach((x, i) => A[i].forEach((y, j) => (out[j] += x * y)));
  return out;
}
