import { indicesOf, mattersPoints } from './matters';

const ranges = ['x1', 'x2', 'x3'].map((name) => ({ name, low: -Math.PI, high: Math.PI }));
const ishigami = ([a, b, c]: readonly number[]): number =>
  Math.sin(a) + 7 * Math.sin(b) ** 2 + 0.1 * c ** 4 * Math.sin(a);

test('the function of Ishigami and Homma (1990), whose indices are known', () => {
  const points = mattersPoints(ranges, 4096);
  expect(points).toHaveLength(4096 * 5);
  const { values, variance } = indicesOf(ranges, points.map(ishigami));
  const known = { first: [0.3139, 0.4424, 0], total: [0.5576, 0.4424, 0.2437] };
  values.forEach((v, k) => {
    expect(v.first).toBeCloseTo(known.first[k], 2);
    expect(v.total).toBeCloseTo(known.total[k], 2);
    expect(Math.abs(v.first - known.first[k])).toBeLessThan(5 * v.firstError + 0.002);
  });
  expect(variance).toBeCloseTo(13.8446, 1);
});
test('a sum: first and total are the same; what does nothing has none; failed runs are left out', () => {
  const points = mattersPoints(ranges, 512);
  const results = points.map(([a, b]) => 2 * a + b);
  const { values } = indicesOf(ranges, results);
  expect(values.map((v) => [Number(v.first.toFixed(2)), Number(v.total.toFixed(2))])).toEqual([
    [0.8, 0.8],
    [0.2, 0.2],
    [0, 0],
  ]);
  const holes = indicesOf(
    ranges,
    results.map((x, k) => (k % 50 === 7 ? undefined : x)),
  );
  expect(holes.leftOut).toBe(Math.ceil(results.length / 50));
  expect(holes.values[0].total).toBeCloseTo(0.8, 1);
  expect(
    indicesOf(
      ranges,
      points.map(() => 4),
    ).values.every((v) => v.first === 0 && v.total === 0),
  ).toBe(true);
});
