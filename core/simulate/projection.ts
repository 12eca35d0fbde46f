import type { Machine } from '../program/machine';
import type { Program } from '../program/program';

/** Brings states back onto the constraints of a model of higher index (coordinate projection, Eich 1993). */
export interface Projection {
  /** Moves the states in memory onto the constraints by the smallest change; `held` states keep their values. False where that fails. */
  project(t: number, held?: ReadonlySet<number>): boolean;
  /** As `project`, with the equations of the start, for all states that are not fixed. The first constraint that cannot be met, if any. */
  begin(t: number, held: ReadonlySet<number>): number | undefined;
}

const maximumIterations = 25,
  guessesBeside = 4;

/** The derivatives of the constraints by the states that were taken last, to be used again. */
export interface ProjectionState {
  kept: Float64Array | undefined;
}

/**
 * Gauss-Newton steps of least change. The derivatives of the constraints by the states are taken by differences, and kept as
 * long as the iteration comes to its end quickly.
 */
export function createProjection(
  program: Program,
  machine: Machine,
  scale: Float64Array,
  state: ProjectionState = { kept: undefined },
): Projection | undefined {
  const { states, invariants, startEquations } = program.solvable;
  if (invariants.length === 0) return undefined;
  const { v } = machine.memory;
  const n = states.length;
  const residual = (t: number, r: Float64Array, start: boolean): void => {
    machine.outputs(t);
    machine.residuals(t, r, start);
  };
  const norm = (r: Float64Array): number => Math.max(...r.map(Math.abs));

  const jacobian = (t: number, m: number, start: boolean, held: ReadonlySet<number> | undefined): Float64Array => {
    const G = new Float64Array(m * n);
    const [up, down] = [new Float64Array(m), new Float64Array(m)];
    for (let j = 0; j < n; j++) {
      if (held?.has(states[j])) continue;
      const k = states[j],
        x = v[k];
      const delta = Math.cbrt(Number.EPSILON) * Math.max(Math.abs(x), scale[j] * 1e-2);
      v[k] = x + delta;
      residual(t, up, start);
      v[k] = x - delta;
      residual(t, down, start);
      v[k] = x;
      for (let i = 0; i < m; i++) G[i * n + j] = (up[i] - down[i]) / (2 * delta);
    }
    machine.outputs(t);
    return G;
  };

  /** The smallest change of the states (in their scales) that takes the residual to zero in the linear picture. */
  const correction = (m: number, G: Float64Array, r: Float64Array): Float64Array => {
    const A = new Float64Array(m * m);
    for (let i = 0; i < m; i++) {
      for (let j = 0; j <= i; j++) {
        let sum = 0;
        for (let k = 0; k < n; k++) sum += G[i * n + k] * G[j * n + k] * scale[k] ** 2;
        A[i * m + j] = A[j * m + i] = sum;
      }
    }
    const y = solveDefinite(m, A, r);
    const dx = new Float64Array(n);
    for (let k = 0; k < n; k++) {
      let sum = 0;
      for (let i = 0; i < m; i++) sum += G[i * n + k] * y[i];
      dx[k] = -sum * scale[k] ** 2;
    }
    return dx;
  };

  const solve = (t: number, m: number, start: boolean, held: ReadonlySet<number> | undefined): boolean => {
    const r = new Float64Array(m);
    residual(t, r, start);
    let size = norm(r),
      fresh = false;
    let G = start || held ? undefined : state.kept;
    for (let iteration = 0; iteration < maximumIterations; iteration++) {
      if (!G) {
        G = jacobian(t, m, start, held);
        fresh = true;
        if (!start && !held) state.kept = G;
      }
      let reach = 0;
      for (let i = 0; i < m; i++)
        for (let k = 0; k < n; k++)
          reach = Math.max(reach, Math.abs(G[i * n + k]) * Math.max(Math.abs(v[states[k]]), scale[k] * 1e-3));
      if (size <= 4e-16 * reach || size === 0) return true;
      const dx = correction(m, G, r);
      const before = Float64Array.from(states, (k) => v[k]);
      let fraction = 1,
        next = Infinity;
      for (; fraction > 1e-4; fraction /= 2) {
        for (let k = 0; k < n; k++) v[states[k]] = before[k] + fraction * dx[k];
        residual(t, r, start);
        next = norm(r);
        if (next < size) break;
        if (!start) break;
      }
      const change = dx.reduce((most, x, k) => Math.max(most, Math.abs(x) / (Math.abs(before[k]) + scale[k])), 0);
      if (!(next < size)) {
        // at the limit of what numbers can tell apart
        for (let k = 0; k < n; k++) v[states[k]] = before[k];
        residual(t, r, start);
        if (size <= 1e-12 * reach || (fresh && change < 1e-10 && size <= 1e-7 * reach)) return true;
        if (fresh) return false;
        G = undefined;
        continue;
      }
      if (next > 0.2 * size && !fresh) G = undefined;
      else if (start) G = undefined;
      fresh = false;
      size = next;
      if (change < 1e-13 && size <= 1e-7 * Math.max(reach, 1e-300)) return true;
    }
    return false;
  };

  return {
    project: (t, held) =>
      solve(t, invariants.length, false, held) || (held !== undefined && solve(t, invariants.length, false, undefined)),
    begin(t, held) {
      const m = invariants.length + startEquations.length;
      const guess = Float64Array.from(states, (k) => v[k]);
      if (solve(t, m, true, held)) return undefined;
      // guesses may lie where the constraints say nothing of some direction, such as a pendulum that hangs level: look beside them
      for (let turn = 1; turn <= guessesBeside; turn++) {
        for (let k = 0; k < n; k++)
          if (!held.has(states[k])) v[states[k]] = guess[k] + scale[k] * 0.03 * turn * Math.cos(1 + k + turn);
        if (solve(t, m, true, held)) return undefined;
      }
      for (let k = 0; k < n; k++) v[states[k]] = guess[k];
      const r = new Float64Array(m);
      residual(t, r, true);
      return r.reduce((worst, x, k) => (Math.abs(x) > Math.abs(r[worst]) || Number.isNaN(x) ? k : worst), 0);
    },
  };
}

/** Solves A y = b for a symmetric A that is not negative; directions without any say (redundant constraints) stay at 0. */
function solveDefinite(m: number, A: Float64Array, b: Float64Array): Float64Array {
  const L = Float64Array.from(A);
  const order = Array.from({ length: m }, (_, k) => k);
  const largest = Math.max(...order.map((k) => A[k * m + k]), 1e-300);
  let rank = 0;
  // Cholesky with diagonal pivoting
  for (; rank < m; rank++) {
    let pivot = rank;
    for (let i = rank + 1; i < m; i++) if (L[order[i] * m + order[i]] > L[order[pivot] * m + order[pivot]]) pivot = i;
    [order[rank], order[pivot]] = [order[pivot], order[rank]];
    const p = order[rank];
    const d = L[p * m + p];
    if (d <= 1e-20 * largest) break;
    for (let i = rank + 1; i < m; i++) {
      const q = order[i];
      const factor = L[q * m + p] / d;
      for (let j = rank + 1; j < m; j++) L[q * m + order[j]] -= factor * L[p * m + order[j]];
    }
  }
  // the pivots chosen are independent: their part of the matrix is solved by elimination
  const chosen = order.slice(0, rank);
  const M = chosen.map((i) => [...chosen.map((j) => A[i * m + j]), b[i]]);
  for (let k = 0; k < rank; k++) {
    for (let i = k + 1; i < rank; i++) {
      const factor = M[i][k] / M[k][k];
      if (factor !== 0) for (let j = k; j <= rank; j++) M[i][j] -= factor * M[k][j];
    }
  }
  const y = new Float64Array(m);
  for (let i = rank - 1; i >= 0; i--) {
    let sum = M[i][rank];
    for (let j = i + 1; j < rank; j++) sum -= M[i][j] * y[chosen[j]];
    y[chosen[i]] = sum / M[i][i];
  }
  return y;
}
