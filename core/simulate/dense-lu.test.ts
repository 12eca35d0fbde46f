import fc from 'fast-check';
import { luComplex, luReal, solveComplex, solveReal } from './dense-lu';

const value = fc.constantFrom<number>(0, 0, 1, -1, 2, 0.5, -3, 1e3);
/** A matrix of up to seven rows and the solution its right-hand side is made from; some of the matrices are singular. */
const systems = fc.integer({ min: 1, max: 7 }).chain((n) =>
  fc.record({
    n: fc.constant(n),
    a: fc.array(value, { minLength: n * n, maxLength: n * n }),
    b: fc.array(value, { minLength: n * n, maxLength: n * n }),
    x: fc.array(value, { minLength: n, maxLength: n }),
    y: fc.array(value, { minLength: n, maxLength: n }),
  }),
);

/** The residual after the solution is put in again, measured by the sizes that went into it. */
const small = (residual: number, size: number): void =>
  expect(Math.abs(residual)).toBeLessThanOrEqual(1e-9 * (1 + size));

test('real systems: the solution put in gives the right-hand side, with rows exchanged where the diagonal is zero', () => {
  let solved = 0;
  fc.assert(
    fc.property(systems, ({ n, a, x }) => {
      const right = Float64Array.from({ length: n }, (_, i) => x.reduce((s, xj, j) => s + a[i * n + j] * xj, 0));
      const factors = Float64Array.from(a);
      const pivots = new Int32Array(n);
      if (!luReal(n, factors, pivots)) return;
      // nearly singular ones, told by a pivot that is only rounding, have no solution worth looking at
      if (Array.from({ length: n }, (_, k) => Math.abs(factors[k * n + k])).some((d) => d < 1e-6)) return;
      solved++;
      const found = Float64Array.from(right);
      solveReal(n, factors, pivots, found);
      for (let i = 0; i < n; i++) {
        let sum = -right[i];
        let size = 0;
        for (let j = 0; j < n; j++) {
          sum += a[i * n + j] * found[j];
          size += Math.abs(a[i * n + j] * found[j]);
        }
        small(sum, size);
      }
    }),
    { numRuns: 500 },
  );
  expect(solved).toBeGreaterThan(50);
});

test('complex systems are the real ones of twice the size', () => {
  let solved = 0;
  fc.assert(
    fc.property(systems, ({ n, a, b, x, y }) => {
      const re = Float64Array.from(a);
      const im = Float64Array.from(b);
      const pivots = new Int32Array(n);
      const regular = luComplex(n, re, im, pivots);
      // [A -B; B A] [x; y] = [Ax - By; Bx + Ay]
      const m = 2 * n;
      const whole = new Float64Array(m * m);
      for (let i = 0; i < n; i++)
        for (let j = 0; j < n; j++) {
          whole[i * m + j] = whole[(n + i) * m + n + j] = a[i * n + j];
          whole[i * m + n + j] = -b[i * n + j];
          whole[(n + i) * m + j] = b[i * n + j];
        }
      const right = new Float64Array(m);
      for (let i = 0; i < m; i++)
        for (let j = 0; j < n; j++) right[i] += whole[i * m + j] * x[j] + whole[i * m + n + j] * y[j];
      const factors = Float64Array.from(whole);
      const regularWhole = luReal(m, factors, new Int32Array(m));
      const smallest = Math.min(...Array.from({ length: m }, (_, k) => Math.abs(factors[k * m + k])));
      if (!regular || !regularWhole || smallest < 1e-6) return;
      solved++;
      const br = right.slice(0, n);
      const bi = right.slice(n);
      solveComplex(n, re, im, pivots, br, bi);
      for (let i = 0; i < m; i++) {
        let sum = -right[i];
        let size = 0;
        for (let j = 0; j < m; j++) {
          const term = whole[i * m + j] * (j < n ? br[j] : bi[j - n]);
          sum += term;
          size += Math.abs(term);
        }
        small(sum, size);
      }
    }),
    { numRuns: 500 },
  );
  expect(solved).toBeGreaterThan(50);
});

test('a singular matrix and one with values that are none are told', () => {
  const pivots = new Int32Array(2);
  for (const a of [
    [0, 0, 0, 0],
    [0, 1, 0, 2],
    [1, 2, 2, 4],
    [NaN, 1, 1, 1],
    [Infinity, 1, 1, 1],
  ]) {
    expect(luReal(2, Float64Array.from(a), pivots)).toBe(false);
    expect(luComplex(2, Float64Array.from(a), new Float64Array(4), pivots)).toBe(false);
  }
  // i times the unit matrix: only the imaginary part is regular
  expect(luComplex(2, new Float64Array(4), Float64Array.of(1, 0, 0, 1), pivots)).toBe(true);
});

test('the largest entry of a column becomes the pivot: rounding stays that of the values', () => {
  // without exchange, 1e-20 as the pivot would lose the second row (Golub and Van Loan 2013, section 3.3)
  const a = Float64Array.of(1e-20, 1, 1, 1);
  const pivots = new Int32Array(2);
  expect(luReal(2, a, pivots)).toBe(true);
  const b = Float64Array.of(1, 2);
  solveReal(2, a, pivots, b);
  expect([...b]).toEqual([1, 1]);
  const re = Float64Array.of(1e-20, 1, 1, 1);
  const im = new Float64Array(4);
  expect(luComplex(2, re, im, pivots)).toBe(true);
  const br = Float64Array.of(1, 2);
  const bi = new Float64Array(2);
  solveComplex(2, re, im, pivots, br, bi);
  expect([...br, ...bi]).toEqual([1, 1, 0, 0]);
});
