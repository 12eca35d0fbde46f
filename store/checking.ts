import * as Comlink from 'comlink';
import type { BatchProgress, BatchResult } from '@/core/run/batch';
import type { Example } from '@/core/run/example';
import type { RunShape } from '@/core/run/protocol';
import type { typeStructure } from '@/core/run/type-structure';
import { useProject } from './project-store';
import { problem } from '@/core/language/diagnostics';
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
  if (busySince !== undefined && Date.now() - busySince > patience) restart('checking');
  busySince ??= Date.now();
  const answer = await answerOf('checking', (engine) => engine.check());
  busySince = undefined;
  if (answer && answer.version === useProject.getState().version)
    useProject.getState().setProblems(answer.problems, answer.constants);
}

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

export const askStructure = async (typeId: string): Promise<TypeStructure | undefined> => checker()?.structure(typeId);
export const unitOfQuantity = async (typeId: string, path: string): Promise<string | undefined> =>
  checker()?.unitOf(typeId, path);
/** What a part type looks like at its start. */
export const shapesOf = async (typeId: string): Promise<readonly RunShape[] | undefined> => checker()?.shapes(typeId);
export const exampleFor = async (formula: string): Promise<Example | undefined> => checker()?.example(formula);

/** Runs several setups one after the other, beside whatever else runs. */
export const runAll = (
  ids: readonly string[],
  tell: (progress: BatchProgress) => void,
): Promise<BatchResult[]> | undefined => checker()?.runAll(ids, Comlink.proxy(tell));
export const cancelAll = (): void => void checker()?.cancelAll();
