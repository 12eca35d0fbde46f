import { over, plus, polar, timesComplex, type Complex } from './complex';
import type { Matrix } from './dense';
import type { LinearModel } from './linearise';

/** The values of a linear model at points of the complex plane: y/u at s, or at z for one of ticks. */
export interface FrequencyResponse {
  /** From an input to an output, by their numbers. */
  at(s: Complex, input?: number, output?: number): Complex;
  /** With the delays cut: rows of outputs and then of what goes into delays, columns of inputs and then of what comes out of them. */
  open(s: Complex): readonly (readonly Complex[])[];
}

/**
 * A is brought to upper Hessenberg form once, so that each point costs n^2 (Laub 1981). Delays inside are kept exactly: each is a loop
 * through exp(-s T).
 */
export function frequencyResponse(model: LinearModel): FrequencyResponse {
  const { H, B, C } = hessenberg(model);
  const { D, delays, inputs, outputs } = model;
  const n = H.length;
  const own = inputs.length;
  const all = own + delays.length;
  const column = (s: Complex, j: number): Complex[] => {
    const x = solveShifted(
      H,
      s,
      Float64Array.from({ length: n }, (_, i) => B[i][j]),
    );
    return C.map((row, i) => {
      let re = D[i][j];
      let im = 0;
      for (let k = 0; k < n; k++) {
        re += row[k] * x[2 * k];
        im += row[k] * x[2 * k + 1];
      }
      return [re, im];
    });
  };
  return {
    open(s) {
      const columns = Array.from({ length: all }, (_, j) => column(s, j));
      return C.map((_, i) => columns.map((c) => c[i]));
    },
    at(s, input = 0, output = 0) {
      const direct = column(s, input);
      if (delays.length === 0) return direct[output];
      const through = Array.from({ length: all - own }, (_, k) => column(s, own + k));
      const factor = delays.map((T) => polar(Math.exp(-s[0] * T), -s[1] * T));
      // z = g + G E z for what is delayed, then y = direct + G E z
      const m = delays.length;
      const A = Array.from({ length: m }, (_, i) =>
        Array.from({ length: m }, (_, k): Complex => {
          const [re, im] = timesComplex(through[k][outputs.length + i], factor[k]);
          return [(i === k ? 1 : 0) - re, -im];
        }),
      );
      const z = solveComplex(
        A,
        Array.from({ length: m }, (_, i) => direct[outputs.length + i]),
      );
      return z.reduce<Complex>(
        (sum, zk, k) => plus(sum, timesComplex(timesComplex(through[k][output], factor[k]), zk)),
        direct[output],
      );
    },
  };
}

/** H = P^-1 A P with B and C to match, by Gauss transformations with pivots (Wilkinson 1965, chapter 6). */
function hessenberg({ A, B, C }: LinearModel): { H: Float64Array[]; B: Float64Array[]; C: Float64Array[] } {
  const n = A.length;
  const copy = (M: Matrix): Float64Array[] => M.map((row) => Float64Array.from(row));
  const [H, b, c] = [copy(A), copy(B), copy(C)];
  for (let k = 1; k < n - 1; k++) {
    let pivot = k;
    for (let i = k + 1; i < n; i++) if (Math.abs(H[i][k - 1]) > Math.abs(H[pivot][k - 1])) pivot = i;
    if (H[pivot][k - 1] === 0) continue;
    if (pivot !== k) {
      [H[k], H[pivot]] = [H[pivot], H[k]];
      [b[k], b[pivot]] = [b[pivot], b[k]];
      for (const row of [...H, ...c]) [row[k], row[pivot]] = [row[pivot], row[k]];
    }
    for (let i = k + 1; i < n; i++) {
      const factor = H[i][k - 1] / H[k][k - 1];
      if (factor === 0) continue;
      for (let j = k - 1; j < n; j++) H[i][j] -= factor * H[k][j];
      for (let j = 0; j < b[i].length; j++) b[i][j] -= factor * b[k][j];
      for (const row of H) row[k] += factor * row[i];
      for (const row of c) row[k] += factor * row[i];
    }
  }
  return { H, B: b, C: c };
}

/** (s I - H) x = b for an upper Hessenberg H, with pivots; real and imaginary parts follow each other. */
function solveShifted(H: readonly Float64Array[], s: Complex, b: Float64Array): Float64Array {
  const n = H.length;
  const M = H.map((row, i) => {
    const out = new Float64Array(2 * n);
    for (let j = Math.max(0, i - 1); j < n; j++) out[2 * j] = -row[j];
    out[2 * i] += s[0];
    out[2 * i + 1] += s[1];
    return out;
  });
  const x = new Float64Array(2 * n);
  for (let i = 0; i < n; i++) x[2 * i] = b[i];
  for (let k = 0; k < n - 1; k++) {
    if (Math.hypot(M[k + 1][2 * k], M[k + 1][2 * k + 1]) > Math.hypot(M[k][2 * k], M[k][2 * k + 1])) {
      [M[k], M[k + 1]] = [M[k + 1], M[k]];
      for (const part of [0, 1]) {
        const kept = x[2 * k + part];
        x[2 * k + part] = x[2 * (k + 1) + part];
        x[2 * (k + 1) + part] = kept;
      }
    }
    const [a, below] = [M[k], M[k + 1]];
    if (below[2 * k] === 0 && below[2 * k + 1] === 0) continue;
    const [fr, fi] = over([below[2 * k], below[2 * k + 1]], [a[2 * k], a[2 * k + 1]]);
    for (let j = k; j < n; j++) {
      below[2 * j] -= fr * a[2 * j] - fi * a[2 * j + 1];
      below[2 * j + 1] -= fr * a[2 * j + 1] + fi * a[2 * j];
    }
    x[2 * (k + 1)] -= fr * x[2 * k] - fi * x[2 * k + 1];
    x[2 * (k + 1) + 1] -= fr * x[2 * k + 1] + fi * x[2 * k];
  }
  for (let k = n - 1; k >= 0; k--) {
    let [re, im] = [x[2 * k], x[2 * k + 1]];
    for (let j = k + 1; j < n; j++) {
      re -= M[k][2 * j] * x[2 * j] - M[k][2 * j + 1] * x[2 * j + 1];
      im -= M[k][2 * j] * x[2 * j + 1] + M[k][2 * j + 1] * x[2 * j];
    }
    [x[2 * k], x[2 * k + 1]] = over([re, im], [M[k][2 * k], M[k][2 * k + 1]]);
  }
  return x;
}

function solveComplex(A: readonly (readonly Complex[])[], b: readonly Complex[]): Complex[] {
  const n = b.length;
  const M = A.map((row) => [...row]);
  const x = [...b];
  const size = ([re, im]: Complex): number => Math.hypot(re, im);
  const less = (a: Complex, f: Complex, c: Complex): Complex => {
    const [re, im] = timesComplex(f, c);
    return [a[0] - re, a[1] - im];
  };
  for (let k = 0; k < n; k++) {
    let pivot = k;
    for (let i = k + 1; i < n; i++) if (size(M[i][k]) > size(M[pivot][k])) pivot = i;
    [M[k], M[pivot]] = [M[pivot], M[k]];
    [x[k], x[pivot]] = [x[pivot], x[k]];
    for (let i = k + 1; i < n; i++) {
      const f = over(M[i][k], M[k][k]);
      for (let j = k; j < n; j++) M[i][j] = less(M[i][j], f, M[k][j]);
      x[i] = less(x[i], f, x[k]);
    }
  }
  for (let k = n - 1; k >= 0; k--) {
    let sum = x[k];
    for (let j = k + 1; j < n; j++) sum = less(sum, M[k][j], x[j]);
    x[k] = over(sum, M[k][k]);
  }
  return x;
}
