import type { Program } from '../program/program';
import type { SolverName } from './solvers';
import type { StepCounts, Stepper } from './stepper';

/** What a run says of its solver: what it did, what limited it, and what would help. */
export interface SolverReport {
  readonly counts: StepCounts & { readonly events: number };
  /** The explicit method has given way to the implicit one. */
  readonly implicit: boolean;
  /** States whose error set the step most often, with their share of the steps looked at. */
  readonly limiting: readonly { readonly name: string; readonly share: number }[];
  readonly advice: readonly string[];
}

const most = 3;

export function solverReport(program: Program, options: { readonly solver: SolverName; readonly relative: number }, stepper: Stepper, events: number): SolverReport {
  const { states, model } = program.solvable;
  const counts = { ...stepper.counts, events };
  const total = stepper.limits.reduce((sum, x) => sum + x, 0);
  const limiting = [...stepper.limits].map((x, k) => ({ name: model.variables[states[k]].name, share: total > 0 ? x / total : 0 })).filter((x) => x.share > 0.05).sort((a, b) => b.share - a.share).slice(0, most);
  const implicit = options.solver === 'implicit' || (options.solver === 'auto' && stepper.stiff);
  const first = limiting[0]?.name;
  const advice: string[] = [];
  if (options.solver === 'dopri5' && stepper.stiff) advice.push('The model is stiff: the explicit method takes far more steps than its accuracy asks for. Choose auto or implicit');
  if (counts.steps > 50 && counts.rejected > 0.3 * counts.steps) advice.push(`${counts.rejected} of ${counts.steps + counts.rejected} steps had to be taken again${first ? `: ${first} changes abruptly` : ''}. A condition that switches there is found exactly, a steep formula is not`);
  if (events > 200 && events > 0.5 * counts.steps) advice.push('Most steps end at an event: conditions that switch this often cost more than the equations. A dead band, or noEvent where the value does not jump, would help');
  if (options.relative < 1e-11) advice.push('The tolerance is close to what numbers can tell apart: 1e-10 is mostly as good and faster');
  return { counts, implicit, limiting, advice };
}
