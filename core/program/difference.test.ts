import fc from 'fast-check';
import { add, constant, evaluate, multiply, negate, subtract, type FlatExpr } from '../flatten/flat-expression';
import { differences } from './difference';

const v = (index: number): FlatExpr => ({ op: 'var', index });
const plain = differences(() => undefined);

test('the same difference, however it is written', () => {
  const [a, b] = [v(0), v(1)];
  const seen = plain(a, b);
  expect(plain(b, a)).toEqual({ key: seen.key, sign: -seen.sign });
  expect(plain(subtract(a, b), constant(0))).toEqual(seen);
  expect(plain(constant(0), subtract(b, a))).toEqual(seen);
  expect(plain(multiply(constant(2), a), add(a, b))).toEqual(seen);
  expect(plain(a, add(b, constant(1))).key).not.toBe(seen.key);
  expect(plain(a, v(2)).key).not.toBe(seen.key);
  expect(plain(multiply(a, b), v(2)).key).toBe(plain(v(2), multiply(a, b)).key);
});

test('through what a variable is computed from, but not round in a circle', () => {
  const values = new Map([
    [2, subtract(v(0), v(1))],
    [3, add(v(4), constant(1))],
    [4, subtract(v(3), constant(1))],
  ]);
  const through = differences((k) => values.get(k));
  expect(through(v(2), constant(0))).toEqual(through(v(0), v(1)));
  expect(() => through(v(3), v(4))).not.toThrow();
});

test('two with one key have one value, up to the sign', () => {
  const leaf: fc.Arbitrary<FlatExpr> = fc.oneof(
    fc.nat(2).map(v),
    fc.integer({ min: -3, max: 3 }).map((x) => constant(x)),
  );
  const expression = fc.letrec<{ e: FlatExpr }>((tie) => ({
    e: fc.oneof(
      { maxDepth: 3 },
      leaf,
      fc.tuple(tie('e'), tie('e'), fc.constantFrom(add, subtract, multiply)).map(([x, y, f]) => f(x, y)),
      tie('e').map(negate),
    ),
  })).e;
  const at = [0.37, -1.9, 2.3];
  let met = 0;
  fc.assert(
    fc.property(fc.array(fc.tuple(expression, expression), { minLength: 12, maxLength: 12 }), (pairs) => {
      const seen = new Map<string, number>();
      for (const [a, b] of pairs) {
        const { key, sign } = plain(a, b);
        const value = sign * (evaluate(a, (k) => at[k]) - evaluate(b, (k) => at[k]));
        if (seen.has(key)) {
          met++;
          expect(value).toBeCloseTo(seen.get(key)!, 9);
        }
        seen.set(key, value);
      }
    }),
    { numRuns: 300 },
  );
  expect(met).toBeGreaterThan(50);
});
