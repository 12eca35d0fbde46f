import { analyse } from '../analysis/analyse';
import { hasErrors, type Problem } from '../language/diagnostics';
import type { FlatModel } from '../flatten/flat-model';
import { createProgram, type Program } from '../program/program';

/** From a flat model to a program that can be run; without a program where there are errors. */
export function compile(model: FlatModel): { program: Program | undefined; problems: readonly Problem[] } {
  // the structure of a model with unknown names says nothing: its errors would only repeat the first ones
  const structural = model.problems.some((p) => p.severity === 'error' && !p.code.startsWith('unit'));
  if (structural) return { program: undefined, problems: model.problems };
  const solvable = analyse(model);
  const problems = [...model.problems, ...solvable.problems];
  if (hasErrors(solvable.problems)) return { program: undefined, problems };
  return { program: createProgram(solvable), problems };
}
