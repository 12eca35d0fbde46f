import { functionArity } from '../flatten/flat-expression';

/** Functions of the language that are something else in a list: step functions are held, and roots look at what they are taken of. */
const { ceil: _c, integer: _i, mod: _m, rem: _r, div: _d, ...same } = functionArity;

/** The functions that instructions can call, with their number of arguments. Each writer has its own way to compute them. */
export const functionsOfTerms = {
  ...same,
  trunc: 1,
  pow: 2,
  /** Powers that are products. */
  square: 1,
  cube: 1,
  /** Zero of what is negative: while a step looks ahead it may reach a little beyond. `sqrt` is of what does not move. */
  root: 1,
  /** The slope of a root, bounded near zero. */
  rootSlope: 1,
} as const;

export type TermFunction = keyof typeof functionsOfTerms;
