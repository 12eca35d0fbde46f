import {
  columnGroups,
  denseSolver,
  sparseSolver,
  type LinearSolver,
  type LinearState,
  type Pattern,
} from './linear-solver';
import type { RightHandSide, StepCounts } from './stepper';

/** What is known of the Jacobian before the run. */
export interface KnownJacobian {
  readonly pattern?: Pattern | undefined;
  /** Fills in its values: in the order of the pattern, or all of them, row after row, without one. */
  readonly write?: ((t: number, y: Float64Array, J: Float64Array) => void) | undefined;
}

/** The Jacobian of the derivatives by the states, where a linear solver keeps it: written out, or by differences, for many columns at once where its pattern allows (Curtis, Powell and Reid 1974). */
export interface StateJacobian {
  readonly linear: LinearSolver;
  /** Takes it at a point; `f0` are the derivatives there. */
  update(t: number, y: Float64Array, f0: Float64Array): void;
}

export function stateJacobian(
  n: number,
  f: RightHandSide,
  known: KnownJacobian,
  counts: StepCounts,
  saved?: LinearState,
): StateJacobian {
  const { pattern } = known;
  const isSparse =
    pattern !== undefined && (known.write !== undefined || (n > 40 && pattern.columns.length < 0.2 * n * n));
  const linear = isSparse ? sparseSolver(pattern, saved) : denseSolver(n, saved);
  const groups = isSparse ? columnGroups(pattern) : undefined;
  const work = new Float64Array(n),
    shifted = new Float64Array(n),
    deltas = new Float64Array(n),
    marks = new Uint8Array(n);
  const evaluate = (t: number): void => {
    f(t, work, shifted);
    counts.evaluations++;
  };
  return {
    linear,
    update(t, y, f0) {
      const { J } = linear.state;
      counts.jacobians++;
      if (known.write) return known.write(t, y, J);
      work.set(y);
      const step = (j: number): number => Math.sqrt(Number.EPSILON * Math.max(1e-5, Math.abs(y[j])));
      if (groups && pattern) {
        for (const group of groups) {
          for (const j of group) {
            work[j] = y[j] + step(j);
            deltas[j] = work[j] - y[j];
          }
          evaluate(t);
          for (const j of group) work[j] = y[j];
          // each row has at most one column of the group
          marks.fill(0);
          for (const j of group) marks[j] = 1;
          for (let i = 0; i < n; i++) {
            for (let p = pattern.start[i]; p < pattern.start[i + 1]; p++) {
              const j = pattern.columns[p];
              if (marks[j]) J[p] = (shifted[i] - f0[i]) / deltas[j];
            }
          }
        }
        return;
      }
      for (let j = 0; j < n; j++) {
        work[j] = y[j] + step(j);
        const delta = work[j] - y[j];
        evaluate(t);
        for (let i = 0; i < n; i++) J[i * n + j] = (shifted[i] - f0[i]) / delta;
        work[j] = y[j];
      }
    },
  };
}
