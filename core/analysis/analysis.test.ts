import fc from 'fast-check';
import {
  add,
  applyFunction,
  binary,
  constant,
  divide,
  evaluate,
  multiply,
  negate,
  subtract,
  variable,
  type FlatExpr,
} from '../flatten/flat-expression';
import { differentiate, linearParts } from '../flatten/differentiate';
import { blame, explainMatching, match, matchOne } from './matching';
import { problemsOf } from '../testing/simulate-text';
import { dependencyOrder } from './order';

/** Small bipartite graphs: for each of up to 7 equations, some of 7 unknowns. */
const graphs = fc.array(fc.uniqueArray(fc.nat(6), { maxLength: 4 }), { minLength: 1, maxLength: 7 });

/** The largest number of equations that can each have an unknown of their own, by trying everything. */
function largest(adjacent: readonly (readonly number[])[], at = 0, taken = new Set<number>()): number {
  if (at === adjacent.length) return 0;
  let best = largest(adjacent, at + 1, taken);
  for (const u of adjacent[at]) {
    if (taken.has(u)) continue;
    taken.add(u);
    best = Math.max(best, 1 + largest(adjacent, at + 1, taken));
    taken.delete(u);
  }
  return best;
}

test('the matching is valid and as large as any', () => {
  fc.assert(
    fc.property(graphs, (adjacent) => {
      const m = match(adjacent, 7);
      const pairs = [...m.unknownOf].flatMap((u, e) => (u >= 0 ? [[e, u]] : []));
      for (const [e, u] of pairs) {
        expect(adjacent[e]).toContain(u);
        expect(m.equationOf[u]).toBe(e);
      }
      expect(new Set(pairs.map(([, u]) => u)).size).toBe(pairs.length);
      expect(pairs.length).toBe(largest(adjacent));
    }),
    { numRuns: 400 },
  );
});

test('adding equations one by one reaches the same size', () => {
  fc.assert(
    fc.property(graphs, (adjacent) => {
      const unknownOf = new Int32Array(adjacent.length).fill(-1);
      const equationOf = new Int32Array(7).fill(-1);
      const count = adjacent.filter((_, e) => matchOne(adjacent, e, unknownOf, equationOf)).length;
      expect(count).toBe(largest(adjacent));
    }),
  );
});

test('what explains an excess really competes for too few unknowns', () => {
  fc.assert(
    fc.property(graphs, (adjacent) => {
      const m = match(adjacent, 7);
      const { over } = explainMatching(adjacent, m, [0, 1, 2, 3, 4, 5, 6]);
      if ([...m.unknownOf].every((u) => u >= 0)) expect(over.equations).toEqual([]);
      else expect(over.equations.length).toBeGreaterThan(over.unknowns.length);
      for (const e of over.equations) for (const u of adjacent[e]) expect(over.unknowns).toContain(u);
    }),
  );
});

test('a chain of a hundred thousand is matched and ordered without exhausting the stack', () => {
  const n = 100_000;
  const adjacent = Array.from({ length: n }, (_, k) => (k === 0 ? [0] : [k - 1, k]));
  const m = match(adjacent, n);
  expect([...m.unknownOf].every((u, k) => u === k)).toBe(true);
  const components = dependencyOrder(n, (k) => (k === 0 ? [] : [k - 1]));
  expect(components).toHaveLength(n);
  expect(components[0]).toEqual([0]);
});

test('components come after everything they depend on, and mutual dependence is one component', () => {
  fc.assert(
    fc.property(fc.array(fc.uniqueArray(fc.nat(8), { maxLength: 3 }), { minLength: 9, maxLength: 9 }), (needs) => {
      const components = dependencyOrder(9, (k) => needs[k]);
      const place = new Map(components.flatMap((c, j) => c.map((k) => [k, j] as const)));
      expect(place.size).toBe(9);
      needs.forEach((list, k) => list.forEach((d) => expect(place.get(d)!).toBeLessThanOrEqual(place.get(k)!)));
      const reaches = (from: number, to: number, seen = new Set<number>()): boolean =>
        needs[from].some((d) => d === to || (!seen.has(d) && (seen.add(d), reaches(d, to, seen))));
      for (let a = 0; a < 9; a++)
        for (let b = 0; b < 9; b++)
          if (a !== b) expect(place.get(a) === place.get(b)).toBe(reaches(a, b) && reaches(b, a));
    }),
    { numRuns: 150 },
  );
});

const expressions: fc.Arbitrary<FlatExpr> = fc.letrec<{ e: FlatExpr }>((tie) => ({
  e: fc.oneof(
    { depthSize: 'small' },
    fc.constantFrom(variable(0), variable(1)),
    fc.integer({ min: -3, max: 3 }).map(constant),
    fc.tuple(tie('e'), tie('e')).map(([a, b]) => add(a, b)),
    fc.tuple(tie('e'), tie('e')).map(([a, b]) => subtract(a, b)),
    fc.tuple(tie('e'), tie('e')).map(([a, b]) => multiply(a, b)),
    tie('e').map(negate),
    tie('e').map((a) => divide(a, add(multiply(variable(1), variable(1)), constant(2)))),
    tie('e').map((a) => applyFunction('sin', [a])),
    tie('e').map((a) => applyFunction('tanh', [a])),
    tie('e').map((a) => applyFunction('atan', [a])),
    tie('e').map((a) => binary('pow', a, constant(3))),
    tie('e').map((a) => applyFunction('exp', [applyFunction('tanh', [a])])),
  ),
})).e;

test('symbolic derivatives agree with difference quotients', () => {
  fc.assert(
    fc.property(
      expressions,
      fc.double({ min: -1.5, max: 1.5, noNaN: true }),
      fc.double({ min: -1.5, max: 1.5, noNaN: true }),
      (e, x, y) => {
        const at = (u: number): number => evaluate(e, (k) => (k === 0 ? u : y));
        const h = 1e-5;
        const quotient = (at(x + h) - at(x - h)) / (2 * h);
        const second = Math.abs(at(x + h) - 2 * at(x) + at(x - h)) / h;
        if (!Number.isFinite(quotient) || Math.abs(quotient) > 1e4 || second > 1e-1) return;
        const d = differentiate(e, (leaf) => constant(leaf.op === 'var' && leaf.index === 0 ? 1 : 0));
        expect(Math.abs(evaluate(d, (k) => (k === 0 ? x : y)) - quotient)).toBeLessThan(
          1e-4 * (1 + Math.abs(quotient)),
        );
      },
    ),
    { numRuns: 400 },
  );
});

test('what is linear in an unknown is taken apart exactly', () => {
  const u = { kind: 'var', index: 0 } as const;
  const e = subtract(multiply(variable(1), add(variable(0), constant(2))), divide(variable(0), constant(4)));
  const parts = linearParts(e, u)!;
  const value = (x: number, y: number): number => evaluate(e, (k) => (k === 0 ? x : y));
  const rebuilt = (x: number, y: number): number =>
    evaluate(parts.coefficient, () => y) * x + evaluate(parts.rest, () => y);
  for (const [x, y] of [
    [1, 2],
    [-3, 0.5],
    [0, 7],
  ])
    expect(rebuilt(x, y)).toBeCloseTo(value(x, y), 12);
  expect(linearParts(multiply(variable(0), variable(0)), u)).toBeUndefined();
  expect(linearParts(applyFunction('sin', [variable(0)]), u)).toBeUndefined();
});

test('of equations that compete, the one is named that was written last in the model itself', () => {
  expect(problemsOf('model T Real a; Real b; equation b = 3; a = 2; a = b; end T;', 'T')).toEqual([
    expect.stringMatching(/"a = b;" is one too many: a, b are already determined by a = 2;, b = 3;/),
  ]);
  const inPart = 'model P Real x; Real y; equation x = 1; y = 2*x; end P; model T P p; equation p.y = 7; end T;';
  expect(problemsOf(inPart, 'T')).toEqual([expect.stringMatching(/"p\.y = 7;" is one too many/)]);
});

test('blaming keeps a matching as large and as valid as it was, and no competitor ranks higher than the blamed', () => {
  const graphs = fc.array(fc.uniqueArray(fc.nat(5), { maxLength: 4 }), { maxLength: 9 });
  fc.assert(
    fc.property(graphs, fc.infiniteStream(fc.nat(100)), (adjacent, ranks) => {
      const before = match(adjacent, 6);
      const value = adjacent.map(() => ranks.next().value as number);
      const after = blame(adjacent, before, (e) => value[e]);
      const count = (m: typeof before): number => m.unknownOf.filter((u) => u >= 0).length;
      expect(count(after)).toBe(count(before));
      after.unknownOf.forEach((u, e) => {
        if (u < 0) return;
        expect(adjacent[e]).toContain(u);
        expect(after.equationOf[u]).toBe(e);
      });
      const blamed = [...adjacent.keys()].filter((e) => after.unknownOf[e] < 0);
      const over = explainMatching(adjacent, after, [...Array(6).keys()]).over.equations;
      if (blamed.length === 1) for (const e of over) expect(value[e]).toBeLessThanOrEqual(value[blamed[0]]);
    }),
  );
});
