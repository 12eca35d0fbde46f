import { readMessage } from '../behaviour/chart-source';
import { statementsOf } from '../flatten/chart-sends';
import { walk, type FlatExpr } from '../flatten/flat-expression';
import type { FlatModel } from '../flatten/flat-model';
import { problem, type Problem } from '../language/diagnostics';
import { withNotes, type CoveragePlan } from '../coverage/plan';
import { flatten } from '../flatten/flatten';
import { projectLibrary } from '../flatten/from-project';
import type { SolvableModel } from '../analysis/solvable-model';
import type { PartType, Project } from '../project/project';
import { compile } from '../simulate/compile';
import { constantOf, foldConstants } from './lower-equations';
import { lowerController } from './lower-step';
import type { Controller } from './step-work';
import type { StepProgram } from './step-program';

/** A step program and the model it comes from; without them, why not. */
export type LoweredType =
  | {
      readonly program: StepProgram;
      readonly solvable: SolvableModel;
      /** What its steps tell of what they come through; nothing where they do not. */
      readonly plan: CoveragePlan | undefined;
      readonly problems: readonly Problem[];
    }
  | { readonly program?: undefined; readonly problems: readonly Problem[] };

/**
 * The step program of a part type of a project, every so many seconds; without them those of its fastest sheet. `isExact`: with the numbers of the
 * simulator, whatever they are kept as in code. `isCounted`: its steps tell what they come through.
 */
export function stepProgramOf(
  project: Project,
  type: PartType,
  every?: number,
  options: StepOptions = {},
): LoweredType {
  const key = [every, options.isWhole, options.isExact, options.isCounted].join();
  let known = lowered.get(project);
  if (!known) lowered.set(project, (known = new Map()));
  let ways = known.get(type);
  if (!ways) known.set(type, (ways = new Map()));
  let found = ways.get(key);
  if (!found) ways.set(key, (found = lowerType(project, type, every, options)));
  return found;
}

type StepOptions = Pick<Controller, 'isWhole'> & { readonly isExact?: boolean; readonly isCounted?: boolean };
/** Documents are never changed: what was made of one is known again. */
const lowered = new WeakMap<Project, Map<PartType, Map<string, LoweredType>>>();

function lowerType(
  project: Project,
  type: PartType,
  every: number | undefined,
  { isExact = false, isCounted = false, ...more }: StepOptions,
): LoweredType {
  const { library, problems: unread } = projectLibrary(project);
  const flat = flatten(library, type.name).model;
  const noted = isCounted ? withNotes(flat, new Map(project.types.map((t) => [t.name, t]))) : undefined;
  const made = compile(noted?.model ?? flat);
  const wrong = [...unread, ...made.problems].filter((p) => p.severity === 'error');
  if (!made.program || wrong.length > 0) return { problems: wrong };
  const { solvable } = made.program;
  const { software } = solvable.model.parts[0];
  const said = software && periodOf(solvable.model, software.period);
  const period = every ?? (software ? said : fastestRhythm(solvable.model));
  if (period === undefined || !(period > 0))
    return {
      problems: [
        software
          ? unclear(software.place)
          : {
              ...problem(
                'error',
                'no-rhythm',
                `Nothing says how many seconds lie between steps of ${type.name}: it is not marked as software, and has no sampled sheet`,
              ),
              place: `type/${type.id}`,
            },
      ],
    };
  const triggers = type.charts.flatMap((c) =>
    c.transitions.flatMap((t) => t.triggers.flatMap((g) => (g.kind === 'message' ? [g.on] : []))),
  );
  const accepts = type.ports.flatMap((p) => p.accepts);
  // a port that takes anything takes what is waited for
  const any = accepts.includes('*') ? triggers.flatMap((t) => readMessage(t)?.name ?? []) : [];
  const done = lowerController({
    name: type.name,
    note: type.note,
    solvable,
    period,
    accepts: [...new Set([...accepts, ...any])].filter((m) => m !== '*'),
    sends: [...new Set(type.ports.flatMap((p) => p.sends))].filter((m) => m !== '*'),
    triggers,
    numbers: new Map(
      isExact ? [] : type.quantities.flatMap((q) => (q.number === 'usual' ? [] : [[q.name, q] as const])),
    ),
    ...more,
  });
  return done.program
    ? { program: done.program, solvable, plan: noted?.plan, problems: done.problems }
    : { problems: done.problems };
}

/** Seconds between steps; undefined where they are not known before a run. */
const periodOf = (model: FlatModel, period: FlatExpr): number | undefined => {
  const folded = foldConstants(
    model,
    (k) => model.variables[k].kind === 'parameter' && model.variables[k].isFinal !== true,
  )(period);
  return folded.op === 'const' ? folded.value : undefined;
};
const unclear = (place: string): Problem => ({
  ...problem(
    'error',
    'software-period',
    "The time between steps of software is a number above 0 or a constant, such as 0.01 's': it goes into the code",
  ),
  place,
});

/** What is wrong with the times between steps of the software in a model, and who reads how long they take. */
export const checkSoftware = (model: FlatModel): readonly Problem[] => [
  ...readersOfTime(model),
  ...new Map(
    model.parts.flatMap(({ software }) => {
      const period = software && periodOf(model, software.period);
      // what is wrong with the text itself has been told there
      const isTold = model.problems.some((p) => p.severity === 'error' && p.place === software?.place);
      return !software || isTold || (period !== undefined && period > 0)
        ? []
        : [[software.place, unclear(software.place)] as const];
    }),
  ).values(),
];

/** Seconds of the fastest rhythm of a model; undefined where there is none. */
function fastestRhythm(model: FlatModel): number | undefined {
  let least = Infinity;
  for (const e of model.equations)
    for (const side of [e.left, e.right])
      walk(side, (x) => {
        const seconds = x.op === 'sample' ? constantOf(model, x.interval) : undefined;
        if (seconds !== undefined && seconds > 0) least = Math.min(least, seconds);
      });
  return Number.isFinite(least) ? least : undefined;
}

/** Step times are measured, and only on a board: what a product does cannot rest on them, what is required of it can. */
function readersOfTime(model: FlatModel): readonly Problem[] {
  const timed = new Set(model.parts.flatMap((p) => (p.software ? [p.software.stepTime, p.software.overruns] : [])));
  if (timed.size === 0) return [];
  const formulas = [
    ...model.equations.map(({ left, right, origin }) => ({ sides: [left, right], place: origin.place })),
    ...statementsOf(model.charts).flatMap((s) =>
      s.kind === 'assign' ? [{ sides: [s.value], place: s.origin.place }] : [],
    ),
  ];
  return formulas.flatMap(({ sides, place }) => {
    if (!place.startsWith('type/')) return [];
    let index = -1;
    for (const side of sides) walk(side, (x) => void (x.op === 'var' && timed.has(x.index) && (index = x.index)));
    if (index < 0) return [];
    const message = `${model.variables[index].name} is measured, on a board only: requirements can speak of it, the product itself cannot`;
    return [{ ...problem('error', 'step-time', message), place }];
  });
}
