import type { ChartMachineState } from '../behaviour/chart-machine';
import type { Problem } from '../language/diagnostics';
import type { Memory } from '../program/machine';
import type { BurstState } from './burst-watch';
import type { ProjectionState } from './projection';
import type { RestState } from './rests';
import type { SolverState } from './solvers';
import type { TimetableState } from './timetable';

export type RunStatus = 'ready' | 'running' | 'finished' | 'failed';

/**
 * All that a simulation remembers, in one place and as plain data: it can be copied, compared and posted. Whatever computes is made
 * anew around a copy of it and goes on in the same steps, bit for bit. So nothing that lasts from one step to the next may stand
 * anywhere else.
 */
export interface SimulationState {
  /** Superdense time: seconds, and the count of what happened within one moment. */
  readonly clock: { time: number; step: number };
  status: RunStatus;
  problem: Problem | undefined;
  readonly memory: Memory;
  /** The method with its last step; undefined before the start. */
  method: SolverState | undefined;
  readonly projection: ProjectionState;
  /** The charts with their queues and clocks; undefined before the start. */
  charts: ChartMachineState | undefined;
  /** Triggers, numbered over all charts, whose condition has risen or changed at this moment. */
  readonly happened: Uint8Array;
  timetable: TimetableState;
  /** Values given to constants and parameters from outside. */
  readonly overrides: Map<number, number>;
  /** The next row of the recording grid. */
  nextRow: number;
  events: number;
  /** How many events there have been at the last moment with one, and which that was. */
  eventsHere: number;
  lastEventTime: number;
  /** A state was set anew by the event at hand. */
  restarted: boolean;
  /** The model or the setup has said that the run is over, and what it said. */
  ended: boolean;
  ending: Problem | undefined;
  /** What did not hold but stopped nothing, by assertion. */
  readonly warnings: Map<number, Problem>;
  /** Loops of equations that were left open at the start. */
  openLoops: readonly Problem[];
  readonly bursts: BurstState;
  /** Of each square root the largest argument so far. */
  readonly largestRoots: Float64Array;
  readonly rests: RestState;
  /** How often each condition has switched. */
  readonly switches: Float64Array;
  /** Whether the conditions at whose rise the run stops hold. */
  readonly watches: boolean[];
  /** Addresses of states and transitions at which the run stops, and the one it has just come to. */
  breakpoints: ReadonlySet<string>;
  hit: string | undefined;
}
