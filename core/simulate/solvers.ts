import type { FlatStep } from '../program/flat-step';
import { dopri5 } from './dopri5';
import { radau5, type KnownJacobian } from './radau5';
import { rk4 } from './rk4';
import type { Derivatives, Stepper, Tolerances } from './stepper';

export const solverNames = ['auto', 'dopri5', 'rk4', 'implicit'] as const;
export type SolverName = (typeof solverNames)[number];

export function createStepper(
  options: { readonly solver: SolverName; readonly step: number }, n: number, f: Derivatives, tol: Tolerances, longest: number, flat?: FlatStep, jacobian?: () => KnownJacobian,
): Stepper {
  switch (options.solver) {
    case 'dopri5': return dopri5(n, f, tol, longest, flat);
    case 'rk4': return rk4(n, f, options.step);
    case 'implicit': return radau5(n, f, tol, longest, jacobian?.());
    case 'auto': return automatic(n, f, tol, longest, flat, jacobian);
  }
}

/** Starts explicit and goes on implicit once the explicit method notices stiffness. */
function automatic(n: number, f: Derivatives, tol: Tolerances, longest: number, flat?: FlatStep, jacobian?: () => KnownJacobian): Stepper {
  const explicit = dopri5(n, f, tol, longest, flat);
  let implicit: Stepper | undefined;
  let useImplicit = false;
  const current = (): Stepper => (useImplicit && implicit ? implicit : explicit);
  return {
    get t() { return current().t; },
    get previous() { return current().previous; },
    get y() { return current().y; },
    get stiff() { return useImplicit; },
    get counts() {
      const a = explicit.counts;
      if (!implicit) return a;
      const b = implicit.counts;
      return {
        steps: a.steps + b.steps, rejected: a.rejected + b.rejected, evaluations: a.evaluations + b.evaluations,
        jacobians: b.jacobians, factorisations: b.factorisations,
      };
    },
    reset: (t, y) => current().reset(t, y),
    adjust: (y) => current().adjust(y),
    step(limit) {
      if (!useImplicit && explicit.stiff) {
        implicit ??= radau5(n, f, tol, longest, jacobian?.());
        implicit.reset(explicit.t, explicit.y);
        useImplicit = true;
      }
      if (current().step(limit)) return true;
      if (useImplicit) return false;
      implicit ??= radau5(n, f, tol, longest, jacobian?.());
      implicit.reset(explicit.t, explicit.y);
      useImplicit = true;
      return implicit.step(limit);
    },
    interpolate: (t, out) => current().interpolate(t, out),
    save: () => [useImplicit ? 1 : 0],
    load(saved) {
      useImplicit = saved[0] === 1;
      if (useImplicit) implicit ??= radau5(n, f, tol, longest, jacobian?.());
    },
  };
}
