import type { Item } from '../coverage/came';
import type { PartType, Project } from '../project/project';
import { stepProgramOf } from '../stepcode/controller';
import { proposeByRuns } from './propose-by-runs';
import { proposeInSteps } from './propose-in-steps';
import type { ProposeAnswer, ProposeOptions } from './proposal';

export type { Proposal, ProposeAnswer, ProposeOptions } from './proposal';

/** Seconds between steps of what is no software. */
const usualPeriod = 0.01;

/** Looks for a case of a part type alone that comes through something that no case does. */
export function proposeCase(project: Project, type: PartType, item: Item, options: ProposeOptions): ProposeAnswer {
  const every = type.software.trim() === '' ? usualPeriod : undefined;
  const { program, ...more } = stepProgramOf(project, type, every, { isWhole: true, isCounted: true });
  // what does not go in steps is simulated, which takes longer
  return program && 'plan' in more && more.plan
    ? proposeInSteps(project, type, item, { program, plan: more.plan, solvable: more.solvable }, options)
    : proposeByRuns(project, type, item, options);
}
