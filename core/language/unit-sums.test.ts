import fc from 'fast-check';
import { checkAgainstUnit, checkUnits } from './unit-check';
import { elaborateUnits } from './unit-elaboration';
import type { Expr } from './ast';
import { parseExpressionText } from './parse';
import { convertValue, parseUnit, type Unit } from './units';

/** Temperatures and their differences: whatever is not refused comes out as if all of it had been computed in SI units. */

const unit = (name: string): Unit => parseUnit(name) as Unit;
const variables: Record<string, readonly [number, string]> = {
  room: [20, 'degC'],
  metal: [65, 'degC'],
  oven: [392, 'degF'],
  hot: [350, 'K'],
  step: [5, 'K'],
  small: [800, 'mK'],
  turns: [3000, 'rpm'],
  omega: [200, 'rad/s'],
};
const context = {
  unitOf: (ref: { readonly parts: readonly { readonly name: string }[] }) => variables[ref.parts[0].name]?.[1],
};
const coherent = (value: number, name: string): number =>
  convertValue(value, unit(name), { ...unit(name), scale: 1, offset: 0 });

const isSigned = (e: Expr): boolean => e.kind === 'number' || (e.kind === 'unary' && isSigned(e.operand));
const folded = (e: Expr, sign: number): Expr =>
  e.kind === 'unary' ? folded(e.operand, -sign) : e.kind === 'number' ? { ...e, value: sign * e.value } : e;

/** Computes a formula with numbers and variables; a number that still has a unit is taken in SI units, as are variables where that is asked for. */
function valueOf(e: Expr, isCoherent: boolean): number {
  const of = (x: Expr): number => valueOf(x, isCoherent);
  switch (e.kind) {
    case 'number':
      return isCoherent && e.unit !== undefined ? coherent(e.value, e.unit) : e.value;
    case 'boolean':
      return Number(e.value);
    case 'ref': {
      const [value, name] = variables[e.parts[0].name];
      return isCoherent ? coherent(value, name) : value;
    }
    case 'unary':
      // the signs belong to the number
      return isCoherent && isSigned(e) ? of(folded(e, 1)) : -of(e.operand);
    case 'binary': {
      const [a, b] = [of(e.left), of(e.right)];
      const results: Record<string, number> = {
        '+': a + b,
        '-': a - b,
        '*': a * b,
        '/': a / b,
        '>': Number(a > b),
        '<': Number(a < b),
      };
      return results[e.op];
    }
    case 'if':
      return of(e.branches[0].condition) ? of(e.branches[0].value) : of(e.otherwise);
    case 'call': {
      const args = e.args.filter((x) => x.kind !== 'string').map(of);
      if (e.callee === 'abs') return Math.abs(args[0]);
      if (e.callee === 'convert') return args[0];
      return e.callee === 'max' ? Math.max(...args) : Math.min(...args);
    }
    default:
      throw new Error(e.kind);
  }
}
const parse = (text: string): Expr => {
  const { value, problems } = parseExpressionText(text);
  expect([text, problems]).toEqual([text, []]);
  return value;
};
const problemsOf = (text: string, target: string): string[] => {
  const found: string[] = [];
  checkAgainstUnit(parse(text), 'y', target, context, (p) => found.push(p.message));
  return found;
};
const computed = (text: string, target: string): number =>
  valueOf(elaborateUnits(parse(text), context, unit(target)), false);
const expected = (text: string, target: string): number =>
  convertValue(valueOf(parse(text), true), { ...unit(target), scale: 1, offset: 0 }, unit(target));

const leaf = (names: readonly string[], units: readonly string[]): fc.Arbitrary<string> =>
  fc.oneof(
    fc.constantFrom(...names),
    fc.tuple(fc.integer({ min: -40, max: 400 }), fc.constantFrom(...units)).map(([x, u]) => `${x} '${u}'`),
  );
const formula = (leaves: fc.Arbitrary<string>): fc.Arbitrary<string> =>
  fc.letrec<{ any: string }>((tie) => ({
    any: fc.oneof(
      { depthSize: 'small', withCrossShrink: true },
      leaves,
      fc.tuple(tie('any'), tie('any')).map(([a, b]) => `(${a} + ${b})`),
      fc.tuple(tie('any'), tie('any')).map(([a, b]) => `(${a} - ${b})`),
      fc.tuple(tie('any'), tie('any')).map(([a, b]) => `max(${a}, ${b})`),
      fc.tuple(tie('any'), tie('any'), tie('any')).map(([a, b, c]) => `(if ${a} > ${b} then ${b} else ${c})`),
      tie('any').map((a) => `0.5*(${a})`),
      tie('any').map((a) => `(${a})/2`),
      tie('any').map((a) => `abs(${a})`),
      tie('any').map((a) => `-(${a})`),
    ),
  })).any;
const temperatures = formula(leaf(['room', 'metal', 'oven', 'hot', 'step', 'small'], ['degC', 'K', 'degF', 'mK']));
const speeds = formula(leaf(['turns', 'omega'], ['rpm', 'rad/s', 'Hz']));

test.each([
  ['temperatures', temperatures, ['degC', 'K', 'degF']],
  ['speeds', speeds, ['rpm', 'rad/s']],
] as const)('what is not refused is what it is in SI units, in the unit it is given to: %s', (_, formulas, targets) => {
  let taken = 0;
  fc.assert(
    fc.property(formulas, fc.constantFrom(...targets), (text, target) => {
      if (problemsOf(text, target).length > 0) return;
      taken++;
      const close = expect.closeTo(expected(text, target), 6);
      expect([text, target, computed(text, target)]).toEqual([text, target, close]);
    }),
    { numRuns: 6000 },
  );
  expect(taken).toBeGreaterThan(500);
});

/** Formulas that make sense, made as they are meant: temperatures in degC, and differences in K. */
const { point, difference } = fc.letrec<{ point: string; difference: string }>((tie) => ({
  point: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    fc.constantFrom('room', 'metal', "20 'degC'", "68 'degF'", "-5 'degC'"),
    fc.tuple(tie('point'), tie('difference')).map(([a, b]) => `(${a} + ${b})`),
    fc.tuple(tie('point'), tie('difference')).map(([a, b]) => `(${a} - ${b})`),
    fc.tuple(tie('difference'), tie('point')).map(([a, b]) => `(${a} + ${b})`),
    fc.tuple(tie('point'), tie('point')).map(([a, b]) => `min(${a}, ${b})`),
    fc.tuple(tie('point'), tie('point')).map(([a, b]) => `(if ${a} > ${b} then ${b} else ${a})`),
    fc.constantFrom('(room + metal)/2', '(0.5*room + 0.5*metal)', '(0.5*(room + metal))'),
  ),
  difference: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    fc.constantFrom('step', "5 'K'", "-3 'K'", '(metal - room)'),
    fc.tuple(tie('point'), tie('point')).map(([a, b]) => `(${a} - ${b})`),
    fc.tuple(tie('difference'), tie('difference')).map(([a, b]) => `(${a} - ${b})`),
    fc.tuple(tie('difference'), tie('difference')).map(([a, b]) => `(${a} + ${b})`),
    tie('difference').map((a) => `abs(${a})`),
    tie('difference').map((a) => `0.5*(${a})`),
  ),
}));

test('temperatures that go up and down by differences are understood', () => {
  fc.assert(
    fc.property(point, (text) => {
      expect([text, problemsOf(text, 'degC')]).toEqual([text, []]);
      expect([text, computed(text, 'degC')]).toEqual([text, expect.closeTo(expected(text, 'degC'), 6)]);
    }),
    { numRuns: 1500 },
  );
  fc.assert(
    fc.property(difference, (text) => {
      expect([text, problemsOf(text, 'K')]).toEqual([text, []]);
      expect([text, computed(text, 'K')]).toEqual([text, expect.closeTo(expected(text, 'K'), 6)]);
    }),
    { numRuns: 1500 },
  );
});

test.each([
  ['-room', 'degC', '-room is neither a temperature nor a difference of two'],
  ['-room + step', 'K', '-room + step is neither a temperature nor a difference of two'],
  [
    'abs(room)',
    'degC',
    'room counts from a zero of its own and cannot be a factor; write a difference, or convert(room, "K")',
  ],
  ['room + metal', 'degC', 'room + metal is neither a temperature nor a difference of two'],
  ['room + metal', 'K', 'room + metal is neither a temperature nor a difference of two'],
  ['room + step', 'K', 'This assigns y in K and room + step in degC: same kind, different scale'],
  ["room + 5 'degC'", 'degC', "This adds two temperatures, room and 5 'degC'; a difference is written in K"],
  [
    'step - room',
    'K',
    'This subtracts a temperature, room in degC, from step in K, which may be a difference; convert(room, "K") if it is a temperature too',
  ],
  [
    'if room > metal then room else hot',
    'degC',
    'This chooses between room in degC and hot in K: same kind, different scale',
  ],
  [
    'room*room',
    'K2',
    'room counts from a zero of its own and cannot be a factor; write a difference, or convert(room, "K")',
  ],
  [
    'sqrt(room)',
    'K(1/2)',
    'room counts from a zero of its own and cannot be a factor; write a difference, or convert(room, "K")',
  ],
  ['oven - room', 'K', 'This subtracts oven in degF and room in degC: same kind, different scale'],
])('%s in %s is refused', (text, target, message) => {
  expect(problemsOf(text, target)).toContain(message);
});

test.each([
  ["metal - room > 5 'degC'", /5 'degC' is a temperature, but metal - room may be a difference/],
  ["5 'degC' < metal - room", /5 'degC' is a temperature, but metal - room may be a difference/],
  ["room + 5 > 25 'degC'", /adds a number without a unit to a temperature/],
  ["room - 20 < 3 'K'", /adds a number without a unit to a temperature/],
])('%s is asked about', (text, message) => {
  const found: string[] = [];
  checkUnits(parse(text), context, (p) => found.push(p.message));
  expect(found).toEqual([expect.stringMatching(message)]);
});

test.each([
  "metal - room > 5 'K'",
  'room + 5 > metal',
  "hot > 20 'degC'",
  "room < 300 'K'",
  "room + step < 25.5 'degC'",
])('%s is understood', (text) => {
  const found: string[] = [];
  const e = parse(text);
  checkUnits(e, context, (p) => found.push(p.message));
  expect(found).toEqual([]);
  expect(valueOf(elaborateUnits(e, context), false)).toBe(text === 'room + 5 > metal' ? 0 : 1);
});
