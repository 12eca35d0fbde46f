import type { Problem } from '../language/diagnostics';
import type { Machine } from '../program/machine';
import type { MessageArgument } from './observer';
import type { Driver, Stimulus } from './outside';
import type { RunStatus, SimulationState } from './simulation-state';
import type { SolverReport } from './solver-report';
import type { SolverName } from './solvers';
import type { StepCounts } from './stepper';

/** What a simulation is asked for, and what can be done with one. */

export interface SimulationOptions {
  readonly stop: number;
  readonly solver: SolverName;
  readonly relative: number;
  readonly absolute: number;
  /** Step of fixed-step methods, in seconds. */
  readonly step: number;
  /** Distance of recorded rows, in seconds. */
  readonly recordEvery: number;
  /** Values given to constants and parameters, and start values of everything else, by variable number. */
  readonly values: ReadonlyMap<number, number>;
  readonly stimulus: readonly Stimulus[];
  /** Where charts start instead of their initial states: chart number to states. */
  readonly startIn?: ReadonlyMap<number, readonly number[]>;
  /** Boolean variable that ends the run. */
  readonly endWhen?: number;
  readonly driver?: Driver;
  /** Boolean variables at whose rise the run stops, with what they are called. */
  readonly stopWhen?: readonly { readonly variable: number; readonly name: string }[];
}

export interface Simulation {
  readonly time: number;
  readonly status: RunStatus;
  readonly problem: Problem | undefined;
  /** Assertions and limits that did not hold but stop nothing, each with the first time. */
  readonly warnings: readonly Problem[];
  readonly counts: StepCounts & { events: number };
  readonly machine: Machine;
  /** How the solver fared. */
  report(): SolverReport;
  /** Runs until the time is reached, or past the next event. Safe to call again and again. */
  advance(until: number, stopAtEvent?: boolean, keepGoing?: () => boolean): void;
  /** Gives a quantity a value now: an input, a parameter, or a quantity that charts set. */
  set(variable: number, value: number): void;
  send(part: number, message: string, args?: readonly MessageArgument[]): void;
  /** States and transitions, by place, at which the run stops. */
  breakAt(places: ReadonlySet<string>): void;
  /** The one at which it stopped last; asked once. */
  takeBreak(): string | undefined;
  /** All it remembers, live; one made with a copy of it goes on from there. */
  readonly state: SimulationState;
}
