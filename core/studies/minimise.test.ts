import { differentialEvolution, isBetter, nelderMead, type Bounds, type Evaluate } from './minimise';

const box = (low: number, high: number, n: number, isWhole = false): Bounds => ({
  low: Array.from({ length: n }, () => low),
  high: Array.from({ length: n }, () => high),
  isWhole: Array.from({ length: n }, () => isWhole),
});
const plain =
  (f: (p: readonly number[]) => number, broken: (p: readonly number[]) => number = () => 0): Evaluate =>
  async (points) =>
    points.map((p) => ({ value: f(p), broken: Math.max(0, broken(p)) }));
const rosenbrock = ([x, y]: readonly number[]): number => 100 * (y - x * x) ** 2 + (1 - x) ** 2;
const rastrigin = (p: readonly number[]): number =>
  p.reduce((s, x) => s + x * x - 10 * Math.cos(2 * Math.PI * x) + 10, 0);

test('the valley of Rosenbrock, by both methods', async () => {
  const far = await nelderMead(plain(rosenbrock), box(-3, 3, 2), { most: 2000, start: [-1.2, 1] });
  expect(far!.point.map((x) => Number(x.toFixed(4)))).toEqual([1, 1]);
  expect(far!.settled).toBe(true);
  const all = await differentialEvolution(plain(rosenbrock), box(-3, 3, 2), { most: 6000, seed: 2 });
  expect(all!.worth.value).toBeLessThan(1e-8);
});
test('among many low points the lowest is found; the same seed takes the same way', async () => {
  const find = () => differentialEvolution(plain(rastrigin), box(-5.12, 4.3, 3), { most: 9000, seed: 4 });
  const found = await find();
  expect(Math.max(...found!.point.map(Math.abs))).toBeLessThan(1e-4);
  expect((await find())!.path).toEqual(found!.path);
  // each step of the way is better than the one before
  for (let k = 1; k < found!.path.length; k++)
    expect(isBetter(found!.path[k].worth, found!.path[k - 1].worth)).toBe(true);
});
test('constraints: the nearest point of a disc, on its edge; whole numbers; the edge of the box', async () => {
  const far = ([x, y]: readonly number[]): number => (x - 2) ** 2 + (y - 1) ** 2;
  const disc = ([x, y]: readonly number[]): number => x * x + y * y - 1;
  const found = await differentialEvolution(plain(far, disc), box(-2, 2, 2), { most: 4000, seed: 1 });
  expect(found!.worth.broken).toBe(0);
  expect(found!.point[0]).toBeCloseTo(2 / Math.sqrt(5), 3);
  const whole = await differentialEvolution(
    plain(([x, y]) => (x - 2.4) ** 2 + (y + 3.7) ** 2),
    box(-9, 9, 2, true),
    { most: 900, seed: 1 },
  );
  expect(whole!.point).toEqual([2, -4]);
  const edge = await nelderMead(
    plain(([x, y]) => x + 2 * y),
    box(1, 5, 2),
    { most: 500, start: [3, 4] },
  );
  expect(edge!.point.map((x) => Number(x.toFixed(5)))).toEqual([1, 1]);
});
test('where nothing may be, the least broken point; what is stopped gives what there is', async () => {
  const none = await differentialEvolution(
    plain(
      () => 0,
      ([x]) => 5 + x * x,
    ),
    box(-2, 2, 1),
    { most: 600, seed: 1 },
  );
  expect(none!.worth.broken).toBeCloseTo(5, 4);
  let calls = 0;
  const stopping: Evaluate = async (points) => (calls++ > 2 ? [] : points.map(([x]) => ({ value: x * x, broken: 0 })));
  const stopped = await differentialEvolution(stopping, box(-2, 2, 1), { most: 1000, seed: 1 });
  expect(stopped!.settled).toBe(false);
  expect(stopped!.worth.value).toBeLessThan(1);
});
