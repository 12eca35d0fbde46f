import { problem, type Problem } from '../language/diagnostics';
import type { Program } from '../program/program';
import type { Simulation } from '../simulate/simulation';
import type { Complex } from './complex';
import { linearReport, type LinearQuestion } from './linear-report';
import { rateOf } from './poles';

const rounds = 40;
const near = 1e-7;
const mostTicks = 2e6;
/** By when it has come to rest, in s. */
export const farAway = 1e9;

/**
 * Lets a simulation go on, with its inputs as they are, until what lies on the way from the input to the output stands still: round after round of
 * some of its slowest time constants. Nothing may be due to happen by then. Tells what does not come to rest.
 */
export function comeToRest(program: Program, simulation: Simulation, question: LinearQuestion): Problem | undefined {
  const { variables } = program.solvable.model;
  let moving: string | undefined;
  for (let round = 0; round < rounds; round++) {
    const { value: r, problems } = linearReport(program, simulation, question);
    if (!r) return problems[0];
    const all = new Map(variables.map((v, k) => [v.name, k]));
    const states = r.seenStates.map((name) => all.get(name)!);
    const before = states.map((k) => simulation.state.memory.v[k]);
    const wait = 10 * slowest(r.poles, r.every);
    if (r.every !== undefined && wait > mostTicks * r.every)
      return problem(
        'error',
        'no-rest',
        `It would take ${Number(wait.toPrecision(3))} s, ticks of ${r.every} s, to come to rest: look at it at a moment`,
      );
    simulation.advance(simulation.time + wait);
    if (simulation.problem) return simulation.problem;
    if (simulation.status !== 'running') break;
    const after = states.map((k) => simulation.state.memory.v[k]);
    const far = states.findIndex(
      (_, k) => !(Math.abs(after[k] - before[k]) <= near * Math.max(1e-6, Math.abs(after[k]))),
    );
    if (far < 0) return undefined;
    moving = variables[states[far]].name;
  }
  return problem(
    'error',
    'no-rest',
    `It does not come to rest: ${moving ?? question.to} still moves at ${Number(simulation.time.toPrecision(4))} s`,
  );
}

/** The slowest time constant of what dies away, or the slowest turn of what swings without. */
function slowest(poles: readonly Complex[], every: number | undefined): number {
  const rates = poles.flatMap((p) => {
    const rate = rateOf(p, every);
    if (rate > 1e-9) return Number.isFinite(rate) ? [rate] : [];
    return every === undefined && Math.hypot(...p) > 1e-9 ? [Math.hypot(...p)] : [];
  });
  return Math.min(1e6, Math.max(1e-6, 1 / Math.min(...rates, every === undefined ? Infinity : 1 / every)));
}
