import fc from 'fast-check';
import { BlockFailure, newton, newtonWork, solveDense } from './newton';

/** Solves f(x) = 0 from a first guess; the Jacobian is that of the last residual, as generated code has it. */
function solve(
  start: readonly number[],
  f: (x: Float64Array) => number[],
  jacobian: (x: Float64Array) => number[],
  linear = false,
): number[] {
  const work = newtonWork(start.length);
  work.x.set(start);
  let last = Float64Array.from(start);
  newton(
    7,
    linear,
    work,
    (x, r) => {
      last = Float64Array.from(x);
      r.set(f(x));
    },
    (J) => J.set(jacobian(last)),
  );
  return [...work.x];
}
const failure = (run: () => unknown): string => {
  try {
    run();
  } catch (error) {
    if (error instanceof BlockFailure) return `${error.block} ${error.reason}`;
    throw error;
  }
  return 'solved';
};

test('a linear system is solved in one step, also from far away', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 5 }).chain((n) =>
        fc.record({
          n: fc.constant(n),
          a: fc.array(fc.integer({ min: -3, max: 3 }), { minLength: n * n, maxLength: n * n }),
          x: fc.array(fc.integer({ min: -9, max: 9 }), { minLength: n, maxLength: n }),
          start: fc.array(fc.constantFrom(0, 1, 1e6), { minLength: n, maxLength: n }),
        }),
      ),
      ({ n, a, x, start }) => {
        // the diagonal outweighs its row, so that no matrix is singular
        const A = a.map((v, k) => (k % (n + 1) === 0 ? 20 + v : v));
        const b = Array.from({ length: n }, (_, i) => x.reduce((s, xj, j) => s + A[i * n + j] * xj, 0));
        const f = (at: Float64Array): number[] =>
          b.map((bi, i) => at.reduce((s, xj, j) => s + A[i * n + j] * xj, 0) - bi);
        const found = solve(start, f, () => A, true);
        found.forEach((v, k) => expect(v).toBeCloseTo(x[k], 9));
        const dense = Float64Array.from(b);
        expect(solveDense(n, Float64Array.from(A), dense)).toBe(true);
        dense.forEach((v, k) => expect(v).toBeCloseTo(x[k], 10));
      },
    ),
    { numRuns: 100 },
  );
});

test('a singular linear system is told with its block, one that is met already is left as it is', () => {
  expect(
    failure(() =>
      solve(
        [1, 1],
        () => [1, 2],
        () => [1, 2, 2, 4],
        true,
      ),
    ),
  ).toBe('7 singular');
  expect(
    solve(
      [3, 4],
      () => [0, 0],
      () => [1, 2, 2, 4],
      true,
    ),
  ).toEqual([3, 4]);
});

test('roots are met to the last digits, from guesses where a full step leads away as well', () => {
  // arctan: the full step from beyond 1.39 leads ever farther away (Dennis and Schnabel 1983, section 6.3)
  for (const start of [0.5, 1.4, 3, 20, -50])
    expect(
      solve(
        [start],
        (x) => [Math.atan(x[0])],
        (x) => [1 / (1 + x[0] ** 2)],
      )[0],
    ).toBeCloseTo(0, 12);
  const cube = (c: number, start: number): number =>
    solve(
      [start],
      (x) => [x[0] ** 3 - c],
      (x) => [3 * x[0] ** 2],
    )[0];
  fc.assert(
    fc.property(fc.double({ min: 1e-3, max: 1e6, noNaN: true }), fc.constantFrom(1, 10, 0.1), (c, start) => {
      expect(Math.abs(cube(c, start) / Math.cbrt(c) - 1)).toBeLessThan(1e-12);
    }),
  );
});

test('a guess where the slope is zero is moved beside itself', () => {
  const found = solve(
    [0],
    (x) => [x[0] ** 2 - 4],
    (x) => [2 * x[0]],
  )[0];
  expect(Math.abs(found)).toBeCloseTo(2, 12);
});

test('a guess where the formula has no value is replaced by ones', () => {
  expect(
    solve(
      [-1],
      (x) => [Math.log(x[0]) - 1],
      (x) => [1 / x[0]],
    )[0],
  ).toBeCloseTo(Math.E, 12);
  expect(
    failure(() =>
      solve(
        [0],
        () => [NaN],
        () => [1],
      ),
    ),
  ).toBe('7 not-finite');
});

test('two equations that meet nowhere are told, and what was tried is bounded', () => {
  let looks = 0;
  expect(
    failure(() =>
      solve(
        [0.3],
        (x) => {
          looks++;
          return [x[0] ** 2 + 1];
        },
        (x) => [2 * x[0]],
      ),
    ),
  ).toBe('7 no-convergence');
  expect(looks).toBeLessThan(30_000);
});

test('a curve and a circle: the intersection near the guess', () => {
  // x^2 + y^2 = 4 and x y = 1
  const at = (x0: number, y0: number): number[] =>
    solve(
      [x0, y0],
      ([x, y]) => [x * x + y * y - 4, x * y - 1],
      ([x, y]) => [2 * x, 2 * y, y, x],
    );
  const far = Math.sqrt(2 + Math.sqrt(3));
  const near = Math.sqrt(2 - Math.sqrt(3));
  const [a, b] = at(2, 0.5);
  expect([a, b]).toEqual([expect.closeTo(far, 12), expect.closeTo(near, 12)]);
  const [c, d] = at(-0.5, -2);
  expect([c, d]).toEqual([expect.closeTo(-near, 12), expect.closeTo(-far, 12)]);
});

test('dense elimination exchanges rows and refuses what is singular or no number', () => {
  const b = Float64Array.of(1, 2, 3);
  expect(solveDense(3, Float64Array.of(0, 0, 1, 1, 0, 0, 0, 1, 0), b)).toBe(true);
  expect([...b]).toEqual([2, 3, 1]);
  expect(solveDense(2, Float64Array.of(1, 1, 1, 1), Float64Array.of(1, 2))).toBe(false);
  expect(solveDense(1, Float64Array.of(0), Float64Array.of(1))).toBe(false);
  expect(solveDense(2, Float64Array.of(NaN, 1, 1, 1), Float64Array.of(1, 2))).toBe(false);
});
