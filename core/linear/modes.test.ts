import fc from 'fast-check';
import type { LinearModel } from './linearise';
import { modesOf } from './modes';

const model = (A: number[][], B: number[], C: number[]): LinearModel => ({
  states: A.map((_, k) => k),
  inputs: [0],
  outputs: [0],
  A: A.map((r) => Float64Array.from(r)),
  B: B.map((x) => Float64Array.of(x)),
  C: [Float64Array.from(C)],
  D: [Float64Array.of(0)],
  delays: [],
});
const names = (n: number): string[] => Array.from({ length: n }, (_, k) => `x${k + 1}`);
const look = (A: number[][], B: number[], C: number[], every?: number) =>
  modesOf(model(A, B, C), names(A.length), every)!;

test('time constants, frequencies and damping: a lag, a swing, what grows', () => {
  const [slow, swing] = look(
    [
      [-0.5, 0, 0],
      [0, 0, 1],
      [0, -25, -2],
    ],
    [1, 0, 1],
    [1, 1, 0],
  );
  expect(slow.timeConstant).toBeCloseTo(2, 9);
  expect(slow.states).toEqual(['x1']);
  expect([swing.frequency, swing.damping, swing.timeConstant]).toEqual([5, 0.2, 1].map((x) => expect.closeTo(x, 9)));
  expect(look([[3]], [1], [1])[0]).toMatchObject({ timeConstant: expect.closeTo(-1 / 3, 9), damping: -1 });
  expect(look([[0]], [1], [1])[0]).toMatchObject({ timeConstant: Infinity, reached: 1, seen: 1 });
  // from tick to tick: z = exp(-0.1/2)
  expect(look([[Math.exp(-0.05)]], [1], [1], 0.1)[0].timeConstant).toBeCloseTo(2, 9);
});

test('a mode the input does not push, and one the output does not show, are told with their states', () => {
  const modes = look(
    [
      [-1, 0, 0],
      [0, -2, 0],
      [0, 0, -3],
    ],
    [1, 0, 1],
    [1, 1, 0],
  );
  expect(modes.map((m) => [m.states, m.reached > 0, m.seen > 0])).toEqual([
    [['x1'], true, true],
    [['x2'], false, true],
    [['x3'], true, false],
  ]);
});

test('two equal lags side by side: their difference can never be moved; one after the other they can', () => {
  expect(
    look(
      [
        [-1, 0],
        [0, -1],
      ],
      [1, 1],
      [1, 1],
    ),
  ).toMatchObject([{ times: 2, reached: 0, seen: 0 }]);
  const [row] = look(
    [
      [-1, 0],
      [1, -1],
    ],
    [1, 0],
    [0, 1],
  );
  expect(row.reached).toBeGreaterThan(0.5);
});

test('a pole that is nearly cancelled by a zero is hardly reached, the nearer the less', () => {
  const cancelled = (d: number) =>
    look(
      [
        [-1, 0],
        [1, -2],
      ],
      [1, 1 - d],
      [0, 1],
    ).find((m) => Math.abs(m.pole[0] + 2) < 1e-6)!;
  // w = (1, -1) for -2: w b = d
  expect(cancelled(0).reached).toBe(0);
  expect(cancelled(0.01).reached).toBeLessThan(0.01);
  expect(cancelled(1e-4).reached / cancelled(0.01).reached).toBeCloseTo(0.01, 3);
});

test('other units of the states change nothing', () => {
  fc.assert(
    fc.property(
      fc.array(fc.integer({ min: -6, max: 6 }), { minLength: 3, maxLength: 3 }),
      fc.array(
        fc.integer({ min: -30, max: 30 }).map((k) => k / 10),
        { minLength: 15, maxLength: 15 },
      ),
      (powers, x) => {
        const A = [0, 1, 2].map((i) => [0, 1, 2].map((j) => x[3 * i + j] - (i === j ? 5 : 0)));
        const [B, C] = [x.slice(9, 12), x.slice(12, 15)];
        const s = powers.map((p) => 10 ** p);
        const one = look(A, B, C);
        const other = look(
          A.map((r, i) => r.map((a, j) => (a * s[j]) / s[i])),
          B.map((b, i) => b / s[i]),
          C.map((c, i) => c * s[i]),
        );
        // what is reached or seen at all does not depend on the units
        expect(other.map((m) => [m.reached > 0, m.seen > 0])).toEqual(one.map((m) => [m.reached > 0, m.seen > 0]));
        other.forEach((m, k) => expect(m.frequency / one[k].frequency).toBeCloseTo(1, 5));
      },
    ),
    { numRuns: 40 },
  );
});

test('how far a mode is reached and seen does not rest on the units either, but for the rounding of scales to powers of two', () => {
  const [A, B, C] = [
    [
      [-1, 0.4, 0.2],
      [0.3, -2, 0.5],
      [0.1, 0.6, -3],
    ],
    [1, 0.2, 0.1],
    [0.3, 1, 0.2],
  ];
  const s = [2 ** 20, 2 ** -12, 1];
  const one = look(A, B, C);
  const other = look(
    A.map((r, i) => r.map((a, j) => (a * s[j]) / s[i])),
    B.map((b, i) => b / s[i]),
    C.map((c, i) => c * s[i]),
  );
  other.forEach((m, k) => {
    expect(m.reached).toBeCloseTo(one[k].reached, 9);
    expect(m.seen).toBeCloseTo(one[k].seen, 9);
  });
});
