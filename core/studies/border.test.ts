import { borderOf, dominates, ranksOf, type Worths } from './border';

const evaluate = (of: (x: readonly number[]) => Worths) => async (points: readonly (readonly number[])[]) =>
  points.map(of);

test('the border of Zitzler, Deb and Thiele (2000), number 1: f2 = 1 - sqrt(f1)', async () => {
  const of = (x: readonly number[]): Worths => {
    const g = 1 + (9 * x.slice(1).reduce((s, v) => s + v, 0)) / (x.length - 1);
    return { broken: 0, aims: [x[0], g * (1 - Math.sqrt(x[0] / g))] };
  };
  const bounds = { low: [0, 0, 0, 0], high: [1, 1, 1, 1], isWhole: [false, false, false, false] };
  const { points, evaluations } = await borderOf(evaluate(of), bounds, { most: 3000, seed: 1 });
  expect(evaluations).toBe(3000);
  expect(points.length).toBeGreaterThan(40);
  for (const { worth } of points) {
    const [f1, f2] = worth.aims;
    expect(Math.abs(f2 - (1 - Math.sqrt(f1)))).toBeLessThan(0.03);
  }
  // it spans the whole border, without gaps
  const firsts = points.map((p) => p.worth.aims[0]);
  expect(firsts[0]).toBeLessThan(0.01);
  expect(firsts.at(-1)).toBeGreaterThan(0.95);
  expect(Math.max(...firsts.slice(1).map((x, k) => x - firsts[k]))).toBeLessThan(0.1);
  // none is better than another
  expect(points.some((a) => points.some((b) => dominates(a.worth, b.worth)))).toBe(false);
});

test('constraints come first: the border of Binh and Korn (1997)', async () => {
  const of = ([x, y]: readonly number[]): Worths => ({
    broken: Math.max(0, (x - 5) ** 2 + y ** 2 - 25) + Math.max(0, 7.7 - (x - 8) ** 2 - (y + 3) ** 2),
    aims: [4 * x ** 2 + 4 * y ** 2, (x - 5) ** 2 + (y - 5) ** 2],
  });
  const bounds = { low: [0, 0], high: [5, 3], isWhole: [false, false] };
  const { points } = await borderOf(evaluate(of), bounds, { most: 2000, seed: 3 });
  expect(points.every((p) => p.worth.broken === 0)).toBe(true);
  // on it x = y up to 3, then y = 3
  const best = (f1: number): number =>
    f1 <= 72 ? 2 * (Math.sqrt(f1 / 8) - 5) ** 2 : (Math.sqrt((f1 - 36) / 4) - 5) ** 2 + 4;
  for (const { worth } of points) {
    const [f1, f2] = worth.aims;
    expect(f2).toBeGreaterThan(best(f1) - 1e-9);
    expect(f2).toBeLessThan(best(f1) + 0.6);
  }
  expect(points[0].worth.aims[0]).toBeLessThan(1);
  expect(points.at(-1)!.worth.aims[1]).toBeLessThan(4.3);
});

test('the same from one seed, whole numbers stay whole and end by themselves, and where nothing may be the least broken is told', async () => {
  const bounds = { low: [0, 0], high: [3, 3], isWhole: [true, true] };
  const of = ([x, y]: readonly number[]): Worths => ({ broken: 0, aims: [x + y, 6 - x - y + 0.1 * x] });
  const first = await borderOf(evaluate(of), bounds, { most: 500, seed: 2 });
  expect(await borderOf(evaluate(of), bounds, { most: 500, seed: 2 })).toEqual(first);
  expect(first.evaluations).toBeLessThanOrEqual(16);
  expect(first.points.map((p) => p.point.join())).toEqual(['0,0', '0,1', '0,2', '0,3', '1,3', '2,3', '3,3']);
  const never = await borderOf(
    evaluate(([x, y]) => ({ broken: 1 + x, aims: [y, -y] })),
    bounds,
    { most: 500, seed: 2 },
  );
  expect(never.points.every((p) => p.point[0] === 0)).toBe(true);
});

test('ranks, and what stops in between keeps what is there', async () => {
  const w = (...aims: number[]): Worths => ({ broken: 0, aims });
  expect(ranksOf([w(1, 4), w(2, 2), w(3, 3), w(4, 4), { broken: 1, aims: [0, 0] }])).toEqual([0, 0, 1, 2, 3]);
  const bounds = { low: [0], high: [1], isWhole: [false] };
  let asked = 0;
  const { points, evaluations } = await borderOf(
    async (p) => {
      asked += p.length;
      return asked > 30 ? p.slice(0, 3).map(([x]) => w(x, -x)) : p.map(([x]) => w(x, -x));
    },
    bounds,
    { most: 1000, seed: 1 },
  );
  expect(evaluations).toBeLessThan(200);
  expect(points.length).toBe(evaluations);
});
