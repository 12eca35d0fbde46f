/** The functions that instructions can call, with their number of arguments. Each writer has its own way to compute them. */
export const functionsOfTerms = {
  sin: 1,
  cos: 1,
  tan: 1,
  asin: 1,
  acos: 1,
  atan: 1,
  atan2: 2,
  sinh: 1,
  cosh: 1,
  tanh: 1,
  exp: 1,
  log: 1,
  log10: 1,
  abs: 1,
  sign: 1,
  min: 2,
  max: 2,
  floor: 1,
  trunc: 1,
  pow: 2,
  /** Powers that are products. */
  square: 1,
  cube: 1,
  /** Of what does not move. */
  sqrt: 1,
  /** Zero of what is negative: while a step looks ahead it may reach a little beyond. */
  root: 1,
  /** The slope of a root, bounded near zero. */
  rootSlope: 1,
} as const;

export type TermFunction = keyof typeof functionsOfTerms;
