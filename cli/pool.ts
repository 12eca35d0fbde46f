import { fork, type ChildProcess } from 'node:child_process';
import { availableParallelism } from 'node:os';
import { inThisThread, spreadOver, type Executor, type RunWorker } from '../core/studies/many';
import type { Project } from '../core/project/project';
import type { CaseInStage } from '../core/proof/choose';
import type { CaseOutcome } from '../core/proof/run-case';
import type { Runner, RunnerQuestion, RunOutcome } from '../core/studies/runner';
import type { FromWorker, ToWorker } from './worker';

export const usualJobs = (): number => Math.max(1, Math.min(8, availableParallelism()));

/** A few runs are done before other processes have begun. */
const tooFew = 6;

export interface Pool extends Executor {
  close(): void;
}

/** Runs in so many processes, each with the model made once. */
export async function startPool(runner: Runner, question: RunnerQuestion, jobs: number, runs: number): Promise<Pool> {
  if (jobs <= 1 || runs <= tooFew) return { ...inThisThread(runner), close: () => undefined };
  const children = Array.from({ length: Math.min(jobs, Math.ceil(runs / 2)) }, () =>
    fork(process.argv[1], ['worker'], { serialization: 'advanced', stdio: ['ignore', 'inherit', 'inherit', 'ipc'] }),
  );
  const close = (): void => children.forEach((c) => c.connected && c.disconnect());
  try {
    const workers = await Promise.all(children.map((c) => begin(c, question)));
    return { ...spreadOver(workers), close };
  } catch (error) {
    children.forEach((c) => c.kill());
    throw error;
  }
}

/** Cases run in so many processes, told in the order they were asked in. */
export async function runCasesIn(
  jobs: number,
  project: Project,
  asked: readonly CaseInStage[],
  isCounted: boolean,
  tell: (k: number, outcome: CaseOutcome) => void,
): Promise<void> {
  const children = Array.from({ length: Math.min(jobs, asked.length) }, () =>
    fork(process.argv[1], ['worker'], { serialization: 'advanced', stdio: ['ignore', 'inherit', 'inherit', 'ipc'] }),
  );
  const found: (CaseOutcome | undefined)[] = asked.map(() => undefined);
  let [next, toTell] = [0, 0];
  try {
    await Promise.all(
      children.map(async (child) => {
        await answerOf(child, { kind: 'cases', project, isCounted });
        while (next < asked.length) {
          const k = next++;
          const answer = await answerOf(child, { kind: 'case', id: asked[k].of.id, stage: asked[k].stage });
          if (answer.kind === 'tried') found[k] = answer.outcome;
          for (; found[toTell] !== undefined; toTell++) tell(toTell, found[toTell]!);
        }
      }),
    );
    children.forEach((c) => c.connected && c.disconnect());
  } catch (error) {
    children.forEach((c) => c.kill());
    throw error;
  }
}

function answerOf(child: ChildProcess, message: ToWorker): Promise<FromWorker> {
  return new Promise((resolve, reject) => {
    const ended = (): void => reject(new Error('A process that runs were given to has ended'));
    child.once('exit', ended);
    child.once('message', (answer: FromWorker) => {
      child.off('exit', ended);
      if (answer.kind === 'failed') reject(new Error(answer.problem));
      else resolve(answer);
    });
    child.send(message);
  });
}

async function begin(child: ChildProcess, question: RunnerQuestion): Promise<RunWorker> {
  await answerOf(child, { kind: 'begin', question });
  return {
    async run(asked): Promise<readonly RunOutcome[]> {
      const answer = await answerOf(child, { kind: 'run', asked });
      return answer.kind === 'done' ? answer.outcomes : [];
    },
  };
}
