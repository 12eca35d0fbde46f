import { solveDense, type Matrix } from './dense';

/** Functions of dense matrices, and linear equations from tick to tick. */
export const identity = (n: number): Float64Array[] =>
  Array.from({ length: n }, (_, i) => {
    const row = new Float64Array(n);
    row[i] = 1;
    return row;
  });

export function product(A: Matrix, B: Matrix): Float64Array[] {
  const width = B[0]?.length ?? 0;
  return A.map((row) => {
    const out = new Float64Array(width);
    row.forEach((x, k) => {
      if (x !== 0) for (let j = 0; j < width; j++) out[j] += x * B[k][j];
    });
    return out;
  });
}

/** e^A by scaling and squaring with a Padé approximant of order 6 (Moler and Van Loan 2003, method 3). */
export function exponential(A: Matrix): Float64Array[] {
  const n = A.length;
  const size = Math.max(0, ...A.map((row) => row.reduce((sum, x) => sum + Math.abs(x), 0)));
  const halvings = Math.max(0, Math.ceil(Math.log2(size || 1)) + 2);
  const X = A.map((row) => row.map((x) => x / 2 ** halvings));
  const order = 6;
  let term = identity(n);
  const [numerator, denominator] = [identity(n), identity(n)];
  let c = 1;
  for (let k = 1; k <= order; k++) {
    c *= (order - k + 1) / (k * (2 * order - k + 1));
    term = product(term, X);
    term.forEach((row, i) =>
      row.forEach((x, j) => {
        numerator[i][j] += c * x;
        denominator[i][j] += (k % 2 === 0 ? c : -c) * x;
      }),
    );
  }
  let E = solveDense(denominator, numerator);
  for (let k = 0; k < halvings; k++) E = product(E, E);
  return E;
}

/** How a continuous model is looked at from tick to tick. */
export type SamplingMethod = 'hold' | 'tustin' | 'backward';

interface Matrices {
  readonly A: Matrix;
  readonly B: Matrix;
  readonly C: Matrix;
  readonly D: Matrix;
}

/**
 * x[k+1] = A x[k] + B u[k], y[k] = C x[k] + D u[k]. Hold: exact for inputs that are kept between ticks (Van Loan 1978). Tustin and
 * backward put 2/T (z-1)/(z+1) and (z-1)/(T z) for s; their states are not those of the continuous model (Åström and Wittenmark 1997,
 * chapter 8).
 */
export function sampledMatrices({ A, B, C, D }: Matrices, T: number, method: SamplingMethod): Matrices {
  const n = A.length;
  if (method === 'hold') {
    const width = B[0]?.length ?? 0;
    const all = Array.from({ length: n + width }, (_, i) => {
      const row = new Float64Array(n + width);
      if (i < n) {
        A[i].forEach((x, j) => (row[j] = x * T));
        B[i].forEach((x, j) => (row[n + j] = x * T));
      }
      return row;
    });
    const E = exponential(all);
    return { A: E.slice(0, n).map((row) => row.slice(0, n)), B: E.slice(0, n).map((row) => row.slice(n)), C, D };
  }
  // with a = T/2 (Tustin) or T (backward): x + a A-part on both sides
  const a = method === 'tustin' ? T / 2 : T;
  const left = A.map((row, i) => row.map((x, j) => (i === j ? 1 : 0) - a * x));
  const invA = solveDense(left, identity(n));
  const invB = solveDense(left, B);
  const CinvB = product(C, invB);
  const CinvA = product(C, invA);
  if (method === 'tustin') {
    const right = A.map((row, i) => row.map((x, j) => (i === j ? 1 : 0) + a * x));
    return {
      A: solveDense(left, right),
      B: invB.map((row) => row.map((x) => x * T)),
      C: CinvA,
      D: D.map((row, i) => row.map((x, j) => x + a * CinvB[i][j])),
    };
  }
  return {
    A: invA,
    B: invB.map((row) => row.map((x) => x * T)),
    C: CinvA,
    D: D.map((row, i) => row.map((x, j) => x + T * CinvB[i][j])),
  };
}
