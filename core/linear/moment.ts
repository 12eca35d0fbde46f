import type { Problem } from '../language/diagnostics';
import { newSetup, type Project, type Setup } from '../project/project';
import { createRun, isRunnable, prepareRun } from '../run';
import type { Runnable } from '../run/run';
import type { Simulation } from '../simulate/simulation';
import { comeToRest, farAway } from './at-rest';
import type { LinearQuestion } from './linear-report';

export interface LoopQuestion extends LinearQuestion {
  /** Part type that is looked at alone; without it what the setup runs. */
  readonly type?: string;
  readonly setup?: string;
  /** Moment of the run, its start at 0. */
  readonly at: number;
  /** From that moment on to where everything stands still. */
  readonly rest?: boolean;
}

/** What was asked for, or why it could not be given. */
export interface Answer<T> {
  readonly value: T | undefined;
  readonly problems: readonly Problem[];
}

/** A run of no length stands at its start. */
export const quietest = 1e-9;

export interface Moment {
  readonly prepared: Runnable;
  readonly simulation: Simulation;
  readonly setup: Setup;
}

/** Brings what a setup runs to the moment of a question, or to rest from there on; with other values of parameters, where some are given. */
export function atMoment(
  project: Project,
  question: LoopQuestion,
  changes: readonly { readonly name: string; readonly value: string }[] = [],
): Answer<Moment> {
  const chosen = project.setups.find((s) => s.id === question.setup);
  const stop = question.rest ? farAway : Math.max(question.at, quietest);
  // where it comes to rest nothing more is done from outside
  const stimulus = chosen?.stimulus.filter((x) => !question.rest || x.time <= question.at) ?? [];
  const base = chosen ?? newSetup('loop', 'loop');
  const changed = [
    ...base.changes.filter((c) => !changes.some((x) => x.name === c.name)),
    ...changes.map((c, k) => ({ id: `loop-${k}`, ...c })),
  ];
  const root = question.type ?? chosen?.root ?? '';
  const setup: Setup = { ...base, stimulus, stop, recordEvery: stop, root, changes: changed };
  const prepared = prepareRun(project, setup);
  if (!isRunnable(prepared)) return { value: undefined, problems: prepared.problems };
  const { simulation } = createRun(prepared);
  simulation.advance(question.rest ? question.at : Infinity);
  if (simulation.problem) return { value: undefined, problems: [simulation.problem] };
  const unrest = question.rest ? comeToRest(prepared.program, simulation, question) : undefined;
  if (unrest) return { value: undefined, problems: [unrest] };
  return { value: { prepared, simulation, setup }, problems: [] };
}
