import { walk, type FlatExpr } from '../flatten/flat-expression';
import type { FlatModel } from '../flatten/flat-model';

/**
 * Whether `x = other` gives a value that changes at events only. `der(y) = x` and `y = x` take it: a number that keeps its value in between
 * is given by an equation with its value before, or by one without anything that changes in between.
 */
export function givesDiscrete(model: FlatModel, x: number, other: FlatExpr): boolean {
  if (model.variables[x].type !== 'Real') return true;
  let keeps = false,
    changes = false;
  walk(other, (e) => {
    keeps ||= e.op === 'pre' && e.index === x;
    changes ||= e.op === 'der' || (e.op === 'var' && model.variables[e.index].kind === 'continuous');
    return keeps;
  });
  return keeps || !changes;
}
