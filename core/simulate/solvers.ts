import type { FlatStep } from '../program/flat-step';
import { dopri5 } from './dopri5';
import { euler, implicitEuler, rk4 } from './fixed-step';
import { radau5 } from './radau5';
import type { KnownJacobian } from './state-jacobian';
import type { Derivatives, Stepper, Tolerances } from './stepper';

export const solverNames = ['auto', 'dopri5', 'implicit', 'rk4', 'euler', 'implicit-euler'] as const;
export type SolverName = (typeof solverNames)[number];

export function createStepper(
  options: { readonly solver: SolverName; readonly step: number },
  n: number,
  f: Derivatives,
  tol: Tolerances,
  longest: number,
  flat?: FlatStep,
  jacobian?: () => KnownJacobian,
): Stepper {
  switch (options.solver) {
    case 'dopri5':
      return dopri5(n, f, tol, longest, flat);
    case 'rk4':
      return rk4(n, f, options.step);
    case 'euler':
      return euler(n, f, options.step);
    case 'implicit-euler':
      return implicitEuler(n, f, options.step, jacobian?.());
    case 'implicit':
      return radau5(n, f, tol, longest, jacobian?.());
    case 'auto':
      return automatic(n, f, tol, longest, flat, jacobian);
  }
}

const firstTrial = 400,
  trialSteps = 10,
  worthwhile = 6;
/** An implicit step costs about as much as so many explicit ones. */
const firstReturn = 150,
  costOfImplicit = 3;

/**
 * Starts explicit and goes on implicit once the explicit method notices stiffness. Where it takes many steps without noticing
 * (at tight tolerances its steps stay within stability), some implicit steps are tried in between; they stay where they are
 * several times longer. What was stiff need not stay so: after many implicit steps some explicit ones are tried, and they stay where they are
 * long enough for their price.
 */
function automatic(
  n: number,
  f: Derivatives,
  tol: Tolerances,
  longest: number,
  flat?: FlatStep,
  jacobian?: () => KnownJacobian,
): Stepper {
  const explicit = dopri5(n, f, tol, longest, flat);
  let implicit: Stepper | undefined;
  let useImplicit = false;
  let since = 0,
    nextTrial = firstTrial,
    trialLeft = 0,
    explicitLength = 0,
    trialFrom = 0;
  let sinceImplicit = 0,
    nextReturn = firstReturn,
    returnLeft = 0,
    returnFrom = 0,
    implicitLength = 0;
  const current = (): Stepper => (useImplicit && implicit ? implicit : explicit);
  const goImplicit = (): void => {
    implicit ??= radau5(n, f, tol, longest, jacobian?.());
    implicit.reset(explicit.t, explicit.y);
    useImplicit = true;
  };
  /** After some implicit steps: back, unless they are worth their work. */
  const weigh = (): void => {
    if (--trialLeft > 0 || !implicit) {
      // the first steps of a method are careful ones
      if (trialLeft === trialSteps / 2 && implicit) trialFrom = implicit.t;
      return;
    }
    if ((implicit.t - trialFrom) / (trialSteps / 2) > worthwhile * explicitLength) return;
    explicit.reset(implicit.t, implicit.y);
    useImplicit = false;
    since = 0;
    nextTrial *= 4;
  };
  const tryExplicit = (): void => {
    if (!implicit) return;
    // explicit steps end where the fastest part of the model does: where that is far below what implicit ones manage, there is nothing to try
    if (fastest(n, f, implicit.t, implicit.y) * implicitLength > edgeOfStability * costOfImplicit) {
      sinceImplicit = 0;
      nextReturn *= 2;
      return;
    }
    explicit.reset(implicit.t, implicit.y);
    useImplicit = false;
    returnLeft = trialSteps;
    returnFrom = explicit.t;
  };
  /** After some explicit steps in a stretch that was stiff: back to implicit ones, unless they get on as well for their price. */
  const weighReturn = (): void => {
    if (--returnLeft === trialSteps / 2) returnFrom = explicit.t;
    if (returnLeft > 0 && !explicit.stiff) return;
    const length = (explicit.t - returnFrom) / (trialSteps / 2);
    returnLeft = since = sinceImplicit = 0;
    if (!explicit.stiff && length * costOfImplicit > implicitLength) {
      nextTrial = firstTrial;
      nextReturn = firstReturn;
      return;
    }
    nextReturn *= 4;
    goImplicit();
  };
  return {
    get t() {
      return current().t;
    },
    get previous() {
      return current().previous;
    },
    get y() {
      return current().y;
    },
    get stiff() {
      return useImplicit;
    },
    get limits() {
      return implicit ? explicit.limits.map((x, k) => x + implicit!.limits[k]) : explicit.limits;
    },
    get counts() {
      const a = explicit.counts;
      if (!implicit) return a;
      const b = implicit.counts;
      return {
        steps: a.steps + b.steps,
        rejected: a.rejected + b.rejected,
        evaluations: a.evaluations + b.evaluations,
        jacobians: b.jacobians,
        factorisations: b.factorisations,
      };
    },
    reset(t, y) {
      since = trialLeft = returnLeft = sinceImplicit = 0;
      current().reset(t, y);
    },
    adjust: (y) => current().adjust(y),
    step(limit) {
      // the steps of a trial are judged when the last of them has been used
      if (trialLeft > 0 && useImplicit) weigh();
      else if (useImplicit && implicit) {
        const length = implicit.t - implicit.previous;
        implicitLength = sinceImplicit === 0 ? length : 0.9 * implicitLength + 0.1 * length;
        if (++sinceImplicit >= nextReturn) tryExplicit();
      } else if (returnLeft > 0) weighReturn();
      if (!useImplicit && explicit.stiff) goImplicit();
      else if (!useImplicit && returnLeft === 0 && since >= nextTrial) {
        explicitLength = explicit.t - explicit.previous;
        goImplicit();
        trialLeft = trialSteps;
      }
      if (current().step(limit)) {
        since++;
        return true;
      }
      if (useImplicit && trialLeft === 0) return false;
      if (useImplicit) {
        // a trial that does not get on says nothing
        explicit.reset(implicit!.t, implicit!.y);
        useImplicit = false;
        trialLeft = since = 0;
        nextTrial *= 4;
        return explicit.step(limit);
      }
      returnLeft = 0;
      goImplicit();
      return implicit!.step(limit);
    },
    interpolate: (t, out) => current().interpolate(t, out),
    save: () => [useImplicit ? 1 : 0, nextTrial, nextReturn],
    load(saved) {
      useImplicit = saved[0] === 1;
      [, nextTrial, nextReturn] = saved;
      if (useImplicit) implicit ??= radau5(n, f, tol, longest, jacobian?.());
    },
  };
}

const edgeOfStability = 3.3,
  powerSteps = 5;

/** The rate of the fastest part of a model near a state: the largest eigenvalue of its Jacobian in size, by power iteration on differences. */
function fastest(n: number, f: Derivatives, t: number, y: Float64Array): number {
  const [base, moved, slope] = [new Float64Array(n), new Float64Array(n), new Float64Array(n)];
  const direction = Float64Array.from(y, (_, k) => (k % 2 === 0 ? 1 : -0.7) * (1 + Math.abs(y[k])));
  const length = (x: Float64Array): number => Math.sqrt(x.reduce((sum, v) => sum + v * v, 0));
  f(t, y, base);
  let rate = 0;
  for (let k = 0; k < powerSteps; k++) {
    const size = length(direction),
      step = Math.sqrt(Number.EPSILON) * (1 + length(y));
    if (!(size > 0)) return rate;
    for (let i = 0; i < n; i++) moved[i] = y[i] + (step * direction[i]) / size;
    f(t, moved, slope);
    for (let i = 0; i < n; i++) direction[i] = (slope[i] - base[i]) / step;
    const found = length(direction);
    if (!Number.isFinite(found)) return Infinity;
    rate = Math.max(rate, found);
  }
  return rate;
}
