import fc from 'fast-check';
import type { Memory } from '../program/machine';
import type { Program } from '../program/program';
import { createCrossingLocator } from './crossings';

/** A locator over signals of time: condition k holds while signal k is above zero, and is held as it was at `from`. */
function over(signals: readonly ((t: number) => number)[], from: number) {
  const n = signals.length;
  const memory = { m: new Float64Array(n), live: new Float64Array(n), z: new Float64Array(n) } as unknown as Memory;
  const looks: number[] = [];
  let now = from;
  const conditions = (t: number): void => {
    expect(t).toBe(now);
    signals.forEach((f, k) => {
      memory.z[k] = f(t);
      memory.live[k] = Number(f(t) > 0);
    });
  };
  conditions(from);
  memory.m.set(memory.live);
  const locator = createCrossingLocator(
    { modes: signals.map(() => ({})) } as unknown as Program,
    memory,
    (t) => {
      now = t;
      looks.push(t);
    },
    conditions,
  );
  return { locate: (to: number) => locator.locate(from, to), looks, memory };
}
const first = (signals: readonly ((t: number) => number)[], from: number, to: number): number | undefined =>
  over(signals, from).locate(to);

test('the first of many crossings is met to rounding, whichever signal has it', () => {
  const root = fc.double({ min: 0.05, max: 3, noNaN: true });
  fc.assert(
    fc.property(
      fc.array(fc.tuple(root, fc.constantFrom(1, -1, 30, -0.01)), { minLength: 1, maxLength: 6 }),
      (lines) => {
        const found = first(
          lines.map(
            ([at, slope]) =>
              (t: number): number =>
                slope * (t - at) + slope * (t - at) ** 3,
          ),
          0,
          2,
        );
        const expected = Math.min(...lines.map(([at]) => at));
        if (expected > 2) expect(found).toBeUndefined();
        else expect(Math.abs(found! - expected)).toBeLessThan(1e-14);
      },
    ),
    { numRuns: 300 },
  );
});

test('what is found is the later of two neighbouring moments between which the condition changes', () => {
  fc.assert(
    fc.property(fc.double({ min: 0.1, max: 0.9, noNaN: true }), fc.constantFrom(1, 100, 1e-3), (at, rate) => {
      const f = (t: number): number => Math.expm1(rate * (t - at));
      const found = first([f], 0, 1)!;
      expect(f(found)).toBeGreaterThan(0);
      expect(f(found - 8 * Number.EPSILON)).toBeLessThanOrEqual(0);
    }),
  );
});

test('a signal that passes its level and comes back between two looks is seen by its bend', () => {
  const share = fc.double({ min: 0.03, max: 0.97, noNaN: true });
  fc.assert(
    fc.property(
      share,
      fc.double({ min: 2e-3, max: 0.1, noNaN: true }),
      fc.constantFrom(1, -1),
      (middle, half, sign) => {
        // above or below zero but for a short while around the middle
        const f = (t: number): number => sign * ((t - middle) ** 2 - half ** 2);
        fc.pre(middle - half > 0.01);
        expect(first([f], 0, 1)).toBeCloseTo(middle - half, 12);
      },
    ),
    { numRuns: 300 },
  );
});

test('one that turns just before its level does not reach it', () => {
  fc.assert(
    fc.property(
      fc.double({ min: 0.05, max: 0.95, noNaN: true }),
      fc.double({ min: 1e-9, max: 0.1, noNaN: true }),
      fc.constantFrom(1, -1),
      (middle, distance, sign) => {
        expect(first([(t) => sign * ((t - middle) ** 2 + distance)], 0, 1)).toBeUndefined();
      },
    ),
    { numRuns: 200 },
  );
});

test('bends that are no parabolas: a swing and a bump', () => {
  // a sine whose crest passes 0.999 for 0.09 of a step of one
  const crest = (t: number): number => Math.sin(3 * (t - 0.31)) - 0.999;
  expect(first([crest], 0, 1)).toBeCloseTo(0.31 + Math.asin(0.999) / 3, 10);
  const bump = (t: number): number => Math.exp(-((t - 0.6) ** 2) / 0.2) - 0.99;
  expect(first([bump], 0, 1)).toBeCloseTo(0.6 - Math.sqrt(-0.2 * Math.log(0.99)), 10);
});

test('of two signals that turn, the one that passes first counts', () => {
  const dip =
    (middle: number, half: number) =>
    (t: number): number =>
      (t - middle) ** 2 - half ** 2;
  expect(first([dip(0.8, 0.02), dip(0.2, 0.02)], 0, 1)).toBeCloseTo(0.18, 12);
  expect(first([dip(0.2, 0.02), dip(0.8, 0.02)], 0, 1)).toBeCloseTo(0.18, 12);
});

test('nothing to look for: no way to go, no change, a change only after the end', () => {
  expect(first([(t) => t - 0.5], 0.2, 0.2)).toBeUndefined();
  expect(first([(t) => t - 0.5], 0.2, 0.1)).toBeUndefined();
  expect(first([], 0, 1)).toBeUndefined();
  expect(first([(t) => t - 2], 0, 1)).toBeUndefined();
  expect(first([(t) => t - 1], 0, 1)).toBeUndefined();
  expect(first([(t) => t - 1], 0, 1.0001)).toBeCloseTo(1, 13);
});

test('far from zero, time is told apart as finely as its numbers', () => {
  const at = 86_400.123456789;
  expect(Math.abs(first([(t) => t - at], 86_400, 86_401)! - at)).toBeLessThan(1e-10);
});

test('it looks inside the step only, and few times', () => {
  const seen = over([(t) => Math.tanh(50 * (t - 0.37))], 0.2);
  const found = seen.locate(0.9)!;
  expect(found).toBeCloseTo(0.37, 12);
  for (const t of seen.looks) expect(t >= 0.2 && t <= 0.9).toBe(true);
  expect(seen.looks.length).toBeLessThan(60);
});
