import { boardNamed, boardsOf, type Board } from '../core/boards/board';
import { withoutChannels } from '../core/pins/channels';
import type { PartType, Project } from '../core/project/project';
import { stepProgramOf } from '../core/stepcode/controller';
import type { StepProfile } from '../core/stepcode/running-step';
import { ownStages, readStage, type StageText } from '../core/stepcode/stage';
import type { StagedRun } from '../core/run/staged';
import type { StepProgram } from '../core/stepcode/step-program';
import { compareCompiled, compareStageRuns, runStages, type StagePair } from '../core/studies/compare-stages';
import { compiledHere } from './compiled';
import { stopWith } from './model-text';
import { complain, print } from './output';
import { projectTexts, readSetup } from './read-project';

export interface StagesArguments {
  readonly setup: string;
  readonly part: string;
  readonly stages?: string;
  readonly tolerance?: number;
  readonly direct?: boolean;
  readonly json?: boolean;
}

type CompiledStage = 'host' | `board:${string}`;

/** `zelvar stages`: 0 they are the same within the tolerance, 1 they are not, 2 it could not be asked. */
export function compareStages(file: string, options: StagesArguments): number {
  const found = readSetup(file, options.setup);
  if (!found) return 2;
  const project = options.direct ? withoutChannels(found.project) : found.project;
  const setup = options.direct ? { ...found.setup, wires: [] } : found.setup;
  const boards = boardsOf(project);
  const compiled: readonly CompiledStage[] = ['host', ...boards.map((b) => `board:${b.id}` as const)];
  const known = [...ownStages, ...compiled];
  const wanted = options.stages?.split(',').map((s) => stageNamed(s.trim(), boards) ?? s.trim()) ?? [...known];
  const unknown = wanted.find((s) => !(known as readonly string[]).includes(s));
  if (unknown !== undefined) {
    complain(`zelvar: there is no stage ${unknown}; there are ${known.join(', ')}`);
    return 2;
  }
  const asked = compiled.filter((s) => wanted.includes(s));
  // what compiled steps are compared with is the code
  const needed = ownStages.filter((s) => wanted.includes(s) || (s === 'code' && asked.length > 0));
  const { value: runs, problems: wrong } = runStages(project, setup, options.part, needed);
  if (!runs) return stopWith(wrong, projectTexts(project), options.json);
  const broken = runs.flatMap(({ run }) => run.run.simulation.problem ?? []);
  if (broken.length > 0) return stopWith(broken, projectTexts(project), options.json);
  const order = runs.filter((r) => wanted.includes(r.stage));
  const pairs: StagePair[] = order
    .slice(1)
    .flatMap((b, k) => compareStageRuns(order[k], b, options.part, options.tolerance ?? 1e-3));
  const profile: Record<string, StepProfile> = {};
  const code = runs.find((r) => r.stage === 'code')?.run.parts[0];
  const type = code && typeOfPart(project, runs[0].run, options.part);
  const program = type && stepProgramOf(project, type).program;
  for (const stage of program ? asked : []) {
    const done = inStage(program!, code!, stage, boards);
    if (typeof done === 'string') {
      complain(`zelvar: ${stage}: ${done}`);
      if (options.stages !== undefined) return 2;
      continue;
    }
    pairs.push(...done.pairs);
    if (done.profile) profile[stage] = done.profile;
  }
  if (options.json) print(JSON.stringify({ part: options.part, setup: setup.name, pairs, profile }, null, 1));
  else tell(pairs, profile);
  return pairs.some((p) => !p.same) ? 1 : 0;
}

/** `board` is the first of them. */
function stageNamed(text: string, boards: readonly Board[]): StageText | undefined {
  const read = readStage(text);
  if (!read) return undefined;
  const board = boardNamed(read.board, boards);
  return read.stage === 'board' ? board && `board:${board.id}` : read.stage;
}

const typeOfPart = (project: Project, { prepared }: StagedRun, part: string): PartType | undefined => {
  const name = prepared.model.parts.find((p) => p.name === part)?.typeName;
  return project.types.find((t) => t.name === name);
};

/** The compiled C on the inputs the code had, step by step, and what it took. */
function inStage(
  program: StepProgram,
  code: StagedRun['parts'][number],
  stage: CompiledStage,
  boards: readonly Board[],
): { readonly pairs: readonly StagePair[]; readonly profile: StepProfile | undefined } | string {
  const { stage: kind, board } = readStage(stage)!;
  const made = compiledHere(program, kind === 'host' ? undefined : boardNamed(board, boards));
  if (typeof made === 'string') return made;
  const run = made.create();
  const pairs = compareCompiled(code, program, run, stage);
  const profile = run.profile?.();
  return pairs ? { pairs, profile } : 'parameters get other values during this run';
}

function tell(pairs: readonly StagePair[], profile: Readonly<Record<string, StepProfile>>): void {
  for (const [a, b] of [...new Set(pairs.map((p) => `${p.a} ${p.b}`))].map((x) => x.split(' '))) {
    const own = pairs.filter((p) => p.a === a && p.b === b);
    const different = own.filter((p) => !p.same);
    print(
      `${a} and ${b}: ${different.length === 0 ? `the same in ${own.length} quantities` : `${different.length} of ${own.length} quantities differ`}`,
    );
    for (const p of different)
      print(
        `  ${p.quantity}${p.first ? `: first at ${p.first.time} s, ${p.first.b} instead of ${p.first.a}` : ''}${p.largest ? `; at most by ${Number(p.largest.difference.toPrecision(4))}` : ''}`,
      );
  }
  for (const [stage, { unit, functions, note, stack }] of Object.entries(profile)) {
    for (const f of functions)
      print(
        `${stage}: ${f.name} ${f.calls} times, ${f.min} to ${f.max} ${unit}, ${Number(f.mean.toPrecision(4))} ${unit} on average`,
      );
    if (stack !== undefined) print(`${stage}: at most ${stack} bytes of stack`);
    if (note !== '') print(`${stage}: ${note}`);
  }
}
