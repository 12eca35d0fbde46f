import { borderLines, gridOf } from './margin-map';
import { leftWords, proposedRange, rangeWords, sizeWords } from './study-words';

const plane = (xs: readonly number[], ys: readonly number[], z: (x: number, y: number) => number) =>
  xs.flatMap((x) => ys.map((y) => ({ x, y, z: z(x, y) })));

test('runs on a grid make a map, whatever their order; others make none', () => {
  const points = plane([0, 1, 2], [10, 20], (x, y) => x + y);
  expect(gridOf([...points].reverse())).toEqual({ xs: [0, 1, 2], ys: [10, 20], margins: [10, 11, 12, 20, 21, 22] });
  expect(gridOf(points.slice(1))).toBeUndefined();
  expect(gridOf(plane([1], [1, 2], () => 1))).toBeUndefined();
});

test('the border is where the margin is zero, straight between runs, also where values are not even', () => {
  const xs = [0, 0.5, 1, 2, 4];
  const ys = [0, 1, 3];
  const grid = gridOf(plane(xs, ys, (x, y) => 2.5 - x - y))!;
  const lines = borderLines(grid);
  expect(lines.length).toBeGreaterThan(0);
  const points = lines.flat();
  expect(points.length).toBeGreaterThan(3);
  for (const [x, y] of points) {
    expect(x + y).toBeCloseTo(2.5, 6);
    expect(x).toBeGreaterThanOrEqual(0);
    expect(y).toBeLessThanOrEqual(3);
  }
  // where all hold, or all fail, there is none
  expect(borderLines(gridOf(plane(xs, ys, () => 1))!)).toEqual([]);
  expect(borderLines(gridOf(plane(xs, ys, () => -1))!)).toEqual([]);
});

test('ranges in words', () => {
  expect(rangeWords('8:14:13', 'vary', 'rad/s')).toBe('13 values, 0.5 rad/s apart');
  expect(rangeWords('normal(2, 0.5)', 'vary', 'A')).toBe('drawn: 68 % within 1.5 .. 2.5 A');
  expect(rangeWords('1, 2, 5', 'vary', '1')).toBe('3 values');
  expect(rangeWords('8:14', 'best', 's')).toBe('between 8 and 14 s');
  expect(rangeWords('8:14', 'vary', 's')).toBe('');
  expect(proposedRange('vary', 6)).toBe('3:9:11');
  expect(proposedRange('best', -6)).toBe('-9:-3');
  expect(proposedRange('best', undefined)).toBe('0:1');
});

test('what is left, and sizes, in words', () => {
  expect(leftWords(0, 10, 0, 1000)).toBe('');
  expect(leftWords(5, 10, 0, 10_000)).toBe('10 s left');
  expect(leftWords(1, 1000, 0, 10_000)).toBe('3 h left');
  expect(leftWords(10, 10, 0, 10_000)).toBe('nearly done');
  expect(sizeWords(291)).toBe('291 B');
  expect(sizeWords(2_910_000)).toBe('2.9 MB');
});
