import { problem, type Problem } from '../language/diagnostics';
import type { Project, Study } from '../project/project';
import { basisOf, type RunBasis } from '../run/basis';
import { bestOf, type BestAnswer } from './best';
import { borderOfStudy, type BorderAnswer } from './answer-border';
import { breaksOf, type BreaksAnswer } from './breaks';
import { answerCompare, type CompareAnswer, type KeptRun } from './answer-compare';
import type { FitSettings } from './fit-together';
import { answerFit, type FitAnswerOfStudy } from './answer-fit';
import { listedValues, pointsOf } from './design';
import type { Executor } from './many';
import { mattersOf, type MattersAnswer } from './matters';
import type { RunTable } from './run-table';
import type { MakeCompiled } from '../stepcode/stage';
import { createStep } from '../stepcode/write-js';
import { createRunner, type Runner, type RunnerQuestion } from './runner';
import { readStudy, studyMark, type ReadStudy, type StudyQuestion } from './study';
import { crossingsOf, varied, type Crossing } from './vary';

/** What came of a study, as data that is kept. */
export type StudyFound =
  | {
      readonly kind: 'vary';
      readonly table: RunTable;
      /** One run with the values as they are designed; undefined where these are not known. */
      readonly design: RunTable | undefined;
      readonly crossings: readonly Crossing[] | undefined;
    }
  | { readonly kind: 'matters'; readonly found: MattersAnswer }
  | { readonly kind: 'best'; readonly found: BestAnswer }
  | { readonly kind: 'border'; readonly found: BorderAnswer }
  | { readonly kind: 'breaks'; readonly found: BreaksAnswer }
  | { readonly kind: 'fit'; readonly found: FitAnswerOfStudy }
  | { readonly kind: 'compare'; readonly found: CompareAnswer };

export interface StudyAnswer {
  readonly study: string;
  /** When it was asked, in ms. */
  readonly at: number;
  /** What it was asked with. */
  readonly mark: string;
  readonly basis: RunBasis;
  readonly setup: string;
  /** It was stopped before its end. */
  readonly isStopped: boolean;
  readonly runs: number;
  readonly seconds: number;
  /** Worth knowing, such as columns that were left out. */
  readonly remarks: readonly string[];
  readonly found: StudyFound;
}

export interface StudyWatch {
  goOn(done: number, of: number): boolean;
  /** A table of runs is begun; its rows come one by one. */
  begun?(table: RunTable): void;
  row?(index: number): void;
}

export interface Answered<T> {
  readonly value?: T;
  readonly problems: readonly Problem[];
}

/** Says for a problem of the runner where in the study it stands. */
export function atStudy(study: Study, p: Problem): Problem {
  const [, list, k] = /^(over|aim)\/(\d+)$/.exec(p.place ?? '') ?? [];
  if (list === 'over') return { ...p, place: `study/${study.id}/value/${study.values[Number(k)]?.id}/name` };
  const asked = study.aims.filter((a) => !/^\s*margin\(/.test(a.formula));
  if (list === 'aim') return { ...p, place: `study/${study.id}/aim/${asked[Number(k)]?.id}/formula` };
  return p;
}

/** What is known of what a study runs before it does: units and values as designed, or what is wrong. */
export interface StudyFacts {
  readonly units: readonly string[];
  readonly nominal: readonly (number | undefined)[];
  readonly isWhole: readonly boolean[];
  readonly aimUnits: readonly string[];
  readonly requirements: number;
}
/** What it runs is not compiled for that: steps are gone by nobody yet. */
const notCompiled: MakeCompiled = (program) => ({ create: () => createStep(program) });
export function factsOf(project: Project, study: Study): Answered<StudyFacts> {
  const { value: read, problems } = readStudy(project, study);
  if (!read) return { problems };
  if (read.question.kind === 'compare') return { problems };
  const { value: runner, problems: more } = createRunner(read.runner, notCompiled);
  if (!runner) return { problems: more.map((p) => atStudy(study, p)) };
  const wrong =
    read.question.kind === 'breaks'
      ? read.question.messages.flatMap((m, k) => {
          const refusal = runner.refusalOf({ ...m, time: m.from });
          return refusal === undefined
            ? []
            : [
                {
                  ...problem('error', 'study', refusal),
                  place: `study/${study.id}/message/${study.messages[k].id}/target`,
                },
              ];
        })
      : wholeNumbers(study, read.question, runner);
  const { units, nominal, isWhole, aimUnits, requirements } = runner;
  return { value: { units, nominal, isWhole, aimUnits, requirements: requirements.length }, problems: wrong };
}

/** Values that take whole numbers only, and are to take others. */
function wholeNumbers(study: Study, question: StudyQuestion, { isWhole }: Runner): Problem[] {
  return isWhole.flatMap((whole, k) => {
    const given = question.kind === 'vary' ? question.design.variations[k] : undefined;
    const bad =
      whole &&
      (question.kind === 'matters' ||
        (given !== undefined && !(listedValues(given)?.every((x) => Number.isInteger(x)) ?? false)));
    return bad
      ? [
          {
            ...problem(
              'error',
              'study',
              question.kind === 'matters'
                ? `${study.values[k].name} takes whole numbers: it has no share over a range`
                : `${study.values[k].name} takes whole numbers only`,
            ),
            place: `study/${study.id}/value/${study.values[k].id}/range`,
          },
        ]
      : [];
  });
}

export interface Workplace {
  /** Makes what runs here, and whoever runs elsewhere. */
  start(question: RunnerQuestion, runs: number): Promise<Executor>;
  readonly make?: (question: RunnerQuestion) => ReturnType<typeof createRunner>;
  /** Parts that run compiled. */
  readonly compiledSteps?: MakeCompiled;
  /** Whoever does runs of a fit elsewhere, as soon as they are ready. */
  readonly startFit?: (project: Project, study: Study) => FitSettings['others'];
  /** Runs that were made earlier. */
  readonly kept?: readonly KeptRun[];
}

const runnerAt = (place: Workplace): NonNullable<Workplace['make']> =>
  place.make ?? ((question) => createRunner(question, place.compiledSteps));

/** Asks it. */
export async function answerStudy(
  project: Project,
  study: Study,
  place: Workplace,
  watch: StudyWatch,
): Promise<Answered<StudyAnswer>> {
  const begin = performance.now();
  const { value: read, problems } = readStudy(project, study);
  if (!read) return { problems };
  const refuse = (message: string): Answered<never> => ({
    problems: [{ ...problem('error', 'study', message), place: `study/${study.id}` }],
  });
  let [runs, isStopped] = [0, false];
  const watched: StudyWatch = {
    ...watch,
    goOn: (done, of) => {
      runs = Math.max(runs, done);
      const on = watch.goOn(done, of);
      if (!on) isStopped = true;
      return on;
    },
  };
  const remarks: string[] = [];
  let found: StudyFound | string | readonly Problem[];
  if (read.question.kind === 'fit')
    found = await answerFit(project, study, read, watched, remarks, place.startFit?.(project, study));
  else if (read.question.kind === 'compare')
    found = await answerCompare(project, study, watched, place.kept, place.compiledSteps);
  else {
    const { value: runner, problems: more } = runnerAt(place)(read.runner);
    if (!runner) return { problems: more.map((p) => atStudy(study, p)) };
    const wrong = wholeNumbers(study, read.question, runner);
    if (wrong.length > 0) return { problems: wrong };
    found = await answerMany(read, runner, await place.start(read.runner, read.runs), watched);
  }
  // who stops it at once does not wait to be asked
  if (!watch.goOn(runs, runs)) isStopped = true;
  if (typeof found === 'string') return refuse(found);
  if (!('kind' in found)) return { problems: found };
  const { setup } = read.runner;
  return {
    problems: [],
    value: {
      study: study.id,
      at: Date.now(),
      mark: studyMark(study),
      basis: basisOf(project, setup),
      setup: setup.name,
      isStopped,
      runs: runsIn(found) ?? runs,
      seconds: (performance.now() - begin) / 1000,
      remarks,
      found,
    },
  };
}

function runsIn(found: StudyFound): number | undefined {
  if (found.kind === 'vary') return found.table.status.reduce((n, s) => n + Number(s !== 0), 0);
  if (found.kind === 'compare') return found.found.sides.filter((s) => s.kind === 'run').length;
  return found.kind === 'fit' ? found.found.report.runs : found.found.runs;
}

async function answerMany(
  { question, runner: asked }: ReadStudy,
  runner: Runner,
  executor: Executor,
  watch: StudyWatch,
): Promise<StudyFound | string> {
  switch (question.kind) {
    case 'vary': {
      const table = await varied(runner, executor, asked, pointsOf(question.design).value!, {
        goOn: watch.goOn,
        ...(watch.begun && { begun: watch.begun }),
        each: (k) => watch.row?.(k),
      });
      const design = runner.nominal.every((x) => x !== undefined)
        ? await varied(runner, executor, asked, [runner.nominal])
        : undefined;
      return { kind: 'vary', table, design: design?.status[0] === 0 ? undefined : design, crossings: undefined };
    }
    case 'matters': {
      const found = await mattersOf(
        runner,
        executor,
        { over: question.over, aims: asked.aims, runs: question.runs },
        { goOn: watch.goOn },
      );
      return typeof found === 'string' ? found : { kind: 'matters', found };
    }
    case 'best': {
      if (question.aims.length === 2) {
        const found = await borderOfStudy(question, runner, executor, watch.goOn);
        return typeof found === 'string' ? found : { kind: 'border', found };
      }
      const [{ sense, of: aim }] = question.aims;
      const { over, runs, seed, method } = question;
      const found = await bestOf(
        runner,
        executor,
        { over, sense, aim, under: undefined, runs, seed, method },
        watch.goOn,
      );
      return typeof found === 'string' ? found : { kind: 'best', found };
    }
    case 'breaks': {
      const found = await breaksOf(runner, executor, question, watch.goOn);
      return typeof found === 'string' ? found : { kind: 'breaks', found };
    }
    default:
      return 'This is asked elsewhere';
  }
}

/** Where verdicts change, of a study that varied one value, on demand. */
export async function answerCrossings(
  project: Project,
  study: Study,
  table: RunTable,
  place: Workplace,
  watch: Pick<StudyWatch, 'goOn'>,
): Promise<Answered<readonly Crossing[]>> {
  const { value: read, problems } = readStudy(project, study);
  if (!read) return { problems };
  if (read.runner.over.length !== 1)
    return { problems: [problem('error', 'study', 'Where verdicts change is looked for along one value')] };
  const { value: runner, problems: more } = runnerAt(place)(read.runner);
  if (!runner) return { problems: more.map((p) => atStudy(study, p)) };
  const executor = await place.start(read.runner, 1);
  let runs = 0;
  return {
    problems: [],
    value: await crossingsOf(executor, runner, table, { goOn: () => watch.goOn(runs++, 0) }),
  };
}
