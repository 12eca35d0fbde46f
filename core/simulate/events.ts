import { endOfInstant, isSameInstant } from '../behaviour/instant';
import { chatterProblem } from './failure';
import { fail, guarded, hasFailed, refuseStructural, restart, tellBroken, type RunningSimulation } from './running';
import { settle } from './settle';
import type { TickRow } from './observer';
import type { Outside, Stimulus } from './outside';

export const maximumEventsAtOnce = 2000;

/**
 * Everything that happens at one instant; memory holds the values from before it. `change` is what is done from outside, by the driver
 * where `driven` says so: then it has the floor already. `tick`: nothing but samples is due.
 */
export function handleEvent(run: RunningSimulation, change?: () => void, driven = false, tick?: TickRow): void {
  const { state, machine, observer, options } = run;
  const { clock, memory } = state;
  if (clock.time === state.lastEventTime) {
    if (++state.eventsHere > maximumEventsAtOnce) return fail(run, chatterProblem(run.program, clock.time, memory));
  } else {
    state.lastEventTime = clock.time;
    state.eventsHere = 0;
    clock.step = 0;
  }
  state.events++;
  observer.row(clock.time, memory.v, 'before-event', tick);
  memory.pre.set(memory.v);
  state.restarted = false;
  change?.();
  guarded(run, () => {
    run.rests.reach(clock.time);
    if (!settle(run) || !run.charts.machine.run()) return;
    if (memory.s.some((x) => x !== 0)) {
      memory.s.fill(0);
      if (!settle(run)) return;
    }
    if (state.ended) memory.flags[1] = 1;
  });
  restart(run);
  if (hasFailed(run)) return;
  machine.note(clock.time);
  checkAssertions(run);
  observer.row(clock.time, memory.v, 'after-event', tick);
  if (run.bursts.noteEvent(clock.time, state.restarted)) fail(run, chatterProblem(run.program, clock.time, memory));
  lookAtWatches(run, true);
  if (options.endWhen !== undefined && memory.v[options.endWhen] !== 0) state.ended = true;
  if (!driven) drive(run);
}

/** Stops where a condition somebody waits for has come to hold. */
export function lookAtWatches({ options, state, charts }: RunningSimulation, stops: boolean): void {
  if (options.stopWhen === undefined || options.stopWhen.length === 0) return;
  options.stopWhen.forEach(({ variable, name }, k) => {
    const holds = state.memory.v[variable] !== 0;
    if (stops && holds && !state.watches[k]) charts.hit(name);
    state.watches[k] = holds;
  });
}

/** Lets the driver answer to what has happened, until it has nothing more to say. */
export function drive(run: RunningSimulation): void {
  const { driver } = run.options;
  const { state } = run;
  if (!driver || state.status !== 'running') return;
  for (let k = 0; k < maximumEventsAtOnce && !hasFailed(run); k++) {
    const actions = driver.look(state.clock.time, state.memory.v);
    if (actions.length === 0) break;
    handleEvent(run, () => actions.forEach((x) => apply(run, x)), true);
  }
  if (driver.isOver?.()) state.ended = true;
}

export function apply(run: RunningSimulation, x: Outside | Stimulus): void {
  if (x.kind === 'send') run.charts.post(x.part, x.message, x.args, x.sender);
  else assign(run, x.variable, x.value);
}

/** Gives a quantity a value; what follows from a parameter follows at once. */
export function assign(run: RunningSimulation, variable: number, value: number): void {
  const { program, machine, state } = run;
  const { kind } = program.solvable.model.variables[variable];
  state.memory.v[variable] = value;
  if (program.solvable.decided.has(variable)) return refuseStructural(run, variable);
  if (kind === 'parameter' || kind === 'constant') {
    state.overrides.set(variable, value);
    machine.parameters(state.overrides);
  }
}

/** The next instant at which something is known to happen. */
export function nextTimeEvent({ options: { stop, driver }, timetable, charts }: RunningSimulation): number {
  const next = Math.min(timetable.next(), charts.machine.nextTime(), driver?.nextTime() ?? Infinity);
  return next > stop || isSameInstant(next, stop) ? stop : next;
}

export function atTimeEvent({ options, timetable, charts, state: { clock } }: RunningSimulation): boolean {
  const end = endOfInstant(clock.time);
  return timetable.next() <= end || charts.machine.isDue() || (options.driver?.nextTime() ?? Infinity) <= end;
}

/** Whether nothing but samples is due now. */
export function onlySamplesAreDue({ options, timetable, charts, state: { clock } }: RunningSimulation): boolean {
  const end = endOfInstant(clock.time);
  return (
    !timetable.hasStimulus(clock.time) && !charts.machine.isDue() && !((options.driver?.nextTime() ?? Infinity) <= end)
  );
}

/** Samples and stimulus that are due now. */
export function applyOutside(run: RunningSimulation, tick?: TickRow): void {
  if (!atTimeEvent(run)) return;
  handleEvent(
    run,
    () => {
      const due = run.timetable.take(run.state.clock.time);
      for (const k of due.samples) run.state.memory.s[k] = 1;
      due.stimulus.forEach((x) => apply(run, x));
    },
    false,
    tick,
  );
}

/** Looked at wherever values are told: at the ends of steps, at events, and on the rows between. */
export function checkAssertions(run: RunningSimulation, time = run.state.clock.time): void {
  const { machine, state } = run;
  const { model } = run.program.solvable;
  if (model.assertions.length === 0) return;
  model.assertions.forEach((a, k) => {
    if (hasFailed(run) || state.warnings.has(k) || machine.assertion(k, time)) return;
    tellBroken(run, k, a, time);
  });
}
