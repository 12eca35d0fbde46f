import { isRelation, operands, walk, type FlatExpr } from '../flatten/flat-expression';
import type { FlatModel } from '../flatten/flat-model';

/**
 * Whether `x = other` gives a value that changes at events only. `der(y) = x` and `y = x` take it: a number that keeps its value in between
 * is given by an equation with its value before, or by one without anything that changes in between.
 */
export function givesDiscrete(model: FlatModel, x: number, other: FlatExpr): boolean {
  // a whole number, a truth or a choice follows from numbers only where a step is taken: n = floor(y), but not n = y
  if (model.variables[x].type !== 'Real') return !isMovingNumber(model, other);
  let keeps = false,
    changes = false;
  walk(other, (e) => {
    keeps ||= e.op === 'pre' && e.index === x;
    changes ||= e.op === 'der' || (e.op === 'var' && model.variables[e.index].kind === 'continuous');
    return keeps;
  });
  return keeps || !changes;
}

const steps: ReadonlySet<string> = new Set(['floor', 'ceil', 'integer', 'sign', 'div']);

/** Whether a value moves between events, as what stands behind steps and relations does not. */
function isMovingNumber(model: FlatModel, e: FlatExpr): boolean {
  if (e.op === 'var') return model.variables[e.index].kind === 'continuous' && model.variables[e.index].type === 'Real';
  if (e.op === 'der' || e.op === 'time') return true;
  if (isRelation(e.op) || (e.op === 'fn' && steps.has(e.name))) return false;
  if (e.op === 'if') return isMovingNumber(model, e.a) || isMovingNumber(model, e.b);
  return e.op !== 'pre' && operands(e).some((x) => isMovingNumber(model, x));
}
