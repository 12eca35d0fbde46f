import fc from 'fast-check';
import { contains, differentiate, linearParts } from './differentiate';
import {
  add,
  applyFunction,
  binary,
  choose,
  constant,
  divide,
  evaluate,
  functionArity,
  multiply,
  negate,
  one,
  sameExpression,
  subtract,
  variable,
  zero,
  type FlatExpr,
  type FunctionName,
} from './flat-expression';

const [x, y] = [variable(0), variable(1)];
const at = (a: number, b: number) => (index: number) => [a, b][index];
/** By the first of two variables, or by the second. */
const by = (e: FlatExpr, index: number): FlatExpr =>
  differentiate(e, (leaf) => (leaf.op === 'var' && leaf.index === index ? one : zero));

/** Central difference of fourth order (Fornberg 1988): its error is some 1e-11 here. */
function difference(e: FlatExpr, index: number, a: number, b: number, h = 1e-3): number {
  const f = (k: number): number => evaluate(e, index === 0 ? at(a + k * h, b) : at(a, b + k * h));
  return (f(-2) - 8 * f(-1) + 8 * f(1) - f(2)) / (12 * h);
}

/** Places where each function is smooth. */
const places: Readonly<Record<FunctionName, readonly (readonly [number, number])[]>> = {
  sin: [[0.7, 0]],
  cos: [[0.7, 0]],
  tan: [[0.7, 0]],
  asin: [[0.3, 0]],
  acos: [[0.3, 0]],
  atan: [[-1.7, 0]],
  atan2: [
    [0.6, 1.3],
    [-0.6, -1.3],
    [2, -0.4],
  ],
  sinh: [[0.7, 0]],
  cosh: [[0.7, 0]],
  tanh: [[0.7, 0]],
  exp: [[0.7, 0]],
  log: [[1.7, 0]],
  log10: [[1.7, 0]],
  sqrt: [[1.7, 0]],
  rootSlope: [[1.7, 0]],
  abs: [
    [0.7, 0],
    [-0.7, 0],
  ],
  sign: [[0.7, 0]],
  min: [
    [0.7, 1.2],
    [1.2, 0.7],
  ],
  max: [
    [0.7, 1.2],
    [1.2, 0.7],
  ],
  floor: [[2.4, 0]],
  ceil: [[2.4, 0]],
  integer: [[2.4, 0]],
  mod: [
    [7.3, 2],
    [-7.3, 2],
  ],
  rem: [[7.3, 2]],
  div: [[7.3, 2]],
};

test.each(Object.entries(places))('the derivative of %s is the slope of its values', (name, points) => {
  const arity = name === 'rootSlope' ? 1 : functionArity[name as keyof typeof functionArity];
  const e = applyFunction(name as FunctionName, arity === 2 ? [x, y] : [x]);
  for (const [a, b] of points) {
    expect(evaluate(by(e, 0), at(a, b))).toBeCloseTo(difference(e, 0, a, b), 8);
    if (arity === 2) expect(evaluate(by(e, 1), at(a, b))).toBeCloseTo(difference(e, 1, a, b), 8);
  }
});

/** Smooth formulas of two variables, with values that stay within bounds. */
const formulas: fc.Arbitrary<FlatExpr> = fc.letrec<{ e: FlatExpr }>((tie) => ({
  e: fc.oneof(
    { maxDepth: 5, depthSize: 'small' },
    fc.constantFrom(x, y),
    fc.double({ min: -2, max: 2, noNaN: true }).map((v) => constant(Math.round(v * 8) / 8)),
    fc.tuple(tie('e'), tie('e')).map(([a, b]) => add(a, b)),
    fc.tuple(tie('e'), tie('e')).map(([a, b]) => subtract(a, b)),
    fc.tuple(tie('e'), tie('e')).map(([a, b]) => multiply(a, b)),
    fc.tuple(tie('e'), tie('e')).map(([a, b]) => divide(a, add(constant(2), applyFunction('sin', [b])))),
    tie('e').map((a) => negate(a)),
    tie('e').map((a) => applyFunction('sin', [a])),
    tie('e').map((a) => applyFunction('atan', [a])),
    tie('e').map((a) => binary('pow', add(constant(2), applyFunction('cos', [a])), constant(3))),
    fc
      .tuple(tie('e'), tie('e'))
      .map(([a, b]) => applyFunction('atan2', [a, add(constant(3), applyFunction('cos', [b]))])),
  ),
})).e;

test('any formula made of them has the slope of its values', () => {
  fc.assert(
    fc.property(formulas, fc.integer({ min: 0, max: 1 }), (e, index) => {
      const [a, b] = [0.43, -0.81];
      const wanted = difference(e, index, a, b);
      // where a formula turns too quickly for differences they say nothing
      fc.pre(Math.abs(wanted - difference(e, index, a, b, 5e-4)) < 1e-8 * (1 + Math.abs(wanted)));
      const found = evaluate(by(e, index), at(a, b));
      expect(Math.abs(found - wanted)).toBeLessThanOrEqual(
        1e-6 * (1 + Math.abs(wanted) + Math.abs(evaluate(e, at(a, b)))),
      );
      if (!contains(e, { kind: 'var', index })) expect(found).toBeCloseTo(0, 15);
    }),
    { numRuns: 400 },
  );
});

test('powers: of the base, of the exponent, of both', () => {
  const power = binary('pow', x, y);
  expect(evaluate(by(power, 0), at(1.3, 2.5))).toBeCloseTo(2.5 * 1.3 ** 1.5, 12);
  expect(evaluate(by(power, 1), at(1.3, 2.5))).toBeCloseTo(1.3 ** 2.5 * Math.log(1.3), 12);
  // a number in the exponent needs no logarithm, so the base may be negative
  expect(evaluate(by(binary('pow', x, constant(3)), 0), at(-2, 0))).toBe(12);
});

test('a branch has the derivative of what is taken, a table the slope of its piece, and none twice', () => {
  const branch = choose(binary('gt', x, constant(1)), multiply(x, x), multiply(constant(5), x));
  expect(evaluate(by(branch, 0), at(3, 0))).toBe(6);
  expect(evaluate(by(branch, 0), at(0.5, 0))).toBe(5);
  const table: FlatExpr = { op: 'table', a: multiply(constant(2), x), x: [0, 1, 3], y: [0, 4, 0], slope: false };
  expect(evaluate(by(table, 0), at(0.25, 0))).toBe(8);
  expect(evaluate(by(table, 0), at(1, 0))).toBe(-4);
  expect(evaluate(by(table, 0), at(9, 0))).toBe(0);
  expect(by(by(table, 0), 0)).toEqual(zero);
});

describe('what is linear in an unknown', () => {
  const unknown = { kind: 'var', index: 0 } as const;
  test.each<[string, FlatExpr]>([
    ['a sum', add(multiply(constant(3), x), y)],
    ['a difference', subtract(y, multiply(x, y))],
    ['a quotient', divide(add(x, one), y)],
    ['a negative', negate(subtract(x, y))],
    ['a branch', choose(binary('gt', y, zero), multiply(constant(2), x), add(x, y))],
    ['on both sides', subtract(multiply(constant(2), x), multiply(y, x))],
  ])('%s is its coefficient times the unknown and a rest', (_, e) => {
    const parts = linearParts(e, unknown)!;
    expect(contains(parts.coefficient, unknown)).toBe(false);
    expect(contains(parts.rest, unknown)).toBe(false);
    for (const b of [1.7, -0.6])
      for (const a of [0, 1, -2.5])
        expect(evaluate(parts.coefficient, at(NaN, b)) * a + evaluate(parts.rest, at(NaN, b))).toBeCloseTo(
          evaluate(e, at(a, b)),
          12,
        );
  });
  test.each<[string, FlatExpr]>([
    ['a square', multiply(x, x)],
    ['below a line', divide(one, x)],
    ['in a function', applyFunction('sin', [x])],
    ['in a condition', choose(binary('gt', x, zero), x, y)],
    ['in an exponent', binary('pow', y, x)],
  ])('%s is not', (_, e) => expect(linearParts(e, unknown)).toBeUndefined());
  test('what does not hold the unknown is rest only', () => {
    expect(linearParts(y, unknown)).toEqual({ coefficient: zero, rest: y });
  });
});

test('constructors fold numbers and neutral elements only: values stay what they are', () => {
  const raw: fc.Arbitrary<FlatExpr> = fc.letrec<{ e: FlatExpr }>((tie) => ({
    e: fc.oneof(
      { maxDepth: 4, depthSize: 'small' },
      fc.constantFrom(x, y),
      fc.integer({ min: -2, max: 2 }).map(constant),
      fc
        .tuple(
          fc.constantFrom('add', 'sub', 'mul', 'div', 'pow', 'lt', 'le', 'gt', 'ge', 'eq', 'ne'),
          tie('e'),
          tie('e'),
        )
        .map(([op, a, b]) => ({ op, a, b }) as FlatExpr),
      fc.tuple(fc.constantFrom('and', 'or'), tie('e'), tie('e')).map(([op, a, b]): FlatExpr => ({
        op: op as 'and' | 'or',
        a: binary('ne', a, zero),
        b: binary('ne', b, zero),
      })),
      tie('e').map((a): FlatExpr => ({ op: 'neg', a })),
      fc
        .tuple(tie('e'), tie('e'), tie('e'))
        .map(([c, a, b]): FlatExpr => ({ op: 'if', c: binary('gt', c, zero), a, b })),
    ),
  })).e;
  const folded = (e: FlatExpr): FlatExpr => {
    switch (e.op) {
      case 'neg':
        return negate(folded(e.a));
      case 'if':
        return choose(folded(e.c), folded(e.a), folded(e.b));
      case 'add':
        return add(folded(e.a), folded(e.b));
      case 'sub':
        return subtract(folded(e.a), folded(e.b));
      case 'mul':
        return multiply(folded(e.a), folded(e.b));
      case 'div':
        return divide(folded(e.a), folded(e.b));
      case 'const':
      case 'var':
        return e;
      default:
        return 'b' in e ? binary(e.op as 'add', folded(e.a), folded(e.b)) : e;
    }
  };
  fc.assert(
    fc.property(raw, (e) => {
      const values = at(1.25, -0.5);
      const before = evaluate(e, values);
      // 0 times what is infinite or no number is 0 where the 0 is a number: the only thing folding changes
      fc.pre(Number.isFinite(before));
      const after = evaluate(folded(e), values);
      expect(Math.abs(after - before)).toBeLessThanOrEqual(1e-12 * Math.abs(before));
      expect(sameExpression(e, e)).toBe(true);
    }),
    { numRuns: 500 },
  );
});
