import { wordOf } from '../simulate/configurations';
import {
  emptyProject,
  newChart,
  newQuantity,
  newSetup,
  newState,
  newTransition,
  newType,
  type Chart,
  type ChartState,
  type PartType,
  type Project,
  type Quantity,
  type Setup,
  type StateKind,
  type StimulusRow,
  type Transition,
  type TriggerKind,
} from '../project/project';
import { createRun, isRunnable, prepareRun } from '../run';
import { valueAt, type Recording } from '../simulate/recording';
import type { Simulation } from '../simulate/simulation';

/** For tests: projects of one part type, run to their end. */

export const quantity = (name: string, value: string, more: Partial<Quantity> = {}): Quantity => ({
  ...newQuantity(name, name),
  value,
  ...more,
});

export const state = (name: string, more: Partial<ChartState> = {}, kind: StateKind = 'state'): ChartState => ({
  ...newState(name, name, null, 0, 0, kind),
  ...more,
});

/** `on` is written like `after 1 's'` or `message go`. */
export const transition = (from: string, to: string, on = '', more: Partial<Transition> = {}): Transition => {
  const [, kind, text] = /^(\w+) ?(.*)$/s.exec(on) ?? [];
  return {
    ...newTransition(`${from}-${to}-${on.replace(/\W/g, '')}`, from, to),
    triggers: kind ? [{ kind: kind as TriggerKind, on: text }] : [],
    ...more,
  };
};

export const chart = (name: string, states: readonly ChartState[], transitions: readonly Transition[]): Chart => ({
  ...newChart(name, name),
  states: states.map((s, k) => (k === 0 ? { ...s, initial: true } : s)),
  transitions,
});

export const row = (kind: StimulusRow['kind'], time: number, target: string, value = ''): StimulusRow => ({
  id: `${target.replace(/\W/g, '')}-${time}`.replace('.', '_'),
  time,
  kind,
  target,
  value,
});

export function projectOf(type: Partial<PartType>, setup: Partial<Setup> = {}): Project {
  return {
    ...emptyProject('p', 'P'),
    root: 't',
    types: [{ ...newType('t', 'T'), ...type }],
    setups: [{ ...newSetup('s', 'S'), stop: 2, recordEvery: 0.01, ...setup }],
  };
}

export interface ProjectRun {
  readonly simulation: Simulation;
  readonly recording: Recording;
  /** A value at a time, as of the last row there. */
  at(name: string, t: number): number;
  last(name: string): number;
  /** The state a chart is in at a time. */
  mode(name: string, t?: number): string;
}

/** Runs the first setup; throws where it cannot. */
export function runProject(project: Project): ProjectRun {
  const prepared = prepareRun(project, project.setups[0]);
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join('; '));
  const run = createRun(prepared);
  run.simulation.advance(Infinity);
  if (run.simulation.problem) throw new Error(run.simulation.problem.message);
  const recording = run.recorder.take();
  const column = (name: string) => {
    const found = recording.columns.find((c) => c.name === name);
    if (!found) throw new Error(`no column ${name}`);
    return found;
  };
  const at = (name: string, t: number): number => valueAt(recording, column(name), t) ?? NaN;
  return {
    simulation: run.simulation,
    recording,
    at,
    last: (name) => column(name).values[recording.rows - 1],
    mode: (name, t = recording.time[recording.rows - 1]) => wordOf(column(name), at(name, t)),
  };
}
