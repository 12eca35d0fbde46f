import { constant, createSubstitution, evaluate, type FlatExpr } from '../flatten/flat-expression';
import type { FlatEquation, FlatModel } from '../flatten/flat-model';

/** The values constants and parameters have as declared; NaN where they have none. */
export function parameterValues(model: FlatModel): (index: number) => number {
  const known = new Map<number, number>();
  const value = (k: number): number => {
    const before = known.get(k);
    if (before !== undefined) return before;
    known.set(k, NaN);
    const { binding, kind } = model.variables[k];
    const found = binding && (kind === 'constant' || kind === 'parameter') ? evaluate(binding, value) : NaN;
    known.set(k, found);
    return found;
  };
  return value;
}

/**
 * Puts the values of parameters into the equations that decide which terms there are at all: zeros, and the ones of directions.
 * A change of these parameters needs the model to be prepared anew.
 */
export function evaluateStructure(model: FlatModel): { model: FlatModel; evaluated: ReadonlySet<number> } {
  const value = parameterValues(model);
  const evaluated = new Set<number>();
  const numbers = new Map<number, FlatExpr>();
  model.variables.forEach((v, k) => {
    if (v.kind !== 'parameter' && v.kind !== 'constant') return;
    const x = value(k);
    if (x === 0 || ((x === 1 || x === -1) && v.name.includes('['))) numbers.set(k, constant(x));
  });
  if (numbers.size === 0) return { model, evaluated };
  const visit = createSubstitution((e) => {
    const number = e.op === 'var' ? numbers.get(e.index) : undefined;
    if (number && e.op === 'var') evaluated.add(e.index);
    return number;
  });
  const each = (e: FlatEquation): FlatEquation => ({ left: visit(e.left), right: visit(e.right), origin: e.origin });
  return {
    model: { ...model, equations: model.equations.map(each), initialEquations: model.initialEquations.map(each) },
    evaluated,
  };
}
