import type { Project, TestCase } from '../project/project';
import { readStage, stageText, type StageText } from '../stepcode/stage';

/** A case in a stage; without one parts run as its setup says. */
export interface CaseInStage {
  readonly of: TestCase;
  readonly stage: StageText | undefined;
}

/** Whether a case is for a stage: one that names none is for all, `board` stands for every board. */
export function isFor(of: TestCase, stage: StageText | undefined): boolean {
  if (stage === undefined || of.stages.length === 0) return true;
  return of.stages.some((s) => s.trim() === stage || s.trim() === readStage(stage)?.stage);
}

/** Cases by their names or tags, in the order of the document; or which words none of them has. */
export function casesNamed(
  { cases }: Pick<Project, 'cases'>,
  words: readonly string[],
): { readonly cases: readonly TestCase[]; readonly unknown: readonly string[] } {
  const has = (c: TestCase, word: string): boolean => c.name === word || c.tags.includes(word);
  return {
    cases: words.length === 0 ? cases : cases.filter((c) => words.some((w) => has(c, w))),
    unknown: words.filter((w) => !cases.some((c) => has(c, w))),
  };
}

/** Each case in each stage it is for. */
export const inStages = (cases: readonly TestCase[], stages: readonly StageText[]): readonly CaseInStage[] =>
  cases.flatMap((of): CaseInStage[] =>
    stages.length === 0
      ? [{ of, stage: undefined }]
      : stages.flatMap((stage) => (isFor(of, stage) ? [{ of, stage }] : [])),
  );

/** Stages as they are written, by commas; what is none of them. */
export function readStagesList(text: string): {
  readonly stages: readonly StageText[];
  readonly wrong: readonly string[];
} {
  const words = [
    ...new Set(
      text
        .split(',')
        .map((w) => w.trim())
        .filter((w) => w !== ''),
    ),
  ];
  const read = words.map((w) => [w, readStage(w)] as const);
  return {
    stages: read.flatMap(([, s]) => (s ? [stageText(s)] : [])),
    wrong: read.flatMap(([w, s]) => (s ? [] : [w])),
  };
}

/** How a stage is called where it stands beside others. */
export const stageCalled = (stage: StageText | undefined): string => stage ?? 'as set up';
