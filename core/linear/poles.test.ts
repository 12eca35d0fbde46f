import fc from 'fast-check';
import { magnitude, over, plus, timesComplex, type Complex } from './complex';
import { frequencyResponse } from './frequency-response';
import type { LinearModel } from './linearise';
import { eigenvalues, polesOf, zerosOf } from './poles';
import { exponential } from './matrices';
import { sampledModel } from './sampled-model';

/** Poles and zeros, and models from tick to tick, against polynomials and closed forms. */

/** b(s)/a(s) in controllable canonical form, highest power first. */
function modelOf(b: readonly number[], a: readonly number[]): LinearModel {
  const n = a.length - 1;
  const bb = [...Array<number>(n + 1 - b.length).fill(0), ...b].map((x) => x / a[0]);
  const aa = a.map((x) => x / a[0]);
  const A = Array.from({ length: n }, (_, i) =>
    Float64Array.from({ length: n }, (_, j) => (i < n - 1 ? Number(j === i + 1) : -aa[n - j])),
  );
  return {
    states: A.map((_, k) => k),
    inputs: [0],
    outputs: [0],
    A,
    B: A.map((_, i) => Float64Array.of(i === n - 1 ? 1 : 0)),
    C: [Float64Array.from({ length: n }, (_, j) => bb[n - j] - aa[n - j] * bb[0])],
    D: [Float64Array.of(bb[0])],
    delays: [],
  };
}
const polynomial = (roots: readonly Complex[]): number[] =>
  roots
    .reduce<Complex[]>(
      (all, root) =>
        Array.from({ length: all.length + 1 }, (_, k) => {
          const [re, im] = k > 0 ? timesComplex(all[k - 1], root) : [0, 0];
          return plus(k < all.length ? all[k] : [0, 0], [-re, -im]);
        }),
      [[1, 0]],
    )
    .map(([re]) => re);
const value = (p: readonly number[], s: Complex): Complex =>
  p.reduce<Complex>((sum, c) => plus(timesComplex(sum, s), [c, 0]), [0, 0]);
/** The largest distance of one set of points from the nearest of another. */
const apart = (found: readonly Complex[], wanted: readonly Complex[]): number =>
  Math.max(0, ...wanted.map((w) => Math.min(...found.map((f) => magnitude([f[0] - w[0], f[1] - w[1]])))));

const stable = fc.integer({ min: 1, max: 60 }).map((x): Complex[] => [[-x / 7, 0]]);
const swinging = fc
  .tuple(fc.integer({ min: 1, max: 30 }), fc.integer({ min: 1, max: 40 }))
  .map(([re, im]): Complex[] => [
    [-re / 7, im / 5],
    [-re / 7, -im / 5],
  ]);
const roots = (most: number) =>
  fc
    .uniqueArray(fc.oneof(stable, swinging), { maxLength: most, minLength: 1, selector: (x) => JSON.stringify(x) })
    .map((all) => all.flat());

test('poles and zeros of transfer functions are the roots of their polynomials', () => {
  fc.assert(
    fc.property(roots(3), roots(2), (poles, zeros) => {
      fc.pre(zeros.length <= poles.length);
      const model = modelOf(polynomial(zeros), polynomial(poles));
      expect(polesOf(model)).toHaveLength(poles.length);
      expect(apart(polesOf(model), poles)).toBeLessThan(1e-4);
      expect(zerosOf(model)).toHaveLength(zeros.length);
      expect(apart(zerosOf(model)!, zeros)).toBeLessThan(1e-4);
    }),
    { numRuns: 150 },
  );
});

test('states of very different sizes lose no digits', () => {
  const A = [Float64Array.of(-1, 1e9, 0), Float64Array.of(-4e-9, -2, 1e-6), Float64Array.of(0, 0, -300)];
  const [slow, conjugate, fast] = eigenvalues(A);
  // s^2 + 3 s + 6
  expect(slow).toEqual([expect.closeTo(-1.5, 10), expect.closeTo(Math.sqrt(15) / 2, 10)]);
  expect(conjugate[1]).toBeCloseTo(-slow[1], 12);
  expect(fast).toEqual([expect.closeTo(-300, 8), 0]);
});

test('what never comes out has no zeros to speak of, and a gain alone none', () => {
  const model = modelOf([1], [1, 3, 2]);
  expect(zerosOf(model)).toEqual([]);
  expect(zerosOf({ ...model, C: [Float64Array.of(0, 0)] })).toBeUndefined();
  expect(eigenvalues([])).toEqual([]);
});

test('the exponential of a matrix', () => {
  // a rotation, and one that grows and shears
  const turn = exponential([Float64Array.of(0, -3), Float64Array.of(3, 0)]);
  expect([...turn[0], ...turn[1]]).toEqual(
    [Math.cos(3), -Math.sin(3), Math.sin(3), Math.cos(3)].map((x) => expect.closeTo(x, 12)),
  );
  const shear = exponential([Float64Array.of(2, 5), Float64Array.of(0, 2)]);
  expect([...shear[0], ...shear[1]]).toEqual(
    [Math.exp(2), 5 * Math.exp(2), 0, Math.exp(2)].map((x) => expect.closeTo(x, 11)),
  );
});

describe('from tick to tick', () => {
  const T = 0.1;
  const at = (model: LinearModel, z: Complex): Complex => frequencyResponse(model).at(z);

  test('hold: a first-order lag and a double integrator', () => {
    const lag = sampledModel(modelOf([3], [0.5, 1]), T, 'hold');
    expect(lag.A[0][0]).toBeCloseTo(Math.exp(-T / 0.5), 14);
    expect(lag.C[0][0] * lag.B[0][0]).toBeCloseTo(3 * (1 - Math.exp(-T / 0.5)), 14);
    const twice = sampledModel(modelOf([1], [1, 0, 0]), T, 'hold');
    // T^2/2 (z + 1)/(z - 1)^2
    const z: Complex = [0.3, 0.8];
    const wanted = over(
      timesComplex([(T * T) / 2, 0], [z[0] + 1, z[1]]),
      timesComplex([z[0] - 1, z[1]], [z[0] - 1, z[1]]),
    );
    at(twice, z).forEach((x, k) => expect(x).toBeCloseTo(wanted[k], 12));
  });

  test.each<['tustin' | 'backward', (z: Complex) => Complex]>([
    ['tustin', (z) => timesComplex([2 / T, 0], over([z[0] - 1, z[1]], [z[0] + 1, z[1]]))],
    ['backward', (z) => over([z[0] - 1, z[1]], [T * z[0], T * z[1]])],
  ])('%s: the continuous one with its expression for s', (method, s) => {
    fc.assert(
      fc.property(roots(2), roots(2), fc.integer({ min: 1, max: 30 }), (poles, zeros, angle) => {
        fc.pre(zeros.length <= poles.length);
        const [b, a] = [polynomial(zeros), polynomial(poles)];
        const model = sampledModel(modelOf(b, a), T, method);
        const z: Complex = [Math.cos(angle / 10), Math.sin(angle / 10)];
        const wanted = over(value(b, s(z)), value(a, s(z)));
        const found = at(model, z);
        const size = magnitude(wanted);
        found.forEach((x, k) => expect(Math.abs(x - wanted[k])).toBeLessThan(1e-9 * Math.max(1, size)));
      }),
      { numRuns: 60 },
    );
  });
});
