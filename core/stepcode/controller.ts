import { readMessage } from '../behaviour/chart-source';
import { walk } from '../flatten/flat-expression';
import type { FlatModel } from '../flatten/flat-model';
import { problem, type Problem } from '../language/diagnostics';
import { newSetup, type PartType, type Project } from '../project/project';
import { isRunnable, prepareRun } from '../run';
import { constantOf } from './lower-equations';
import { lowerController } from './lower-step';
import type { Controller } from './step-work';
import type { StepProgram } from './step-program';

/** The step program of a part type of a project, every so many seconds; without them those of its fastest sheet. */
export function stepProgramOf(
  project: Project,
  type: PartType,
  every?: number,
  more: Pick<Controller, 'isWhole'> = {},
): { readonly program?: StepProgram; readonly problems: readonly Problem[] } {
  const setup = { ...newSetup('code', 'code'), root: type.id };
  const prepared = prepareRun({ ...project, requirements: [] }, setup);
  if (!isRunnable(prepared)) return { problems: prepared.problems.filter((p) => p.severity === 'error') };
  const { solvable } = prepared.program;
  const period = every ?? fastestRhythm(solvable.model);
  if (period === undefined)
    return {
      problems: [
        {
          ...problem(
            'error',
            'no-rhythm',
            `${type.name} has no sampled sheet, so that nothing says how many seconds lie between its steps`,
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
  return lowerController({
    name: type.name,
    note: type.note,
    solvable,
    period,
    accepts: [...new Set([...accepts, ...any])].filter((m) => m !== '*'),
    sends: [...new Set(type.ports.flatMap((p) => p.sends))].filter((m) => m !== '*'),
    triggers,
    ...more,
  });
}

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
