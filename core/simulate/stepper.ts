/** Right-hand side of y' = f(t, y). */
export type RightHandSide = (t: number, y: Float64Array, dy: Float64Array) => void;

export interface Tolerances {
  readonly relative: number;
  readonly absolute: number;
  /** Sizes the states are of, 1 where unknown: they scale the absolute tolerance. */
  readonly nominal: Float64Array;
}

export interface StepCounts {
  steps: number;
  rejected: number;
  evaluations: number;
  jacobians: number;
  factorisations: number;
}

export const noCounts = (): StepCounts => ({ steps: 0, rejected: 0, evaluations: 0, jacobians: 0, factorisations: 0 });

/** What a method remembers, as plain data; each method knows its own. */
export type MethodState = { readonly method: string };

/**
 * A one-step method with dense output. `step` carries the solution from `t` to at most `limit`; the step just taken reaches
 * from `previous` to `t`, and `interpolate` answers anywhere in it.
 */
export interface Stepper {
  readonly t: number;
  readonly previous: number;
  readonly y: Float64Array;
  readonly counts: StepCounts;
  /** How often each state had the largest share in the error that set the step, looked at now and then. */
  readonly limits: Float64Array;
  /** Starts anew at a point, for instance after an event. */
  reset(t: number, y: Float64Array): void;
  /** Moves the solution at its end a little, without starting anew: back onto a constraint. */
  adjust(y: Float64Array): void;
  /** False where the step size has become too small. */
  step(limit: number): boolean;
  interpolate(t: number, out: Float64Array): void;
  /** All it remembers: a method made with a copy of it goes on from there in the same steps. */
  readonly state: MethodState;
  /** Set by methods that notice stiffness. */
  readonly stiff: boolean;
}

const lookEvery = 4;

/** Notes which state has the largest error of a step. */
export function noteLimit(limits: Float64Array, step: number, x: Float64Array, y: Float64Array, tol: Tolerances): void {
  if (step % lookEvery !== 0 || x.length === 0) return;
  let worst = 0,
    largest = -1;
  for (let i = 0; i < x.length; i++) {
    const q = Math.abs(x[i]) / (tol.absolute * tol.nominal[i] + tol.relative * Math.abs(y[i]));
    if (q > largest) {
      largest = q;
      worst = i;
    }
  }
  limits[worst]++;
}

/** Root mean square of x over the error scale (Hairer, Norsett, Wanner 1993, II.4). */
export function scaledNorm(x: Float64Array, y0: Float64Array, y1: Float64Array, tol: Tolerances): number {
  const n = x.length;
  const { absolute, relative, nominal } = tol;
  let sum = 0;
  for (let i = 0; i < n; i++) {
    const a = Math.abs(y0[i]),
      b = Math.abs(y1[i]);
    const q = x[i] / (absolute * nominal[i] + relative * (a > b ? a : b));
    sum += q * q;
  }
  return n === 0 ? 0 : Math.sqrt(sum / n);
}

/** A first step size (Hairer, Norsett, Wanner 1993, II.4, algorithm for the starting step size). */
export function initialStep(
  f: RightHandSide,
  t: number,
  y: Float64Array,
  f0: Float64Array,
  order: number,
  longest: number,
  tol: Tolerances,
  work: Float64Array,
  work2: Float64Array,
): number {
  const d0 = scaledNorm(y, y, y, tol);
  const d1 = scaledNorm(f0, y, y, tol);
  let h = d0 < 1e-5 || d1 < 1e-5 ? 1e-6 : 0.01 * (d0 / d1);
  // states that have only just left zero say nothing about the time the solution takes
  h = Math.min(Math.max(h, 4 * smallestStep(t)), longest);
  for (let i = 0; i < y.length; i++) work[i] = y[i] + h * f0[i];
  f(t + h, work, work2);
  for (let i = 0; i < y.length; i++) work2[i] -= f0[i];
  const d2 = scaledNorm(work2, y, y, tol) / h;
  const largest = Math.max(d1, d2);
  const h1 = largest <= 1e-15 ? Math.max(1e-6, h * 1e-3) : (0.01 / largest) ** (1 / order);
  const result = Math.min(100 * h, h1, longest);
  return Number.isFinite(result) && result > 0
    ? Math.max(result, Math.min(4 * smallestStep(t), longest))
    : Math.min(1e-6, longest);
}

/** The smallest step that still moves the time. */
export const smallestStep = (t: number): number => 16 * Number.EPSILON * Math.max(Math.abs(t), 1e-10);
