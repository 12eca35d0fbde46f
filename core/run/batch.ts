import type { Project } from '../project/project';
import type { MakeCompiled } from '../stepcode/stage';
import { prepareRun } from './prepare';
import { createRun, isRunnable, type RequirementFinding, type RunSequence } from './run';

/** What one setup of several came to. */
export interface BatchResult {
  readonly setup: string;
  readonly status: 'finished' | 'failed' | 'cancelled';
  /** Why it could not run, or stopped. */
  readonly problem: string;
  readonly findings: readonly RequirementFinding[];
  readonly sequences: readonly RunSequence[];
  readonly seconds: number;
}

export interface BatchProgress {
  /** Setups done, of how many, and how far the one at hand is. */
  readonly done: number;
  readonly of: number;
  readonly share: number;
}

/** Runs several setups one after the other, as fast as possible; `pause` lets others work and says whether to go on. */
export async function runSetups(
  project: Project,
  ids: readonly string[],
  tell: (progress: BatchProgress) => void,
  pause: () => Promise<boolean>,
  compiledSteps?: MakeCompiled,
): Promise<BatchResult[]> {
  const results: BatchResult[] = [];
  for (const [k, id] of ids.entries()) {
    const setup = project.setups.find((s) => s.id === id);
    if (!setup) continue;
    const prepared = prepareRun(project, setup, undefined, undefined, compiledSteps);
    const started = performance.now();
    if (!isRunnable(prepared)) {
      results.push({
        setup: id,
        status: 'failed',
        problem: prepared.problems.find((p) => p.severity === 'error')?.message ?? 'It cannot run',
        findings: [],
        sequences: [],
        seconds: 0,
      });
      continue;
    }
    const run = createRun(prepared, { record: [] });
    let goesOn = true;
    run.simulation.advance(0);
    while (goesOn && run.simulation.status === 'running') {
      const end = performance.now() + 40;
      let looks = 0;
      run.simulation.advance(Infinity, false, () => ++looks % 16 !== 0 || performance.now() < end);
      tell({ done: k, of: ids.length, share: run.simulation.time / setup.stop });
      goesOn = await pause();
    }
    results.push({
      setup: id,
      status:
        !goesOn && run.simulation.status === 'running'
          ? 'cancelled'
          : run.simulation.status === 'failed'
            ? 'failed'
            : 'finished',
      problem: run.simulation.problem?.message ?? '',
      findings: run.findings(),
      sequences: run.sequences(),
      seconds: (performance.now() - started) / 1000,
    });
    if (!goesOn) break;
  }
  tell({ done: results.length, of: ids.length, share: 1 });
  return results;
}
