import { decidingNumbers, isFixed } from './parameters';
import type { SolvableModel } from './solvable-model';

/**
 * Whether a model that has been prepared stays right when constants and parameters get other values: none of them has decided what there
 * is, and those that decide which terms the equations have decide the same.
 */
export function takesValues(solvable: SolvableModel, given: ReadonlyMap<number, number>): boolean {
  const { model, decided } = solvable;
  // parameters that are found at the start are unknowns
  const computed = new Set(solvable.parameters);
  if ([...given.keys()].some((k) => isFixed(model, k) && (decided.has(k) || !computed.has(k)))) return false;
  const [before, after] = [decidingNumbers(model), decidingNumbers(model, given)];
  return before.size === after.size && [...before].every(([k, x]) => after.get(k) === x);
}
