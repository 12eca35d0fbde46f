import { plainVariable } from '../flatten/builder';
import type { FlatExpr } from '../flatten/flat-expression';
import type { FlatModel, FlatVariable } from '../flatten/flat-model';

/** A derivative of some order of a variable of the model. */
export interface DerivativePlace {
  readonly x: number;
  readonly p: number;
}

/** The variables of a model with those that hold derivatives of them, which are made when they are asked for. */
export interface DerivativeChain {
  readonly variables: FlatVariable[];
  /** The variable that holds a derivative of another one. */
  derivativeOf(x: number, p: number): number;
  /** The same as a term. */
  holder(x: number, p: number): FlatExpr;
  /** Whose derivative a variable holds; of one that holds none, itself. */
  placeOf(index: number): DerivativePlace;
  /** Variables some of whose derivatives have been asked for. */
  all(): IterableIterator<readonly [x: number, own: readonly number[]]>;
}

export function createDerivativeChain(model: FlatModel): DerivativeChain {
  const variables: FlatVariable[] = [...model.variables];
  const chain = new Map<number, number[]>();
  const places = new Map<number, DerivativePlace>();
  const derivativeOf = (x: number, p: number): number => {
    if (p === 0) return x;
    const own = chain.get(x) ?? [x];
    while (own.length <= p) {
      const { place, span } = model.variables[x];
      const name = `der(${variables[own[own.length - 1]].name})`;
      own.push(variables.length);
      variables.push(
        plainVariable({ name, type: 'Real', kind: 'continuous', place, ...(span && { span }) }, { hidden: true }),
      );
    }
    chain.set(x, own);
    return own[p];
  };
  return {
    variables,
    derivativeOf,
    holder(x, p) {
      const index = derivativeOf(x, p);
      places.set(index, { x, p });
      return { op: 'var', index };
    },
    placeOf: (index) => places.get(index) ?? { x: index, p: 0 },
    all: () => chain.entries(),
  };
}
