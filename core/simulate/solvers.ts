import type { FlatStep } from '../program/flat-step';
import { dopri5, newDopri5State, type Dopri5State } from './dopri5';
import { euler, implicitEuler, rk4, type FixedStepState } from './fixed-step';
import { newRadauState, radau5, type RadauState } from './radau5';
import { standing, type StandingState } from './standing';
import type { KnownJacobian } from './state-jacobian';
import type { RightHandSide, Stepper, Tolerances } from './stepper';

export const solverNames = ['auto', 'dopri5', 'implicit', 'rk4', 'euler', 'implicit-euler'] as const;
export type SolverName = (typeof solverNames)[number];

/** What a method of any kind remembers. */
export type SolverState = Dopri5State | RadauState | FixedStepState | AutomaticState | StandingState;

/** A method for n states; with the state of another one of the same kind it goes on from there. */
export function createStepper(
  options: { readonly solver: SolverName; readonly step: number },
  n: number,
  f: RightHandSide,
  tol: Tolerances,
  longest: number,
  flat?: FlatStep,
  jacobian?: () => KnownJacobian,
  saved?: SolverState,
): Stepper {
  const of = <M extends SolverState['method']>(method: M) =>
    saved?.method === method ? (saved as Extract<SolverState, { method: M }>) : undefined;
  // where nothing is integrated, steps are as long as rows lie apart
  if (n === 0 && (options.solver === 'dopri5' || options.solver === 'auto')) return standing(longest, of('standing'));
  switch (options.solver) {
    case 'dopri5':
      return dopri5(n, f, tol, longest, flat, of('dopri5'));
    case 'rk4':
      return rk4(n, f, options.step, of('fixed'));
    case 'euler':
      return euler(n, f, options.step, of('fixed'));
    case 'implicit-euler':
      return implicitEuler(n, f, options.step, jacobian?.(), of('fixed'));
    case 'implicit':
      return radau5(n, f, tol, longest, jacobian?.(), of('radau5'));
    case 'auto':
      return automatic(n, f, tol, longest, flat, jacobian, of('automatic'));
  }
}

const firstTrial = 400,
  trialSteps = 10,
  worthwhile = 6;
/** An implicit step costs about as much as so many explicit ones. */
const firstReturn = 150,
  costOfImplicit = 3;

/** Which of the two methods is at work, what both remember, and how far their trials are. */
export interface AutomaticState {
  readonly method: 'automatic';
  readonly explicit: Dopri5State;
  /** Once it has been needed. */
  implicit: RadauState | undefined;
  useImplicit: boolean;
  /** Explicit steps since the last trial, and how many there may be before the next. */
  since: number;
  nextTrial: number;
  trialLeft: number;
  explicitLength: number;
  trialFrom: number;
  sinceImplicit: number;
  nextReturn: number;
  returnLeft: number;
  returnFrom: number;
  implicitLength: number;
}

const newAutomaticState = (n: number): AutomaticState => ({
  method: 'automatic',
  explicit: newDopri5State(n),
  implicit: undefined,
  useImplicit: false,
  since: 0,
  nextTrial: firstTrial,
  trialLeft: 0,
  explicitLength: 0,
  trialFrom: 0,
  sinceImplicit: 0,
  nextReturn: firstReturn,
  returnLeft: 0,
  returnFrom: 0,
  implicitLength: 0,
});

/**
 * Starts explicit and goes on implicit once the explicit method notices stiffness. Where it takes many steps without noticing
 * (at tight tolerances its steps stay within stability), some implicit steps are tried in between; they stay where they are
 * several times longer. What was stiff need not stay so: after many implicit steps some explicit ones are tried, and they stay where they are
 * long enough for their price.
 */
function automatic(
  n: number,
  f: RightHandSide,
  tol: Tolerances,
  longest: number,
  flat?: FlatStep,
  jacobian?: () => KnownJacobian,
  s: AutomaticState = newAutomaticState(n),
): Stepper {
  const explicit = dopri5(n, f, tol, longest, flat, s.explicit);
  let implicit = s.implicit && radau5(n, f, tol, longest, jacobian?.(), s.implicit);
  const current = (): Stepper => (s.useImplicit && implicit ? implicit : explicit);
  const goImplicit = (): void => {
    s.implicit ??= newRadauState(n);
    implicit ??= radau5(n, f, tol, longest, jacobian?.(), s.implicit);
    implicit.reset(explicit.t, explicit.y);
    s.useImplicit = true;
  };
  /** After some implicit steps: back, unless they are worth their work. */
  const weigh = (): void => {
    if (--s.trialLeft > 0 || !implicit) {
      // the first steps of a method are careful ones
      if (s.trialLeft === trialSteps / 2 && implicit) s.trialFrom = implicit.t;
      return;
    }
    if ((implicit.t - s.trialFrom) / (trialSteps / 2) > worthwhile * s.explicitLength) return;
    explicit.reset(implicit.t, implicit.y);
    s.useImplicit = false;
    s.since = 0;
    s.nextTrial *= 4;
  };
  const tryExplicit = (): void => {
    if (!implicit) return;
    // explicit steps end where the fastest part of the model does: where that is far below what implicit ones manage, there is nothing to try
    if (fastest(n, f, implicit.t, implicit.y) * s.implicitLength > edgeOfStability * costOfImplicit) {
      s.sinceImplicit = 0;
      s.nextReturn *= 2;
      return;
    }
    explicit.reset(implicit.t, implicit.y);
    s.useImplicit = false;
    s.returnLeft = trialSteps;
    s.returnFrom = explicit.t;
  };
  /** After some explicit steps in a stretch that was stiff: back to implicit ones, unless they get on as well for their price. */
  const weighReturn = (): void => {
    if (--s.returnLeft === trialSteps / 2) s.returnFrom = explicit.t;
    if (s.returnLeft > 0 && !explicit.stiff) return;
    const length = (explicit.t - s.returnFrom) / (trialSteps / 2);
    s.returnLeft = s.since = s.sinceImplicit = 0;
    if (!explicit.stiff && length * costOfImplicit > s.implicitLength) {
      s.nextTrial = firstTrial;
      s.nextReturn = firstReturn;
      return;
    }
    s.nextReturn *= 4;
    goImplicit();
  };
  return {
    state: s,
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
      return s.useImplicit;
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
      s.since = s.trialLeft = s.returnLeft = s.sinceImplicit = 0;
      current().reset(t, y);
    },
    adjust: (y) => current().adjust(y),
    step(limit) {
      // the steps of a trial are judged when the last of them has been used
      if (s.trialLeft > 0 && s.useImplicit) weigh();
      else if (s.useImplicit && implicit) {
        const length = implicit.t - implicit.previous;
        s.implicitLength = s.sinceImplicit === 0 ? length : 0.9 * s.implicitLength + 0.1 * length;
        if (++s.sinceImplicit >= s.nextReturn) tryExplicit();
      } else if (s.returnLeft > 0) weighReturn();
      if (!s.useImplicit && explicit.stiff) goImplicit();
      else if (!s.useImplicit && s.returnLeft === 0 && s.since >= s.nextTrial) {
        s.explicitLength = explicit.t - explicit.previous;
        goImplicit();
        s.trialLeft = trialSteps;
      }
      if (current().step(limit)) {
        s.since++;
        return true;
      }
      if (s.useImplicit && s.trialLeft === 0) return false;
      if (s.useImplicit) {
        // a trial that does not get on says nothing
        explicit.reset(implicit!.t, implicit!.y);
        s.useImplicit = false;
        s.trialLeft = s.since = 0;
        s.nextTrial *= 4;
        return explicit.step(limit);
      }
      s.returnLeft = 0;
      goImplicit();
      return implicit!.step(limit);
    },
    interpolate: (t, out) => current().interpolate(t, out),
  };
}

const edgeOfStability = 3.3,
  powerSteps = 5;

/** The rate of the fastest part of a model near a state: the largest eigenvalue of its Jacobian in size, by power iteration on differences. */
function fastest(n: number, f: RightHandSide, t: number, y: Float64Array): number {
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
