import type { Project } from '../core/project/project';
import { runCase, type CaseOutcome } from '../core/proof/run-case';
import type { StageText } from '../core/stepcode/stage';
import { compiledHere } from './compiled';
import { createRunner, type RunAsked, type Runner, type RunnerQuestion, type RunOutcome } from '../core/studies/runner';

/** What is sent to a process that carries out runs for another one, and what it answers. */
export type ToWorker =
  | { readonly kind: 'begin'; readonly question: RunnerQuestion }
  | { readonly kind: 'run'; readonly asked: readonly RunAsked[] }
  | { readonly kind: 'cases'; readonly project: Project; readonly isCounted: boolean }
  | { readonly kind: 'case'; readonly id: string; readonly stage: StageText | undefined };
export type FromWorker =
  | { readonly kind: 'ready' }
  | { readonly kind: 'done'; readonly outcomes: readonly RunOutcome[] }
  | { readonly kind: 'tried'; readonly outcome: CaseOutcome }
  | { readonly kind: 'failed'; readonly problem: string };

/** `zelvar worker`: runs what the process asks that has started it, until that one lets go. */
export function work(): Promise<number> {
  let runner: Runner | undefined;
  let project: Project | undefined;
  let isCounted = false;
  const send = (message: FromWorker): void => void process.send?.(message);
  if (!process.send) {
    process.stderr.write('zelvar: worker is started by other commands\n');
    return Promise.resolve(2);
  }
  // stopping is for the process that has asked: it lets go of this one
  process.on('SIGINT', () => undefined);
  process.on('message', (message: ToWorker) => {
    try {
      if (message.kind === 'begin') {
        const { value, problems } = createRunner(message.question, compiledHere);
        runner = value;
        if (value) send({ kind: 'ready' });
        else send({ kind: 'failed', problem: problems[0]?.message ?? 'It cannot run' });
      } else if (message.kind === 'cases') {
        project = message.project;
        isCounted = message.isCounted;
        send({ kind: 'ready' });
      } else if (message.kind === 'case') {
        const of = project!.cases.find((c) => c.id === message.id)!;
        const options = { stage: message.stage, isCounted, compiledSteps: compiledHere };
        send({ kind: 'tried', outcome: runCase(project!, of, options) });
      } else send({ kind: 'done', outcomes: message.asked.map((a) => runner!.run(a)) });
    } catch (error) {
      send({ kind: 'failed', problem: error instanceof Error ? error.message : String(error) });
    }
  });
  return new Promise((resolve) => process.on('disconnect', () => resolve(0)));
}
