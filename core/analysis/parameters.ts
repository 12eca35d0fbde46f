import { constant, createSubstitution, evaluate, walk } from '../flatten/flat-expression';
import type { FlatEquation, FlatModel } from '../flatten/flat-model';

/** The values constants and parameters have as declared, but for those that are given; NaN where they have none. */
export function parameterValues(
  model: FlatModel,
  given: ReadonlyMap<number, number> = new Map(),
): (index: number) => number {
  const known = new Map<number, number>(given);
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

/** With those that some constants and parameters follow from. */
export function withSources(model: FlatModel, of: Iterable<number>): ReadonlySet<number> {
  const all = new Set(of);
  for (const k of all) {
    const { binding, start } = model.variables[k];
    // sets are gone through to their end, with what is added on the way
    for (const e of [binding, start]) if (e) walk(e, (x) => void (x.op === 'var' && all.add(x.index)));
  }
  return all;
}

export const isFixed = ({ variables }: FlatModel, k: number): boolean =>
  variables[k].kind === 'parameter' || variables[k].kind === 'constant';

/** Zeros, and the ones of directions: values that decide which terms equations have. */
export function decidingNumbers(model: FlatModel, given?: ReadonlyMap<number, number>): Map<number, number> {
  const value = parameterValues(model, given);
  const numbers = new Map<number, number>();
  model.variables.forEach((v, k) => {
    if (!isFixed(model, k)) return;
    const x = value(k);
    if (x === 0 || ((x === 1 || x === -1) && v.name.includes('['))) numbers.set(k, x);
  });
  return numbers;
}

/**
 * Puts the values of parameters into the equations that decide which terms there are at all: zeros, and the ones of directions.
 * A change of these parameters needs the model to be prepared anew.
 */
export function evaluateStructure(model: FlatModel): { model: FlatModel; evaluated: ReadonlySet<number> } {
  const evaluated = new Set<number>();
  const numbers = new Map([...decidingNumbers(model)].map(([k, x]) => [k, constant(x)]));
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
