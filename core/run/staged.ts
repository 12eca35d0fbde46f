import type { Problem } from '../language/diagnostics';
import type { Project, Setup } from '../project/project';
import { withStages, type MakeCompiled, type PartInSteps, type StagesOfParts } from '../stepcode/stage';
import type { DoneInSteps } from '../stepcode/step-driver';
import { prepareRun } from './prepare';
import { createRun, isRunnable, type Run, type Runnable, type RunOptions } from './run';

/** A run with parts that go in steps, and what they did. */
export interface StagedRun {
  readonly run: Run;
  readonly prepared: Runnable;
  readonly parts: readonly (PartInSteps & DoneInSteps)[];
}

/** A run of a setup with other stages of some parts than it says. */
export function stagedRun(
  project: Project,
  setup: Setup,
  chosen: StagesOfParts,
  options: Pick<RunOptions, 'record' | 'keepSteps'> & { readonly compiledSteps?: MakeCompiled } = {},
): { readonly value?: StagedRun; readonly problems: readonly Problem[] } {
  const prepared = prepareRun(project, withStages(setup, chosen), undefined, undefined, options.compiledSteps);
  if (!isRunnable(prepared)) return { problems: prepared.problems.filter((p) => p.severity === 'error') };
  const run = createRun(prepared, options);
  return { problems: [], value: { run, prepared, parts: prepared.steps.map((p, k) => ({ ...p, ...run.steps[k] })) } };
}
