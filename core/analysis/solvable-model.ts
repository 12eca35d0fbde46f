import type { Problem } from '../language/diagnostics';
import type { FlatExpr } from '../flatten/flat-expression';
import type { FlatEquation, FlatModel } from '../flatten/flat-model';
import type { Alias } from './aliases';
import type { Unknown } from '../flatten/differentiate';
import type { Reduction } from './reduced-model';

/**
 * One step of the solution order. A loop that goes through values which change at events only is solved together at events, and without
 * those between them: its steps say for which of both they are there.
 */
export type Block = { readonly only?: 'events' | 'between' } & (
  | {
      readonly kind: 'assign';
      readonly target: Unknown;
      readonly value: FlatExpr;
      readonly equation: FlatEquation;
      readonly discrete: boolean;
    }
  | TornBlock
);

/** Equations to be solved together: given the torn unknowns, the inner ones follow in order; Newton's method closes the residuals. */
export interface TornBlock {
  readonly kind: 'torn';
  readonly tears: readonly Unknown[];
  readonly inner: readonly { readonly target: Unknown; readonly value: FlatExpr; readonly equation: FlatEquation }[];
  readonly residuals: readonly { readonly value: FlatExpr; readonly equation: FlatEquation }[];
  readonly linear: boolean;
  readonly discrete: false;
}

export interface SolvableModel {
  readonly model: FlatModel;
  /** Variables whose derivatives the integrator follows. */
  readonly states: readonly number[];
  /** Constants and parameters in the order in which they can be computed. */
  readonly parameters: readonly number[];
  readonly blocks: readonly Block[];
  /** The order at the start of a run, where initial equations take part. */
  readonly initialBlocks: readonly Block[];
  /** Variables that equal others, or their negatives. */
  readonly aliases: ReadonlyMap<number, Alias>;
  /** Parameters whose values have been put into the equations. */
  readonly evaluated: ReadonlySet<number>;
  /** Constants and parameters that cannot change without the model being prepared anew, with all that these follow from. */
  readonly decided: ReadonlySet<number>;
  /** Constraints the states are brought back onto after each step. */
  readonly invariants: readonly FlatEquation[];
  /** What was done to lower the index; undefined where nothing had to be. */
  readonly reduction: Reduction | undefined;
  /** With invariants: equations of the start that are solved together with them for the states that are not fixed. */
  readonly startEquations: readonly FlatEquation[];
  readonly problems: readonly Problem[];
}
