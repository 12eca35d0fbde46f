import fc from 'fast-check';
import { newPast, notePast, readPast } from './delay-line';

const line = (points: readonly (readonly [number, number])[]) => {
  const past = newPast();
  for (const [t, x] of points) notePast(past, t, x);
  return past;
};

test('polynomials up to the fifth degree come back, whatever the distances between the points', () => {
  fc.assert(
    fc.property(
      fc.array(fc.integer({ min: -3, max: 3 }), { minLength: 6, maxLength: 6 }),
      fc.array(fc.double({ min: 0.1, max: 1, noNaN: true }), { minLength: 12, maxLength: 12 }),
      fc.double({ min: 0.35, max: 0.65, noNaN: true }),
      (coefficients, gaps, share) => {
        const p = (t: number): number => coefficients.reduceRight((sum, c) => sum * t + c, 0);
        let t = 0;
        const times = gaps.map((g) => (t += g));
        const past = line(times.map((at) => [at, p(at / t)]));
        const end = times[times.length - 1];
        // between inner points, where three lie on both sides
        const at = times[2] + share * (times[8] - times[2]);
        expect(readPast(past, end, end - at)).toBeCloseTo(p(at / t), 9);
      },
    ),
    { numRuns: 200 },
  );
});

test('before the first value and after the last the nearest holds; of nothing it is zero', () => {
  const past = line([
    [1, 5],
    [2, 7],
  ]);
  expect(readPast(past, 3, 10)).toBe(5);
  expect(readPast(past, 1, 0)).toBe(5);
  expect(readPast(past, 9, 0.5)).toBe(7);
  expect(readPast(past, 2.5, 1)).toBe(6);
  expect(readPast(newPast(), 3, 1)).toBe(0);
});

test('a jump is two values at one moment: nothing is drawn over it from either side', () => {
  const past = line([
    [0, 0],
    [1, 0],
    [2, 0],
    [3, 0],
    [3, 10],
    [4, 10],
    [5, 10],
    [6, 10],
  ]);
  for (const t of [0.5, 1.5, 2.5, 2.999]) expect(readPast(past, 6, 6 - t)).toBe(0);
  for (const t of [3, 3.001, 3.5, 4.5, 5.5]) expect(readPast(past, 6, 6 - t)).toBeCloseTo(10, 12);
});

test('what is noted again at the same moment takes the place of the last, what is earlier is not taken', () => {
  const past = newPast();
  notePast(past, 1, 5);
  notePast(past, 1, 5);
  expect(past.times).toEqual([1]);
  notePast(past, 1, 6);
  notePast(past, 1, 7);
  expect([past.times, past.values]).toEqual([
    [1, 1],
    [5, 7],
  ]);
  notePast(past, 0.5, 9);
  expect(past.times).toEqual([1, 1]);
  notePast(past, 2, 7);
  expect(past.times).toEqual([1, 1, 2]);
});

test('it notes how short and how long the delays are that were asked for', () => {
  const past = line([
    [0, 1],
    [1, 2],
  ]);
  readPast(past, 1, 0.5);
  readPast(past, 1, 0.2);
  readPast(past, 1, 0.9);
  readPast(past, 1, 0);
  expect([past.shortest, past.longest]).toEqual([0.2, 0.9]);
});

test('what no delay reaches any more is given up, and what one reaches stays right', () => {
  const past = newPast();
  const f = (t: number): number => Math.sin(t);
  for (let k = 0; k <= 60_000; k++) {
    const t = k * 0.01;
    notePast(past, t, f(t));
    if (k % 7 === 0) expect(readPast(past, t, 1)).toBeCloseTo(f(Math.max(0, t - 1)), 9);
  }
  expect(past.times.length - past.from).toBeLessThan(200);
  expect(past.times.length).toBeLessThan(11_000);
});
