import * as Comlink from 'comlink';
import type { BuiltSteps } from '@/core/boards/built-steps';
import type { BatchProgress, BatchResult } from '@/core/run/batch';
import type { Example } from '@/core/run/example';
import type { CodeOfType, RunShape } from '@/core/run/protocol';
import type { ReadBack } from '@/core/stepcode/read-back/read-back';
import type { typeStructure } from '@/core/run/type-structure';
import { useProject } from './project-store';
import { problem, type Problem } from '@/core/language/diagnostics';
import { answerOf, checker, restart } from './replicas';

/** What is asked of the document as it is, beside any run: what is wrong with it, how it would be solved, what it looks like. */
export type TypeStructure = ReturnType<typeof typeStructure>;

/** Since when the checker has not answered. */
let busySince: number | undefined;
/** A check that takes longer is given up for one of a newer state. */
const patience = 4000;

/** Checks the document; an answer about an older state of it is dropped. */
export async function checkNow(): Promise<void> {
  if (!useProject.getState().project || !checker()) return;
  // several setups that run there would be ended too
  if (busySince !== undefined && batches === 0 && Date.now() - busySince > patience) restart('checking');
  busySince ??= Date.now();
  const { version } = useProject.getState();
  try {
    const answer = await answerOf('checking', (engine) => engine.check());
    if (answer && answer.version === useProject.getState().version)
      useProject.getState().setProblems(answer.problems, answer.constants);
  } catch (error) {
    // nothing found would look like nothing wrong
    if (version === useProject.getState().version) useProject.getState().setProblems([brokenOff(error)]);
  } finally {
    busySince = undefined;
  }
}

const brokenOff = (error: unknown): Problem =>
  problem(
    'error',
    'check-failed',
    `The check broke off, so what is wrong here is not known: ${error instanceof Error ? error.message : String(error)}`,
  );

/** Gives a check up that takes too long; the next change starts another one. */
export function stopChecking(): void {
  restart('checking');
  busySince = undefined;
  useProject
    .getState()
    .setProblems([
      problem(
        'warning',
        'check-stopped',
        'Checking was stopped: what is wrong here is not known until the next change',
      ),
    ]);
}

export const askStructure = (typeId: string): Promise<TypeStructure | undefined> =>
  answerOf('checking', async (engine) => engine.structure(typeId));
/** The C of a part type. */
export const codeOf = (typeId: string): Promise<CodeOfType | undefined> =>
  answerOf('checking', async (engine) => engine.code(typeId));
/** What an edited C of a part type says of the model. */
export const readBackOf = (typeId: string, edited: string): Promise<ReadBack | undefined> =>
  answerOf('checking', async (engine) => engine.readBack(typeId, edited));
export const unitOfQuantity = (typeId: string, path: string): Promise<string | undefined> =>
  answerOf('checking', async (engine) => engine.unitOf(typeId, path));
/** What a part type looks like at its start. */
export const shapesOf = (typeId: string): Promise<readonly RunShape[] | undefined> =>
  answerOf('checking', async (engine) => engine.shapes(typeId));
export const exampleFor = (formula: string): Promise<Example | undefined> =>
  answerOf('checking', async (engine) => engine.example(formula));

/** How many times several setups are being run. */
let batches = 0;

/** Runs several setups one after the other, beside whatever else runs; undefined where that was ended from outside. */
export async function runAll(
  ids: readonly string[],
  built: BuiltSteps,
  tell: (progress: BatchProgress) => void,
): Promise<BatchResult[] | undefined> {
  batches++;
  try {
    return await answerOf('checking', async (engine) => engine.runAll(ids, built, Comlink.proxy(tell)));
  } finally {
    batches--;
  }
}
export const cancelAll = (): void => void checker()?.cancelAll();
