import { applyOutside, checkAssertions, drive, lookAtWatches } from './events';
import { evaluate } from '../flatten/flat-expression';
import { constraintProblem, openLoopProblem, runProblem } from './failure';
import { openLoops } from './open-loops';
import {
  checkDomains,
  checkFinite,
  fail,
  guarded,
  hasFailed,
  refuseStructural,
  restart,
  type RunningSimulation,
} from './running';
import { settle } from './settle';

/** From values given to a state that satisfies everything: parameters, start values, initial equations, first states of charts. */
export function start(run: RunningSimulation): void {
  const { state, machine, charts, timetable, options, program } = run;
  const { clock, memory, overrides } = state;
  state.status = 'running';
  const decided = [...overrides.keys()].find((k) => program.solvable.decided.has(k));
  if (decided !== undefined) return refuseStructural(run, decided);
  machine.parameters(overrides);
  machine.starts();
  overrides.forEach((value, k) => {
    const alias = program.solvable.aliases.get(k);
    memory.v[alias?.index ?? k] = alias?.sign === -1 ? -value : value;
  });
  const bad = timetable.begin(Array.from({ length: program.list.samples.length }, (_, k) => machine.sampleTimes(k)));
  if (bad !== undefined)
    return fail(run, runProblem('sample', `A sample interval must be positive, but it is ${bad}`, 0));
  charts.markInitial(options.startIn ?? new Map());
  memory.pre.set(memory.v);
  memory.flags[0] = 1;
  guarded(run, () => initialise(run));
  memory.flags[0] = 0;
  if (!hasFailed(run)) checkFinite(run);
  if (!hasFailed(run)) checkDomains(run);
  if (hasFailed(run)) return;
  state.openLoops = openLoops(program, machine, clock.time).map((k) =>
    openLoopProblem(program, k, clock.time, memory.v),
  );
  if (memory.past.length > 0) {
    machine.note(clock.time);
    guarded(run, () => settle(run));
  }
  restart(run);
  checkAssertions(run);
  lookAtWatches(run, false);
  run.observer.row(clock.time, memory.v, 'sample');
  state.nextRow = 1;
  applyOutside(run);
  drive(run);
}

/** Initial equations and constraints, then what charts do on entering their first states. */
function initialise(run: RunningSimulation): void {
  const { state, machine, charts, projection, options } = run;
  const { clock, memory } = state;
  const { solvable } = run.program;
  if (projection) {
    machine.initial(clock.time);
    const fixed = solvable.states.filter((k) => solvable.model.variables[k].fixed || state.overrides.has(k));
    const open = projection.begin(clock.time, new Set(fixed));
    if (open !== undefined) return fail(run, constraintProblem(run.program, clock.time, memory, open));
  }
  if (!settle(run, true)) return;
  checkFixedStarts(run);
  memory.flags[0] = 0;
  charts.machine.start(options.startIn);
  if (settle(run)) charts.machine.run();
}

/**
 * Start values that are fixed hold, whether or not something else determines what they are of: one that says again what follows
 * anyway needs no equation at the start, and one that says something else is told.
 */
function checkFixedStarts(run: RunningSimulation): void {
  const { state, program, options } = run;
  const { model, aliases } = program.solvable;
  const valueOf = (k: number): number => {
    const alias = aliases.get(k);
    return alias ? alias.sign * state.memory.v[alias.index] : state.memory.v[k];
  };
  const set = new Set(model.actions.flatMap((a) => (a.does.kind === 'reinit' ? [a.does.state] : [])));
  for (const [k, v] of model.variables.entries()) {
    if (!v.fixed || !v.start || v.kind !== 'continuous') continue;
    if (state.overrides.has(k) || set.has(k) || set.has(aliases.get(k)?.index ?? k)) continue;
    const [wanted, found] = [evaluate(v.start, valueOf), valueOf(k)];
    const size = Math.max(Math.abs(wanted), Math.abs(found));
    if (!(Math.abs(wanted - found) > 1e-6 * size + options.absolute)) continue;
    const [a, b] = [wanted, found].map((x) => String(Number(x.toPrecision(6))));
    const unit = v.unit && v.unit !== '1' ? ` ${v.unit}` : '';
    fail(
      run,
      runProblem(
        'start',
        `The start of ${v.name} is fixed at ${a}${unit}, but ${b}${unit} follows from the rest: one of them has to go`,
        state.clock.time,
        { part: '', place: v.place, span: v.span ?? { start: 0, end: 0 }, text: v.name },
      ),
    );
    return;
  }
}
