import { applyEdit } from '../editing/edits';
import type { Problem } from '../language/diagnostics';
import type { Project, TestCase } from '../project/project';
import { restsOn } from './case-mark';
import { isFor } from './choose';
import type { Mutant } from './mutants';
import { runCase } from './run-case';

/**
 * How much a suite of cases notices. Each change of behaviour is tried against the cases in the code stage, the quick ones first, until one fails; a
 * change that none notices has survived. Cases that are not for the code run as they are set up.
 */

/**
 * `noticed`: a case fails. `unnoticed`: all pass. `no model`: what is changed so does not hold together, and counts for nothing. `not tried`: it was
 * given up.
 */
export type MutantVerdict = 'noticed' | 'unnoticed' | 'no model' | 'not tried';

export interface MutantOutcome {
  readonly verdict: MutantVerdict;
  /** Id of the case that noticed it. */
  readonly by: string;
  readonly why: string;
}

/** The stage in which a case is tried. */
export const stageTried = (of: TestCase): 'code' | undefined => (isFor(of, 'code') ? 'code' : undefined);

/** Whether a case passes as the model is now; what does not pass notices nothing. */
export const passesAsItIs = (project: Project, of: TestCase): boolean =>
  runCase(project, of, { stage: stageTried(of) }).verdict === 'passed';

/** The cases that look, the short ones first: those of part types alone, and where `isWhole` those that run a setup as well. */
export const suiteOf = (cases: readonly TestCase[], isWhole: boolean): readonly TestCase[] => {
  const rank = (c: TestCase): number => (c.alone === '' ? 1e9 : 0) + c.stop;
  return cases.filter((c) => isWhole || c.alone !== '').sort((a, b) => rank(a) - rank(b));
};

export interface Strength {
  readonly noticed: number;
  readonly unnoticed: number;
  /** Of what was tried and makes a model. */
  readonly of: number;
}
export function strengthOf(verdicts: Iterable<MutantVerdict>): Strength {
  let [noticed, unnoticed] = [0, 0];
  for (const v of verdicts) {
    if (v === 'noticed') noticed++;
    if (v === 'unnoticed') unnoticed++;
  }
  return { noticed, unnoticed, of: noticed + unnoticed };
}

const isOfCase = (problems: readonly Problem[]): boolean => {
  const errors = problems.filter((p) => p.severity === 'error');
  return errors.length > 0 && errors.every((p) => /^(case|setup)\//.test(p.place ?? ''));
};

export function tryMutant(
  project: Project,
  mutant: Mutant,
  suite: readonly TestCase[],
  goesOn: () => boolean = () => true,
): MutantOutcome {
  const { project: changed, refused } = applyEdit(project, mutant.edit);
  if (refused) return { verdict: 'no model', by: '', why: refused.message };
  const looking = suite.filter((c) => restsOn(project, c, mutant.typeId));
  for (const of of looking) {
    if (!goesOn()) return { verdict: 'not tried', by: '', why: 'It was given up' };
    const { verdict, why, problems } = runCase(changed, of, { stage: stageTried(of), goesOn });
    // what a case gives or asks for may be gone with the change
    if (verdict === 'failed' || (verdict === 'not run' && isOfCase(problems)))
      return { verdict: 'noticed', by: of.id, why };
    if (verdict === 'not run')
      return goesOn() ? { verdict: 'no model', by: '', why } : { verdict: 'not tried', by: '', why };
  }
  return { verdict: 'unnoticed', by: '', why: looking.length === 0 ? 'no case that looks runs it' : '' };
}
