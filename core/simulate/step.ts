import { blockProblem, chatterProblem, constraintProblem, quotientProblem, stepProblem } from './failure';
import {
  applyOutside,
  atTimeEvent,
  checkAssertions,
  handleEvent,
  maximumEventsAtOnce,
  nextTimeEvent,
  onlySamplesAreDue,
} from './events';
import {
  checkDomains,
  checkFinite,
  fail,
  guarded,
  hasFailed,
  loadStates,
  valuesAt,
  type RunningSimulation,
} from './running';

/**
 * One step of the method with everything that follows from it; true where an event was handled. A tick at which nothing but sampled values is
 * computed anew is none where there are charts: somebody who goes from event to event follows what they do.
 */
export function step(run: RunningSimulation): boolean {
  const { state, profile } = run;
  const { clock, memory } = state;
  const from = clock.time;
  profile.start();
  const reached = nextStep(run, from);
  if (reached === undefined) return false;
  profile.lap('steps');
  const crossing = memory.m.length > 0 ? guarded(run, () => firstCrossing(run, from, reached)) : undefined;
  if (hasFailed(run)) return false;
  run.rests.note();
  profile.lap('looking');
  const end = crossing ?? reached;
  const pole = guarded(run, () => run.poles.between(from, end));
  if (hasFailed(run)) return false;
  guarded(run, () => recordUpTo(run, pole?.time ?? end));
  if (hasFailed(run)) return false;
  if (pole) {
    clock.time = pole.time;
    guarded(run, () => valuesAt(run, pole.time));
    if (!hasFailed(run)) fail(run, quotientProblem(run.program, pole.time, memory, pole.quotient));
    return false;
  }
  guarded(run, () => {
    notePast(run, from, end);
    valuesAt(run, end);
  });
  if (hasFailed(run)) return false;
  clock.time = end;
  if (!isSound(run)) return false;
  const onRow = Math.abs(state.nextRow * run.options.recordEvery - clock.time) <= 1e-12 * Math.max(1, clock.time);
  if (onRow) state.nextRow++;
  if (crossing !== undefined || atTimeEvent(run)) {
    profile.lap('rows');
    if (crossing !== undefined) noteSwitches(run);
    const before = run.happenings.count;
    const isTick = crossing === undefined && onlySamplesAreDue(run);
    if (crossing !== undefined && !atTimeEvent(run)) handleEvent(run);
    else applyOutside(run, isTick ? (onRow || clock.time >= run.options.stop ? 'on-grid' : 'between') : undefined);
    profile.lap('events');
    finishIfDue(run);
    return !isTick || run.happenings.count > before || run.program.solvable.model.charts.length === 0;
  }
  run.observer.row(clock.time, memory.v, onRow || clock.time >= run.options.stop ? 'sample' : 'step');
  checkAssertions(run);
  profile.lap('rows');
  finishIfDue(run);
  return false;
}

export function finishIfDue({ state, options }: RunningSimulation): void {
  if (state.status === 'running' && (state.ended || state.clock.time >= options.stop)) state.status = 'finished';
}

/** A step of the method with the constraints kept; where it ends, or undefined where it cannot be taken. */
function nextStep(run: RunningSimulation, from: number): number | undefined {
  const finest = Math.max(1e-4 * run.options.recordEvery, 1e-12 * from);
  for (let room = Infinity; ;) {
    if (!takeStep(run, from + room)) return undefined;
    const reached = run.stepper.t;
    if (!keepConstraints(run, reached)) return undefined;
    if (reached - from <= finest || !leavesRest(run, from, reached)) return reached;
    // what leaves its rest does so where a force has come to an end, which is a kink: steps over it are not exact enough to tell when
    if (hasFailed(run)) return undefined;
    room = (reached - from) / 8;
    run.stepper.interpolate(from, run.y);
    run.stepper.reset(from, run.y);
  }
}

/** Whether something that rests moves on within a step. */
function leavesRest(run: RunningSimulation, from: number, reached: number): boolean {
  const { rests, locator, machine } = run;
  if (!rests.isResting()) return false;
  const look = (time: number): void => {
    valuesAt(run, time);
    machine.conditions(time);
  };
  const leaves = guarded(run, () => {
    const time = locator.locate(from, reached);
    if (time !== undefined) look(time);
    const isLeaving = time !== undefined && rests.isLeaving();
    look(from);
    return isLeaving;
  });
  return leaves === true;
}

/** Lets the method go on to the next known instant at most; false where it cannot. */
function takeStep(run: RunningSimulation, room: number): boolean {
  const { state, stepper, kinks, stage } = run;
  const { clock, memory } = state;
  // steps end where a table of time turns, and a delayed value has to lie in the past
  const limit = Math.min(
    room,
    nextTimeEvent(run),
    kinks.next(clock.time),
    memory.past.length === 0
      ? Infinity
      : clock.time + memory.past.reduce((least, p) => Math.min(least, p.shortest / 2), Infinity),
  );
  stage.failure = undefined;
  if (limit <= clock.time || stepper.step(limit)) return true;
  if (stage.failure) fail(run, blockProblem(run.program, stage.failure, clock.time, memory.v));
  else if (run.bursts.isBurst) fail(run, chatterProblem(run.program, clock.time, memory));
  if (hasFailed(run)) return false;
  checkFinite(run);
  if (!hasFailed(run)) fail(run, stepProblem(run.program, clock.time, memory, run.options.solver));
  return false;
}

/** Puts the states at the end of a step back onto the constraints of the model. */
function keepConstraints(run: RunningSimulation, reached: number): boolean {
  const { projection, program, state, stepper, y } = run;
  if (!projection) return true;
  loadStates(run, stepper.y);
  const kept = guarded(run, () => projection.project(reached));
  if (kept === false) fail(run, constraintProblem(program, reached, state.memory, 0));
  if (hasFailed(run)) return false;
  const { states } = program.solvable;
  let moved = false;
  for (let k = 0; k < states.length; k++) {
    y[k] = state.memory.v[states[k]];
    moved ||= y[k] !== stepper.y[k];
  }
  if (moved) stepper.adjust(y);
  return true;
}

/** Whether the values at the end of a step are such as the model can have. */
function isSound(run: RunningSimulation): boolean {
  const { state, bursts } = run;
  const through = bursts.goesThrough(state.clock.time);
  if (through !== undefined) {
    fail(run, chatterProblem(run.program, through, state.memory));
    return false;
  }
  if (!Number.isFinite(sumOf(state.memory.v))) checkFinite(run);
  if (!hasFailed(run)) checkDomains(run);
  return !hasFailed(run);
}

/** Rows of the recording grid inside a step. */
function recordUpTo(run: RunningSimulation, end: number): void {
  const { state, observer, options } = run;
  for (let t = state.nextRow * options.recordEvery; t <= end; t = ++state.nextRow * options.recordEvery) {
    if (t <= state.clock.time) continue;
    // the row at the end of the step is recorded there
    if (t >= end - 1e-12 * Math.max(1, Math.abs(end))) return;
    valuesAt(run, t);
    checkDomains(run, t);
    if (!hasFailed(run)) {
      observer.row(t, state.memory.v, 'sample');
      checkAssertions(run, t);
    }
    if (hasFailed(run)) {
      state.clock.time = t;
      return;
    }
  }
}

const pointsOfPast = 12;

/** Keeps what is delayed, as densely as its polynomials need. */
function notePast(run: RunningSimulation, from: number, end: number): void {
  if (run.state.memory.past.length === 0) return;
  for (let k = 1; k <= pointsOfPast; k++) {
    const t = k === pointsOfPast ? end : from + ((end - from) * k) / pointsOfPast;
    valuesAt(run, t);
    run.machine.note(t);
  }
}

/**
 * The first change of a condition that the product itself depends on. Conditions that only requirements look at are brought
 * up to date on the way, each with a row before and after; the method goes on as if nothing had happened.
 */
function firstCrossing(run: RunningSimulation, from: number, reached: number): number | undefined {
  const { locator, observer, machine, discrete } = run;
  const { v, pre } = run.state.memory;
  for (let start = from, k = 0; ; k++) {
    const t = locator.locate(start, reached);
    if (t === undefined || k > maximumEventsAtOnce || !onlyWatched(run, t)) return t;
    recordUpTo(run, t);
    valuesAt(run, t);
    observer.row(t, v, 'before-event');
    pre.set(v);
    machine.event(t);
    for (const j of discrete) pre[j] = v[j];
    observer.row(t, v, 'after-event');
    if (t >= reached) return undefined;
    start = t;
  }
}

function onlyWatched(run: RunningSimulation, t: number): boolean {
  const { watchedModes } = run.program;
  if (watchedModes.size === 0) return false;
  valuesAt(run, t);
  run.machine.conditions(t);
  const { m, live } = run.state.memory;
  for (let k = 0; k < m.length; k++) if (m[k] !== live[k] && !watchedModes.has(k)) return false;
  return true;
}

function noteSwitches({ machine, state }: RunningSimulation): void {
  const { m, live } = state.memory;
  machine.conditions(state.clock.time);
  for (let k = 0; k < m.length; k++) if (m[k] !== live[k]) state.switches[k]++;
}

function sumOf(x: Float64Array): number {
  let sum = 0;
  for (let k = 0; k < x.length; k++) sum += x[k];
  return sum;
}
