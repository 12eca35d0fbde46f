import { experimentOf } from '../flatten/experiment';
import { flatten } from '../flatten/flatten';
import type { FlatModel } from '../flatten/flat-model';
import type { ClassLibrary } from '../flatten/library';
import type { Problem } from '../language/diagnostics';
import { parseExpressionText } from '../language/parse';
import { relaxUnits } from '../language/unit-check';
import type { Project, Setup } from '../project/project';
import { isRunnable, prepareRun } from '../run';
import { compile } from '../simulate/compile';
import {
  coursesOf,
  followText,
  isStepwise,
  settingsOf,
  type Between,
  type ColumnMap,
  type Course,
  type Fitted,
} from './fit-model';
import type { Measured } from './measured';

/** A model made ready to be run beside what was measured: inputs that were measured drive it. */
export interface ReadyToFit {
  readonly fitted: Fitted;
  /** The same with inputs that jump at rows; undefined where none does. */
  driven(between: 'held' | 'ahead'): Fitted | undefined;
  readonly inputs: readonly Course[];
  readonly outputs: readonly Course[];
  /** Columns that are not compared with anything. */
  readonly left: readonly string[];
}
export type FitAnswer = { readonly value?: ReadyToFit; readonly problems: readonly Problem[] };

export interface MeasuredFile {
  readonly data: Measured;
  readonly maps: readonly ColumnMap[];
  /** As it is called in messages. */
  readonly name: string;
}

const errorsOf = (problems: readonly Problem[]): readonly Problem[] => problems.filter((p) => p.severity === 'error');

/** A setup of a project, up to the end of what was measured. */
export function readyFromSetup(project: Project, setup: Setup, file: MeasuredFile): FitAnswer {
  const plain = { ...project, requirements: [] };
  const own = { ...setup, stop: file.data.time.at(-1)!, endWhen: '', record: [] };
  const bare = prepareRun(plain, own);
  if (!isRunnable(bare)) return { problems: errorsOf(bare.problems) };
  return readyFrom(bare.model, file, (following, jumping) => {
    const driven = new Set([...following, ...jumping].map((c) => c.quantity));
    const made = prepareRun(plain, {
      ...own,
      stimulus: [
        ...own.stimulus.filter((row) => !driven.has(row.target)),
        ...following.map((c, k) => ({
          id: `measured-${k}`,
          time: 0,
          kind: 'follow' as const,
          target: c.quantity,
          value: followText(c),
        })),
      ],
    });
    if (!isRunnable(made)) return errorsOf(made.problems);
    return { program: made.program, model: made.model, options: made.options };
  });
}

/** A class of a text of physics; units that do not fit are no errors there. */
export function readyFromClass(library: ClassLibrary, className: string, file: MeasuredFile): FitAnswer {
  const bare = flatten(library, className).model;
  const wrong = errorsOf(relaxUnits(bare.problems));
  if (wrong.length > 0) return { problems: wrong };
  const { tolerance = 1e-8 } = experimentOf(library, className);
  return readyFrom(bare, file, (following) => {
    const signals = following.map((c) => ({
      target: c.quantity,
      expr: parseExpressionText(followText({ ...c, unit: '' })).value,
      place: file.name,
    }));
    const made = flatten(library, className, { signals }).model;
    const model: FlatModel = { ...made, problems: relaxUnits(made.problems) };
    const { program, problems } = compile(model);
    if (!program) return errorsOf(problems);
    return {
      program,
      model,
      options: {
        stop: file.data.time.at(-1)!,
        solver: 'auto',
        relative: tolerance,
        absolute: 1e-11,
        step: 1e-3,
        recordEvery: 1e-3,
        values: new Map(),
        stimulus: [],
      },
    };
  });
}

/** Inputs that follow a formula and those that are set at moments are given to the model in different ways. */
function readyFrom(
  bare: FlatModel,
  { data, maps, name }: MeasuredFile,
  make: (following: readonly Course[], jumping: readonly Course[]) => Fitted | readonly Problem[],
): FitAnswer {
  const { value: courses, problem } = coursesOf(data, maps, bare, name);
  if (!courses) return { problems: [problem!] };
  const jumps = courses.inputs.filter(isStepwise);
  const prepared = (between: Between): Fitted | readonly Problem[] => {
    const jumping = between === 'straight' ? [] : jumps;
    const made = make(
      courses.inputs.filter((c) => !jumping.includes(c)),
      jumping,
    );
    if (!('program' in made) || between === 'straight') return made;
    const settings = jumping.flatMap((c) => settingsOf(c, made.model.indexOf.get(c.quantity)!, between));
    const stimulus = [...made.options.stimulus, ...settings].sort((x, y) => x.time - y.time);
    return { ...made, options: { ...made.options, stimulus } };
  };
  const fitted = prepared('straight');
  if (!('program' in fitted)) return { problems: fitted };
  return {
    problems: [],
    value: {
      ...courses,
      fitted,
      driven(between) {
        const other = jumps.length > 0 ? prepared(between) : [];
        return 'program' in other ? other : undefined;
      },
    },
  };
}
