import type { Problem } from '../language/diagnostics';
import { tell } from '../flatten/flat-text';
import type { FlatAssertion } from '../flatten/flat-model';
import { BlockFailure } from '../program/newton';
import type { Machine } from '../program/machine';
import type { Program } from '../program/program';
import type { BurstWatch } from './burst-watch';
import type { SimulatedCharts } from './chart-host';
import type { CrossingLocator } from './crossings';
import type { DomainWatch } from './domain-watch';
import { blockProblem, notFiniteProblem, rootProblem, runProblem } from './failure';
import type { Kinks } from './kinks';
import type { Observer } from './observer';
import type { PoleWatch } from './poles';
import type { Projection } from './projection';
import type { Rests } from './rests';
import type { RunProfile } from './run-profile';
import type { SimulationState } from './simulation-state';
import type { SimulationOptions } from './simulation-types';
import type { Stepper } from './stepper';
import type { Timetable } from './timetable';

/** A simulation at work: what was asked for, what computes, and the one state all of it works on. */
export interface RunningSimulation {
  readonly program: Program;
  readonly options: SimulationOptions;
  readonly observer: Observer;
  readonly state: SimulationState;
  readonly machine: Machine;
  readonly stepper: Stepper;
  readonly charts: SimulatedCharts;
  /** Undefined where the model has no constraints. */
  readonly projection: Projection | undefined;
  readonly timetable: Timetable;
  readonly kinks: Kinks;
  readonly domains: DomainWatch;
  readonly poles: PoleWatch;
  readonly bursts: BurstWatch;
  readonly rests: Rests;
  readonly locator: CrossingLocator;
  readonly profile: RunProfile;
  /** How many messages were sent and transitions taken. */
  readonly happenings: { count: number };
  /** Variables that change at events only. */
  readonly discrete: readonly number[];
  /** Room for the values of the states, as the method wants them. */
  readonly y: Float64Array;
  /** Why the last step could not be computed. */
  readonly stage: { failure: BlockFailure | undefined };
}

export function fail({ state }: RunningSimulation, problem: Problem): void {
  state.status = 'failed';
  state.problem = problem;
}

/** A function, so that it is asked anew after calls that may have failed. */
export const hasFailed = ({ state }: RunningSimulation): boolean => state.status === 'failed';

/** Something that was said to hold does not: told once as a warning, or the end of the run. `number` tells what is said apart. */
export function tellBroken(
  run: RunningSimulation,
  number: number,
  claim: FlatAssertion,
  time = run.state.clock.time,
): void {
  const { state, program } = run;
  const { part } = claim.origin;
  const words = tell(claim.message, state.memory.v, time);
  if (!claim.warning)
    fail(
      run,
      runProblem('assertion', `${words} (assert in ${part || program.solvable.model.name})`, time, claim.origin),
    );
  else if (!state.warnings.has(number))
    state.warnings.set(number, {
      ...runProblem('assertion', `${words}${part ? ` in ${part}` : ''}`, time, claim.origin),
      severity: 'warning',
    });
}

/** Runs code that evaluates equations, turning its failures into problems with a place. */
export function guarded<T>(run: RunningSimulation, work: () => T): T | undefined {
  try {
    return work();
  } catch (error) {
    if (!(error instanceof BlockFailure)) throw error;
    fail(run, blockProblem(run.program, error, run.state.clock.time, run.state.memory.v));
    return undefined;
  }
}

export function checkDomains(run: RunningSimulation, time = run.state.clock.time): void {
  const k = run.domains.check(time);
  if (k !== undefined) fail(run, rootProblem(run.program, time, run.state.memory, k));
}

export function checkFinite(run: RunningSimulation): void {
  const { clock, memory } = run.state;
  const found = notFiniteProblem(run.program, clock.time, memory);
  if (found) fail(run, found);
}

/** The values of the states, from where the method keeps them to where the equations read them. */
export function loadStates({ program, state }: RunningSimulation, values: Float64Array): void {
  const { states } = program.solvable;
  const { v } = state.memory;
  for (let k = 0; k < states.length; k++) v[states[k]] = values[k];
}

/** All values at a time inside the step just taken. */
export function valuesAt(run: RunningSimulation, time: number): void {
  run.stepper.interpolate(time, run.y);
  loadStates(run, run.y);
  run.machine.outputs(time);
}

/** Starts the method anew from the values in memory. */
export function restart({ program, state, stepper, y }: RunningSimulation): void {
  const { states } = program.solvable;
  for (let k = 0; k < states.length; k++) y[k] = state.memory.v[states[k]];
  stepper.reset(state.clock.time, y);
}

/** Refuses to change what the program was made by. */
export const refuseStructural = (run: RunningSimulation, variable: number): void =>
  fail(
    run,
    runProblem(
      'structural',
      `${run.program.solvable.model.variables[variable].name} decides what the model is made of: change it in the model or the setup, not during a run`,
      run.state.clock.time,
    ),
  );
