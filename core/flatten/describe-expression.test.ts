import fc from 'fast-check';
import { simulateText } from '../testing/simulate-text';
import { describeExpression } from './describe-expression';
import {
  applyFunction,
  binary,
  choose,
  constant,
  evaluate,
  negate,
  not,
  variable,
  type ArithmeticOp,
  type FlatExpr,
  type RelationOp,
} from './flat-expression';

const names = ['a', 'b.c', 'm[2].x'];
const told = (e: FlatExpr): string => describeExpression(e, (k) => names[k]);

const arithmetic: readonly ArithmeticOp[] = ['add', 'sub', 'mul', 'div', 'pow'];
const relations: readonly RelationOp[] = ['lt', 'le', 'gt', 'ge'];
const numbers = fc.letrec<{ number: FlatExpr; truth: FlatExpr }>((tie) => ({
  number: fc.oneof(
    { depthSize: 'small' },
    fc.constantFrom(...[0.5, 2, -3, 1e-7, 4e20].map(constant), variable(0), variable(1), variable(2)),
    fc.tuple(fc.constantFrom(...arithmetic), tie('number'), tie('number')).map(([op, a, b]) => binary(op, a, b)),
    tie('number').map(negate),
    fc.tuple(fc.constantFrom('sin', 'abs', 'exp'), tie('number')).map(([f, a]) => applyFunction(f as 'sin', [a])),
    fc.tuple(tie('truth'), tie('number'), tie('number')).map(([c, a, b]) => choose(c, a, b)),
  ),
  truth: fc.oneof(
    { depthSize: 'small' },
    fc.tuple(fc.constantFrom(...relations), tie('number'), tie('number')).map(([op, a, b]) => binary(op, a, b)),
    fc.tuple(fc.constantFrom('and', 'or'), tie('truth'), tie('truth')).map(([op, a, b]) => binary(op as 'and', a, b)),
    tie('truth').map(not),
  ),
}));

test('what is told means what was computed: read as a text of the language it has the same value', () => {
  const values = [1.25, -0.75, 3];
  fc.assert(
    fc.property(numbers.number, (e) => {
      const expected = evaluate(e, (k) => values[k]);
      fc.pre(Number.isFinite(expected));
      const text = `
        model N Real c = -0.75; end N;
        model X Real x = 3; end X;
        model M Real a = 1.25; N b; X m[2]; Real y = ${told(e)}; end M;`;
      expect(simulateText(text, 'M', { stop: 0.01 }).last('y') + 0).toBe(expected + 0);
    }),
    { numRuns: 150 },
  );
});

test('everything an expression can be is told in its words', () => {
  const [a, b] = [variable(0), variable(1)];
  const difference = binary('sub', a, b);
  expect(told(binary('gt', binary('mul', binary('add', a, b), a), constant(1)))).toBe('(a + b.c) * a > 1');
  expect(told(negate(difference))).toBe('-(a - b.c)');
  expect(told(binary('sub', a, difference))).toBe('a - (a - b.c)');
  expect(told({ op: 'der', index: 2 })).toBe('der(m[2].x)');
  expect(told({ op: 'pre', index: 0 })).toBe('pre(a)');
  expect(told({ op: 'time' })).toBe('time');
  expect(told({ op: 'initial' })).toBe('initial()');
  expect(told({ op: 'terminal' })).toBe('terminal()');
  expect(told({ op: 'noEvent', a })).toBe('noEvent(a)');
  expect(told({ op: 'delay', a, by: constant(2) })).toBe('delay(a, 2)');
  expect(told({ op: 'sample', start: constant(0), interval: constant(0.1) })).toBe('sample(0, 0.1)');
  expect(told({ op: 'table', a, x: [0, 1], y: [0, 1], slope: false })).toBe('table(a)');
  expect(told(not(binary('or', a, b)))).toBe('not (a or b.c)');
  expect(told(choose(a, constant(1), b))).toBe('if a then 1 else b.c');
});
