import { isBinding, type Requirement } from '../project/project';
import type { RequirementFinding } from '../verdicts/finding';

/** What can be said of a requirement by now, and what that rests on. */
export interface Standing {
  readonly basis: 'run' | 'constants' | 'observation' | 'nothing';
  readonly finding: RequirementFinding | undefined;
  /** Why the basis itself is in doubt; empty where it is not. */
  readonly doubt: string;
  /** The setup of the run it rests on; empty where it rests on none. */
  readonly setup: string;
}

/** A signed observation comes first, then constants, then the newest run that judged it. */
export function standingOf(
  requirement: Requirement,
  run: RequirementFinding | undefined,
  constants: RequirementFinding | undefined,
  outOfDate = '',
  setup = '',
): Standing {
  const { observation } = requirement;
  if (!isBinding(requirement)) return { basis: 'nothing', finding: undefined, doubt: '', setup: '' };
  if (observation) {
    const changed = observation.text !== requirement.text;
    const finding: RequirementFinding = {
      id: requirement.id,
      key: requirement.key,
      verdict: changed ? 'undecided' : observation.verdict,
      margin: undefined,
      unit: '',
      worstAt: undefined,
      failsSince: undefined,
      reason: changed ? 'The text has changed since it was signed' : `Seen by ${observation.by} on ${observation.on}`,
      lane: [],
    };
    return {
      basis: 'observation',
      finding,
      doubt: changed ? `Signed by ${observation.by} on ${observation.on} for another text` : '',
      setup: '',
    };
  }
  if (constants) return { basis: 'constants', finding: constants, doubt: '', setup: '' };
  return run
    ? { basis: 'run', finding: run, doubt: outOfDate, setup }
    : { basis: 'nothing', finding: undefined, doubt: '', setup: '' };
}
