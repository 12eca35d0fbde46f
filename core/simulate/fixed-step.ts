import { stateJacobian, type KnownJacobian } from './state-jacobian';
import { noCounts, type RightHandSide, type StepCounts, type Stepper } from './stepper';

/** Takes a step of length h from y, whose derivatives are k1, to `next`; false where it cannot. */
type Advance = (t: number, y: Float64Array, k1: Float64Array, h: number, next: Float64Array) => boolean;

/** Where the method is: its last step, with the derivatives at both ends. */
export interface FixedStepState {
  readonly method: 'fixed';
  t: number;
  previous: number;
  /** The derivatives at the end of the last step are those of the state at hand. */
  valid: boolean;
  readonly y: Float64Array;
  readonly yOld: Float64Array;
  readonly fOld: Float64Array;
  readonly fNew: Float64Array;
  readonly counts: StepCounts;
  readonly limits: Float64Array;
}

const newFixedStepState = (n: number): FixedStepState => {
  const array = (): Float64Array => new Float64Array(n);
  return {
    method: 'fixed',
    t: 0,
    previous: 0,
    valid: false,
    y: array(),
    yOld: array(),
    fOld: array(),
    fNew: array(),
    counts: noCounts(),
    limits: array(),
  };
};

/** Fixed steps on the grid k * size; between grid points a cubic Hermite polynomial. Steps are cut at events and resume on the grid. */
function fixedStep(n: number, f: RightHandSide, size: number, s: FixedStepState, advance: Advance): Stepper {
  const next = new Float64Array(n);
  const { y, yOld, fOld, fNew, counts } = s;
  return {
    state: s,
    get t() {
      return s.t;
    },
    get previous() {
      return s.previous;
    },
    stiff: false,
    y,
    counts,
    limits: s.limits,
    reset(time, state) {
      s.t = s.previous = time;
      y.set(state);
      s.valid = false;
    },
    adjust(state) {
      y.set(state);
      s.valid = false;
    },
    step(limit) {
      const { t } = s;
      let end = (Math.floor(t / size + 1e-9) + 1) * size;
      if (end >= limit - 1e-12 * Math.max(1, Math.abs(limit))) end = limit;
      if (s.valid) fOld.set(fNew);
      else {
        f(t, y, fOld);
        counts.evaluations++;
      }
      if (!advance(t, y, fOld, end - t, next) || !next.every(Number.isFinite)) return false;
      yOld.set(y);
      y.set(next);
      f(end, y, fNew);
      counts.evaluations++;
      s.valid = true;
      s.previous = t;
      s.t = end;
      counts.steps++;
      return true;
    },
    interpolate(time, out) {
      const h = s.t - s.previous;
      const u = h === 0 ? 1 : (time - s.previous) / h;
      const u1 = 1 - u;
      for (let i = 0; i < n; i++) {
        const difference = y[i] - yOld[i];
        out[i] = u1 * yOld[i] + u * y[i] - u * u1 * ((1 - 2 * u) * difference - u1 * h * fOld[i] + u * h * fNew[i]);
      }
    },
  };
}

/** The classical Runge-Kutta method (Kutta 1901). */
export function rk4(n: number, f: RightHandSide, size: number, s = newFixedStepState(n)): Stepper {
  const [k2, k3, k4, stage] = Array.from({ length: 4 }, () => new Float64Array(n));
  return fixedStep(n, f, size, s, (t, y, k1, h, next) => {
    for (let i = 0; i < n; i++) stage[i] = y[i] + (h / 2) * k1[i];
    f(t + h / 2, stage, k2);
    for (let i = 0; i < n; i++) stage[i] = y[i] + (h / 2) * k2[i];
    f(t + h / 2, stage, k3);
    for (let i = 0; i < n; i++) stage[i] = y[i] + h * k3[i];
    f(t + h, stage, k4);
    s.counts.evaluations += 3;
    for (let i = 0; i < n; i++) next[i] = y[i] + (h / 6) * (k1[i] + 2 * k2[i] + 2 * k3[i] + k4[i]);
    return true;
  });
}

/** Euler's method (1768): what a controller on a board does with its period. */
export const euler = (n: number, f: RightHandSide, size: number, s = newFixedStepState(n)): Stepper =>
  fixedStep(n, f, size, s, (_, y, k1, h, next) => {
    for (let i = 0; i < n; i++) next[i] = y[i] + h * k1[i];
    return true;
  });

const mostTurns = 12;

/** Euler's method with the derivatives of the end of the step: stays calm however stiff the equations are. Newton's method with the Jacobian of the beginning, or that of a later guess where it gets on too slowly. */
export function implicitEuler(
  n: number,
  f: RightHandSide,
  size: number,
  known: KnownJacobian = {},
  s = newFixedStepState(n),
): Stepper {
  const [fx, d] = Array.from({ length: 2 }, () => new Float64Array(n));
  const { counts } = s;
  const derivative = stateJacobian(n, f, known, counts);
  const { linear } = derivative;
  return fixedStep(n, f, size, s, (t, y, k1, h, next) => {
    derivative.update(t, y, k1);
    for (let i = 0; i < n; i++) next[i] = y[i] + h * k1[i];
    let factored = false,
      before = Infinity;
    for (let turn = 0; turn < mostTurns; turn++) {
      f(t + h, next, fx);
      counts.evaluations++;
      if (!factored) {
        if (turn > 0) derivative.update(t + h, next, fx);
        counts.factorisations++;
        if (!linear.factor(1 / h, 1 / h, 0)) return false;
        factored = true;
      }
      for (let i = 0; i < n; i++) d[i] = fx[i] - (next[i] - y[i]) / h;
      linear.solveReal(d);
      let largest = 0;
      for (let i = 0; i < n; i++) {
        next[i] += d[i];
        largest = Math.max(largest, Math.abs(d[i]) / (Math.abs(next[i]) + 1e-9));
      }
      if (largest < 1e-10) return true;
      if (!Number.isFinite(largest)) return false;
      if (turn > 1 && largest > 0.3 * before) factored = false;
      before = largest;
    }
    // good enough for a step of fixed length
    return before < 1e-6;
  });
}
