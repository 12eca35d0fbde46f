import type { Problem } from '../language/diagnostics';
import type { FlatExpr } from '../flatten/flat-expression';
import type { FlatEquation, FlatModel } from '../flatten/flat-model';
import type { Unknown } from './differentiate';

/** One step of the solution order. */
export type Block =
  | { readonly kind: 'assign'; readonly target: Unknown; readonly value: FlatExpr; readonly equation: FlatEquation; readonly discrete: boolean }
  | TornBlock;

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
  readonly problems: readonly Problem[];
}
