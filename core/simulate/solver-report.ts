import type { Program } from '../program/program';
import { describe } from './failure';
import type { RunProfile, Task } from './run-profile';
import type { SimulationState } from './simulation-state';
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
  /** The conditions that switched most often, with how often. */
  readonly switching: readonly { readonly text: string; readonly times: number }[];
  /** Shares of the time: steps of the method, looking for events within them, rows of the recording with all that watches them, events. */
  readonly spent: Readonly<Record<Task, number>>;
}

const most = 3;

export function solverReport(
  program: Program,
  options: { readonly solver: SolverName; readonly relative: number },
  stepper: Stepper,
  { events, switches }: Pick<SimulationState, 'events' | 'switches'>,
  profile: RunProfile,
): SolverReport {
  const { states, model } = program.solvable;
  const counts = { ...stepper.counts, events };
  const total = stepper.limits.reduce((sum, x) => sum + x, 0);
  const limiting = [...stepper.limits]
    .map((x, k) => ({ name: model.variables[states[k]].name, share: total > 0 ? x / total : 0 }))
    .filter((x) => x.share > 0.05)
    .sort((a, b) => b.share - a.share)
    .slice(0, most);
  const implicit = options.solver === 'implicit' || (options.solver === 'auto' && stepper.stiff);
  const first = limiting[0]?.name;
  const advice: string[] = [];
  if (options.solver === 'dopri5' && stepper.stiff)
    advice.push(
      'The model is stiff: the explicit method takes far more steps than its accuracy asks for. Choose auto or implicit',
    );
  if (counts.steps > 50 && counts.rejected > 0.3 * counts.steps)
    advice.push(
      `${counts.rejected} of ${counts.steps + counts.rejected} steps had to be taken again${first ? `: ${first} changes abruptly` : ''}. A condition that switches there is found exactly, a steep formula is not`,
    );
  const switching = [...switches]
    .map((times, k) => ({ times, k }))
    .filter((x) => x.times > 0)
    .sort((a, b) => b.times - a.times)
    .slice(0, most)
    .map(({ times, k }) => {
      const source = program.modes[k];
      return {
        times,
        text:
          source.kind === 'relation'
            ? describe(program, source.expr)
            : `whole steps of ${describe(program, source.expr)}`,
      };
    });
  const switched = switches.reduce((sum, x) => sum + x, 0);
  // ticks of a clock are meant to be that many
  if (switched > 200 && switched > 0.3 * events && events > 0.5 * counts.steps)
    advice.push(
      `Most steps end at an event${switching[0] ? `, ${switching[0].times} of them at ${switching[0].text}` : ''}: conditions that switch this often cost more than the equations. A dead band, or noEvent where the value does not jump, would help`,
    );
  if (options.relative < 1e-11)
    advice.push('The tolerance is close to what numbers can tell apart: 1e-10 is mostly as good and faster');
  const spent = profile.shares();
  if (counts.steps > 500 && spent.rows > 0.7)
    advice.push('Most of the time goes into rows of the recording: fewer of them, or fewer quantities, would help');
  return { counts, implicit, limiting, advice, switching, spent };
}
