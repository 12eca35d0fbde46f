import { jacobianPattern } from '../analysis/pattern';
import type { FlatExpr } from '../flatten/flat-expression';
import { BlockFailure } from '../program/newton';
import { instantiate, newMemory, type Machine } from '../program/machine';
import type { Program } from '../program/program';
import { createBurstWatch, newBurstState } from './burst-watch';
import { createSimulatedCharts, triggerCount } from './chart-host';
import { createCrossingLocator } from './crossings';
import { createDomainWatch } from './domain-watch';
import { apply, handleEvent } from './events';
import { unsettledProblem } from './failure';
import { createKinks } from './kinks';
import { patternOf, type Pattern } from './linear-solver';
import type { MessageArgument, MessageRecord, Observer, RecordedRowKind, TickRow, TransitionRecord } from './observer';
import { createPoleWatch } from './poles';
import { createProjection } from './projection';
import { createRests, newRestState } from './rests';
import { createRunProfile } from './run-profile';
import { fail, valuesAt, type RunningSimulation } from './running';
import { settle } from './settle';
import type { SimulationState } from './simulation-state';
import type { Simulation, SimulationOptions } from './simulation-types';
import { solverReport } from './solver-report';
import { createStepper, type SolverState } from './solvers';
import { start } from './start';
import type { KnownJacobian } from './state-jacobian';
import { finishIfDue, step } from './step';
import type { RightHandSide } from './stepper';
import { createTimetable, newTimetableState } from './timetable';

export type { MessageArgument, MessageRecord, Observer, RecordedRowKind, TickRow, TransitionRecord };
export type { Driver, Outside, Stimulus } from './outside';
export type { RunStatus, SimulationState } from './simulation-state';
export type { Simulation, SimulationOptions } from './simulation-types';

/** A copy of a state, to come back to or to hand on. */
export const copyOf = (state: SimulationState): SimulationState => structuredClone(state);

/** The state of a simulation that has not started yet. */
function newState(program: Program, options: SimulationOptions): SimulationState {
  const modes = program.modes.length;
  return {
    clock: { time: 0, step: 0 },
    status: 'ready',
    problem: undefined,
    memory: newMemory(program),
    method: undefined,
    projection: { kept: undefined },
    charts: undefined,
    happened: new Uint8Array(triggerCount(program.solvable.model)),
    timetable: newTimetableState(options.stimulus),
    overrides: new Map(options.values),
    nextRow: 0,
    events: 0,
    eventsHere: 0,
    lastEventTime: NaN,
    restarted: false,
    ended: false,
    ending: undefined,
    warnings: new Map(),
    openLoops: [],
    bursts: newBurstState(modes),
    largestRoots: new Float64Array(program.roots.length),
    rests: newRestState(program),
    switches: new Float64Array(modes),
    watches: (options.stopWhen ?? []).map(() => false),
    breakpoints: new Set(),
    hit: undefined,
  };
}

/** Everything that computes, made around a state. */
function assemble(
  program: Program,
  options: SimulationOptions,
  observer: Observer,
  state: SimulationState,
): RunningSimulation {
  const { model, states } = program.solvable;
  const machine = instantiate(program, state.memory, observer.notes);
  const n = states.length;
  const nominal = Float64Array.from(states, (k) => nominalOf(model.variables[k].nominal));
  const stage: RunningSimulation['stage'] = { failure: undefined };
  /** A stage the equations cannot be solved for makes the step too long, not the run wrong. */
  const carefully: RightHandSide = (t, y, dy) => {
    try {
      machine.derivatives(t, y, dy);
    } catch (error) {
      if (!(error instanceof BlockFailure)) throw error;
      stage.failure = error;
      dy.fill(NaN);
    }
  };
  const canFail = program.tornBlocks.length > 0;
  const longest = program.modes.length > 0 ? Math.max(options.stop / 100, options.recordEvery) : Infinity;
  const stepper = createStepper(
    options,
    n,
    canFail ? carefully : machine.derivatives,
    { relative: options.relative, absolute: options.absolute, nominal },
    n === 0 ? options.recordEvery : longest,
    canFail ? undefined : machine.flatStep,
    () => knownJacobian(program, machine),
    state.method,
  );
  state.method = stepper.state as SolverState;
  const happenings = { count: 0 };
  const counting: Observer = {
    ...observer,
    message(record) {
      happenings.count++;
      observer.message(record);
    },
    transition(record) {
      happenings.count++;
      observer.transition(record);
    },
  };
  const charts = createSimulatedCharts(program, machine, state, counting, {
    settle: () => settle(run),
    endless: (message, place) => fail(run, unsettledProblem(state.clock.time, message, place ? [place] : [])),
  });
  // values before are brought up to date where somebody looks at them
  const conditions = new Set([
    ...model.actions.flatMap((a) => a.conditions),
    ...model.charts.flatMap((c) => c.transitions.flatMap((t) => t.triggers.flatMap((x) => x.condition ?? []))),
  ]);
  const followed = (k: number): boolean => program.former[k] !== 0 || conditions.has(k);
  const run: RunningSimulation = {
    program,
    options,
    observer,
    state,
    machine,
    stepper,
    charts,
    projection: createProjection(program, machine, nominal, state.projection),
    timetable: createTimetable(state.timetable),
    kinks: createKinks(program, state.memory.v),
    domains: createDomainWatch(program, machine, options, state.largestRoots),
    poles: createPoleWatch(program, machine, (t) => valuesAt(run, t)),
    bursts: createBurstWatch(state.memory, options.stop, state.bursts),
    rests: createRests(program, machine, state.memory, 1e-6 * options.recordEvery, state.rests),
    locator: createCrossingLocator(
      program,
      state.memory,
      (t) => valuesAt(run, t),
      (t) => machine.conditions(t),
    ),
    profile: createRunProfile(),
    happenings,
    discrete: model.variables.flatMap((x, k) =>
      (x.kind === 'discrete' || x.kind === 'assigned' || x.kind === 'external') && followed(k) ? [k] : [],
    ),
    y: new Float64Array(n),
    stage,
  };
  return run;
}

/** A simulation of a program; with a state that was kept of another one of the same program it goes on from there. */
export function createSimulation(
  program: Program,
  options: SimulationOptions,
  observer: Observer,
  kept?: SimulationState,
): Simulation {
  const run = assemble(program, options, observer, kept ? copyOf(kept) : newState(program, options));
  const begin = (): void => {
    if (run.state.status === 'ready') start(run);
  };
  return {
    get time() {
      return run.state.clock.time;
    },
    get status() {
      return run.state.status;
    },
    get problem() {
      return run.state.problem;
    },
    get warnings() {
      const { openLoops, warnings, ending } = run.state;
      return [...openLoops, ...warnings.values(), ...(ending ? [ending] : [])];
    },
    get counts() {
      return { ...run.stepper.counts, events: run.state.events };
    },
    machine: run.machine,
    state: run.state,
    report: () => solverReport(program, options, run.stepper, run.state, run.profile),
    advance(until, stopAtEvent = false, keepGoing = () => true) {
      begin();
      finishIfDue(run);
      while (run.state.status === 'running' && run.state.clock.time < until && keepGoing()) {
        const isEvent = step(run);
        if ((isEvent && stopAtEvent) || run.state.hit !== undefined) return;
      }
    },
    set(variable, value) {
      begin();
      if (run.state.status === 'running') handleEvent(run, () => apply(run, { kind: 'set', variable, value }));
    },
    send(part, message, args = []) {
      begin();
      if (run.state.status === 'running') handleEvent(run, () => apply(run, { kind: 'send', part, message, args }));
    },
    breakAt: (places) => void (run.state.breakpoints = places),
    takeBreak() {
      const { hit } = run.state;
      run.state.hit = undefined;
      return hit;
    },
  };
}

/** Found once per program, so that what is known of a pattern is found once as well. */
const patterns = new WeakMap<Program, Pattern | undefined>();

/** The Jacobian as far as it is known: written out, or only where it can differ from zero. */
function knownJacobian(program: Program, machine: Machine): KnownJacobian {
  if (machine.jacobian && !program.jacobianRows) return { write: machine.jacobian };
  if (!patterns.has(program))
    patterns.set(program, program.jacobianRows ? patternOf(program.jacobianRows) : jacobianPattern(program.solvable));
  const pattern = patterns.get(program);
  return { pattern, ...(machine.jacobian && { write: machine.jacobian }) };
}

/** The size a state is of, where its declaration says so with a number. */
const nominalOf = (e: FlatExpr | undefined): number => (e?.op === 'const' && e.value !== 0 ? Math.abs(e.value) : 1);
