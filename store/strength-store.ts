import { create } from 'zustand';
import { mutantsOf, type Mutant } from '@/core/proof/mutants';
import { nothingBuilt } from '@/core/boards/built-steps';
import { suiteOf, type MutantOutcome } from '@/core/proof/strength';
import { caseMark } from '@/core/proof/case-mark';
import { markOf } from '@/core/project/equations';
import type { Project } from '@/core/project/project';
import { usePlace } from './place-store';
import { proofPool, type ProofPool } from './proof-pool';
import { stopCases } from './proof-store';

/** Which small changes of the model the cases notice; kept as long as the page lives. */

export interface StrengthFound {
  readonly projectId: string;
  /** What it rests on: another mark says that the model or a case has changed since. */
  readonly mark: string;
  readonly mutants: readonly Mutant[];
  /** By the key of the change. */
  readonly outcomes: ReadonlyMap<string, MutantOutcome>;
  /** Ids of the cases that looked, and of those that do not pass as it is. */
  readonly suite: readonly string[];
  readonly failing: readonly string[];
}

interface StrengthState {
  /** Id of the part type that is looked at. */
  readonly typeId: string;
  readonly isAll: boolean;
  /** Cases that run a setup look as well. */
  readonly isWhole: boolean;
  readonly found: StrengthFound | undefined;
  readonly running:
    { readonly what: string; readonly done: number; readonly of: number; readonly since: number } | undefined;
  set(f: Partial<Pick<StrengthState, 'typeId' | 'isAll' | 'isWhole'>>): void;
}

export const useStrength = create<StrengthState>()((set) => ({
  typeId: '',
  isAll: false,
  isWhole: false,
  found: undefined,
  running: undefined,
  set: (f) => set(f),
}));

const marks = new WeakMap<Project, string>();
/** Of all that the outcomes rest on. */
export function strengthMark(project: Project): string {
  let found = marks.get(project);
  if (found === undefined) marks.set(project, (found = markOf(project.cases.map((c) => caseMark(project, c)).join())));
  return found;
}

let pool: ProofPool | undefined;
/** Ends what is running; what was found is kept. */
export function stopStrength(): void {
  pool?.stop();
  pool = undefined;
  useStrength.setState({ running: undefined });
}

/** Tries the changes of some part types; of others what is known is kept. */
export async function tryChanges(project: Project, typeIds: readonly string[]): Promise<void> {
  stopStrength();
  stopCases();
  const { isWhole, found: before } = useStrength.getState();
  const mark = strengthMark(project);
  const isKnown = before?.projectId === project.id && before.mark === mark;
  const all = mutantsOf(project);
  const asked = all.filter((m) => typeIds.includes(m.typeId));
  const own = proofPool(project, nothingBuilt, asked.length + project.cases.length);
  pool = own;
  const since = Date.now();
  const tell = (what: string, done: number, of: number): void => {
    if (pool === own) useStrength.setState({ running: { what, done, of, since } });
  };
  try {
    let done = 0;
    const failing: string[] = [];
    const cases = suiteOf(project.cases, isWhole);
    tell('cases as the model is', 0, cases.length);
    await own.work(cases, async (service, of) => {
      if (!(await service.passes(of.id))) failing.push(of.id);
      tell('cases as the model is', ++done, cases.length);
    });
    if (pool !== own) return;
    const suite = cases.flatMap((c) => (failing.includes(c.id) ? [] : [c.id]));
    const outcomes = new Map(isKnown ? before.outcomes : []);
    for (const m of asked) outcomes.delete(m.key);
    const keep = (): void =>
      useStrength.setState({
        found: { projectId: project.id, mark, mutants: all, outcomes: new Map(outcomes), suite, failing },
      });
    keep();
    done = 0;
    tell('changes', 0, asked.length);
    await own.work(asked, async (service, m) => {
      const outcome = await service.change(m.key, suite);
      if (pool !== own) return;
      if (outcome) outcomes.set(m.key, outcome);
      keep();
      tell('changes', ++done, asked.length);
    });
  } catch (error) {
    if (pool === own) usePlace.getState().say(error instanceof Error ? error.message : String(error));
  } finally {
    if (pool === own) stopStrength();
  }
}
