import type { Project } from '../core/project/project';
import { nearestName } from '../core/language/nearest';
import { casesNamed, inStages, readStagesList, type CaseInStage } from '../core/proof/choose';
import { runCase, type CaseOutcome } from '../core/proof/run-case';
import { stages as allStages, type StageText } from '../core/stepcode/stage';
import { compiledHere } from './compiled';
import { complain } from './output';
import { runCasesIn, usualJobs } from './pool';

/** What of a project's cases a command is about; undefined where that makes no sense, which has been told. */
export function readAsked(
  project: Project,
  words: readonly string[],
  stageList: string | undefined,
): { readonly asked: readonly CaseInStage[]; readonly stages: readonly StageText[] } | undefined {
  const { cases, unknown } = casesNamed(project, words);
  for (const word of unknown) {
    const near = nearestName(word, new Set(project.cases.flatMap((c) => [c.name, ...c.tags])));
    complain(
      `zelvar: ${project.name} has no test case and no tag "${word}"${near === undefined ? '' : `; did you mean ${near}?`}`,
    );
  }
  const { stages, wrong } = readStagesList(stageList ?? '');
  for (const word of wrong)
    complain(`zelvar: there is no stage ${word}: stages are ${allStages.join(', ')} and board:name, with commas`);
  if (unknown.length > 0 || wrong.length > 0) return undefined;
  const asked = inStages(cases, stages);
  if (cases.length === 0) complain(`zelvar: ${project.name} has no test cases`);
  else if (asked.length === 0) complain(`zelvar: none of these cases is for ${stages.join(', ')}`);
  return asked.length === 0 ? undefined : { asked, stages };
}

/** A few are done before other processes have begun. */
const tooFew = 4;

/** Runs cases, in several processes where there are many; each is told in the order they were asked in. */
export async function runAsked(
  project: Project,
  asked: readonly CaseInStage[],
  { jobs = usualJobs(), isCounted }: { readonly jobs?: number | undefined; readonly isCounted: boolean },
  take: (k: number, outcome: CaseOutcome) => void,
): Promise<void> {
  if (jobs <= 1 || asked.length <= tooFew)
    for (const [k, { of, stage }] of asked.entries())
      take(k, runCase(project, of, { stage, isCounted, compiledSteps: compiledHere }));
  else await runCasesIn(jobs, project, asked, isCounted, take);
}
