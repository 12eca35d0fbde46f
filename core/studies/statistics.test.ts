import { randomFrom, shuffled, uniformAt } from '../numbers/random';
import { mostSobolDimensions, sobolPoint } from './sobol';
import { normalQuantile, studentQuantile, wilson } from './statistics';

test('quantiles as tables have them', () => {
  expect(normalQuantile(0.975)).toBeCloseTo(1.959963984540054, 12);
  expect(normalQuantile(0.5)).toBe(0);
  expect(normalQuantile(1e-10)).toBeCloseTo(-6.361340902404056, 10);
  expect(normalQuantile(0.1)).toBeCloseTo(-1.2815515655446004, 12);
  // Abramowitz and Stegun, table 26.10
  expect(studentQuantile(0.975, 1)).toBeCloseTo(12.706, 3);
  expect(studentQuantile(0.975, 2)).toBeCloseTo(4.303, 3);
  expect(studentQuantile(0.975, 5)).toBeCloseTo(2.571, 3);
  expect(studentQuantile(0.975, 30)).toBeCloseTo(2.042, 3);
  expect(studentQuantile(0.025, 10)).toBeCloseTo(-2.228, 3);
  expect(studentQuantile(0.995, 10)).toBeCloseTo(3.169, 3);
  expect(studentQuantile(0.975, 100_000)).toBeCloseTo(1.96, 3);
});
test('the interval of a share', () => {
  // Newcombe 1998, table I: 81 of 263, 15 of 148, 0 of 20, 1 of 29
  const close = (hits: number, of: number): number[] => wilson(hits, of).map((x) => Number(x.toFixed(4)));
  expect(close(81, 263)).toEqual([0.2553, 0.3662]);
  expect(close(15, 148)).toEqual([0.0624, 0.1605]);
  expect(close(0, 20)).toEqual([0, 0.1611]);
  expect(close(1, 29)).toEqual([0.0061, 0.1718]);
  expect(wilson(0, 0)).toEqual([0, 1]);
});
test('random numbers: the same by place in any order, even, and not alike for neighbouring seeds', () => {
  expect(uniformAt(3, 1000, 2)).toBe(uniformAt(3, 1000, 2));
  const all = Array.from({ length: 20_000 }, (_, k) => uniformAt(1, k));
  const mean = all.reduce((a, b) => a + b, 0) / all.length;
  expect(mean).toBeCloseTo(0.5, 2);
  expect(all.reduce((s, x) => s + (x - mean) ** 2, 0) / all.length).toBeCloseTo(1 / 12, 2);
  const other = Array.from({ length: 20_000 }, (_, k) => uniformAt(2, k));
  const covariance = all.reduce((s, x, k) => s + (x - 0.5) * (other[k] - 0.5), 0) / all.length;
  expect(Math.abs(covariance * 12)).toBeLessThan(0.03);
  const follow = all.slice(1).reduce((s, x, k) => s + (x - 0.5) * (all[k] - 0.5), 0) / all.length;
  expect(Math.abs(follow * 12)).toBeLessThan(0.03);
  expect(shuffled(50, randomFrom(1)).sort((a, b) => a - b)).toEqual(Array.from({ length: 50 }, (_, k) => k));
});
test('points of Sobol: each interval of each dimension has just one of them, and the first are known', () => {
  for (const m of [3, 6, 10]) {
    const n = 2 ** m;
    const points = Array.from({ length: n }, (_, k) => sobolPoint(k, mostSobolDimensions));
    for (let d = 0; d < mostSobolDimensions; d++) expect(new Set(points.map((p) => Math.floor(p[d] * n))).size).toBe(n);
    // pairs of the first two dimensions: each elementary box has one
    for (let a = 0; a <= m; a++)
      expect(new Set(points.map((p) => `${Math.floor(p[0] * 2 ** a)} ${Math.floor(p[1] * 2 ** (m - a))}`)).size).toBe(
        n,
      );
  }
  const first = Array.from({ length: 4 }, (_, k) => sobolPoint(k, 3).map((x) => Number(x.toFixed(6))));
  expect(first).toEqual([
    [0, 0, 0],
    [0.5, 0.5, 0.5],
    [0.75, 0.25, 0.25],
    [0.25, 0.75, 0.75],
  ]);
});
