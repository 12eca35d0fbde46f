import * as Comlink from 'comlink';
import { create } from 'zustand';
import type { Problem } from '@/core/language/diagnostics';
import { builtTogether, type BuiltSteps } from '@/core/boards/built-steps';
import type { Project, TestCase } from '@/core/project/project';
import { caseMark } from '@/core/proof/case-mark';
import type { CaseInStage } from '@/core/proof/choose';
import type { CaseOutcome } from '@/core/proof/run-case';
import { triedRun } from '@/core/run/tried';
import type { StageText } from '@/core/stepcode/stage';
import { builtFor } from './images';
import { usePlace } from './place-store';
import { newProofWorker, proofPool, type ProofPool, type ProofService } from './proof-pool';
import { useProject } from './project-store';
import { keepOutcome, loadOutcomes, type KnownOutcome } from './storage';

export type { KnownOutcome };

/** What came of test cases, and what is being run; kept as long as the page lives. */

interface ProofState {
  /** By case and stage. */
  readonly known: Readonly<Record<string, KnownOutcome>>;
  /** The stages that stand beside each other; `asSet`: as setups say. */
  readonly shown: readonly (StageText | 'asSet')[];
  /** Which cases are looked for. */
  readonly words: string;
  readonly tag: string;
  readonly running:
    | { readonly of: number; readonly done: number; readonly since: number; readonly now: ReadonlySet<string> }
    | undefined;
  show(stages: readonly (StageText | 'asSet')[]): void;
  look(f: Partial<Pick<ProofState, 'words' | 'tag'>>): void;
}

export const outcomeKey = (id: string, stage: StageText | undefined): string => `${id} ${stage ?? 'asSet'}`;

export const useProof = create<ProofState>()((set) => ({
  known: {},
  shown: ['asSet', 'sampled', 'code'],
  words: '',
  tag: '',
  running: undefined,
  show: (shown) => set({ shown }),
  look: (f) => set(f),
}));

/** Whether what is known of a case is of something else than is there now. */
export const isStale = (project: Project, of: TestCase, known: KnownOutcome): boolean =>
  known.mark !== caseMark(project, of);

const told = ({ verdict, why }: CaseOutcome): string => (why === '' ? verdict : `${verdict} (${why})`);
/** What could not run may run later, where something was missing. */
const isOther = (a: CaseOutcome, b: CaseOutcome): boolean =>
  a.verdict !== 'not run' && b.verdict !== 'not run' && told(a) !== told(b);

let turn = 0;
let pool: ProofPool | undefined;

/** Ends what is running; what was found is kept. */
export function stopCases(): void {
  turn++;
  pool?.stop();
  pool = undefined;
  useProof.setState({ running: undefined });
}

function take(projectId: string, key: string, found: KnownOutcome): void {
  useProof.setState({ known: { ...useProof.getState().known, [key]: found } });
  // where there is no room it is known as long as the page lives
  keepOutcome(projectId, key, found).catch(() => undefined);
}

/** What came of the cases of a project that was opened. */
export async function readOutcomes(projectId: string): Promise<void> {
  stopCases();
  useProof.setState({ known: {} });
  const found = await loadOutcomes(projectId).catch(() => []);
  if (useProject.getState().project?.id !== projectId) return;
  // what has come meanwhile is newer
  useProof.setState({ known: { ...Object.fromEntries(found), ...useProof.getState().known } });
}

/** Runs cases, those that failed last first, spread over threads. */
export async function runCases(project: Project, asked: readonly CaseInStage[]): Promise<void> {
  stopCases();
  const own = turn;
  const { known } = useProof.getState();
  const verdict = ({ of, stage }: CaseInStage): string => known[outcomeKey(of.id, stage)]?.outcome.verdict ?? 'not run';
  const order = ['failed', 'not run', 'passed'];
  const queue = [...asked].sort((a, b) => order.indexOf(verdict(a)) - order.indexOf(verdict(b)));
  const now = new Set<string>();
  let done = 0;
  const tell = (): void => useProof.setState({ running: { of: asked.length, done, since: begun, now: new Set(now) } });
  const begun = Date.now();
  tell();
  try {
    // what has to be compiled is compiled once, before anything runs
    const outside = new Map(
      asked.flatMap(({ of, stage }) => {
        const run = triedRun(project, of, stage);
        // cases of one setup in one stage run the same
        return 'message' in run ? [] : [[`${of.alone} ${of.setup} ${stage}`, run] as const];
      }),
    );
    const built: BuiltSteps[] = [];
    for (const run of outside.values()) built.push(await builtFor(run.project, [run.setup]));
    if (own !== turn) return;
    pool = proofPool(project, builtTogether(built), queue.length);
    await pool.work(queue, async (service, { of, stage }) => {
      const key = outcomeKey(of.id, stage);
      const mark = caseMark(project, of);
      now.add(key);
      tell();
      const outcome = (await service.run(of.id, stage)) as CaseOutcome | undefined;
      if (own !== turn) return;
      now.delete(key);
      done++;
      const before = useProof.getState().known[key];
      if (outcome && before?.mark === mark && isOther(before.outcome, outcome))
        usePlace
          .getState()
          .say(
            `${of.name} has two outcomes for the same inputs: ${told(before.outcome)}, now ${told(outcome)}. This must not be.`,
          );
      if (outcome) take(project.id, key, { outcome, mark, at: Date.now() });
      tell();
    });
  } catch (error) {
    if (own === turn) usePlace.getState().say(error instanceof Error ? error.message : String(error));
  } finally {
    if (own === turn) stopCases();
  }
}

/** What is wrong with a case, asked of a thread of its own. */
export function askCaseProblems(
  project: Project,
  id: string,
): { readonly answer: Promise<readonly Problem[] | undefined>; stop(): void } {
  const worker = newProofWorker();
  const service = Comlink.wrap<ProofService>(worker);
  let stop = (): void => undefined;
  const stopped = new Promise<undefined>((resolve) => (stop = () => resolve(undefined)));
  const answer = Promise.race([service.problems(project, id) as Promise<readonly Problem[]>, stopped]).finally(() =>
    worker.terminate(),
  );
  return { answer, stop };
}
