import fc from 'fast-check';
import { closedLoop, isDyingAway } from './closed-loop';
import type { LinearModel } from './linearise';
import { polesOf } from './poles';
import { diesAway } from './turns';

/** b/(s + a) behind a delay of T; with the delay as the last input and output. */
const late = (b: number, a: number, T: number): LinearModel => ({
  states: [0],
  inputs: [0],
  outputs: [0],
  A: [Float64Array.of(-a)],
  B: [Float64Array.of(0, b)],
  C: [Float64Array.of(1), Float64Array.of(0)],
  // what goes into the delay is the input
  D: [Float64Array.of(0, 0), Float64Array.of(1, 0)],
  delays: [T],
});
/** The gain up to which k e^(-s T)/(s + a) holds: w = -a tan(w T) with w T between pi/2 and pi, k = sqrt(w^2 + a^2). */
function limit(a: number, T: number): number {
  let [low, high] = [Math.PI / 2 / T, Math.PI / T];
  for (let k = 0; k < 200; k++) {
    const w = (low + high) / 2;
    if (w * Math.cos(w * T) + a * Math.sin(w * T) > 0) low = w;
    else high = w;
  }
  return Math.hypot(low, a);
}

test('an integral behind a delay holds up to k T = pi/2', () => {
  for (const T of [0.01, 1, 40])
    for (const share of [0.2, 0.9, 0.99, 1.01, 1.1, 3, 20, 60])
      expect([T, share, diesAway(late((share * Math.PI) / 2 / T, 0, T), -1)]).toEqual([T, share, share < 1]);
});

test('a lag behind a delay holds up to the gain at which its phase has turned by half', () => {
  for (const [a, T] of [
    [1, 1],
    [0.2, 3],
    [5, 0.1],
    [1, 30],
  ])
    for (const share of [0.5, 0.98, 1.02, 2, 10])
      expect([a, T, share, diesAway(late(share * limit(a, T), a, T), -1)]).toEqual([a, T, share, share < 1]);
});

test('its phase margin looks fine after a turn, and it does not hold all the same', () => {
  // at w = 10 the phase is -84 - 30 - 360 deg: 66 deg above -180 by the look of it
  const T = ((390 / 180) * Math.PI) / Math.sqrt(99);
  expect(diesAway(late(10, 1, T), -1)).toBe(false);
});

test('a delay of thousands of time constants: what is above 1 does not hold, what is below does', () => {
  for (const T of [300, 1000, 7000])
    expect([T, ...[0.6, 0.97, 1.03, 2].map((k) => diesAway(late(k, 1, T), -1))]).toEqual([T, true, true, false, false]);
});

test('what grows by itself holds between two gains, if it is not too late', () => {
  // k e^(-s T)/(s - 1): from k = 1 on, for T < 1
  expect([0.9, 1.1, 1.5].map((k) => diesAway(late(k, -1, 0.3), -1))).toEqual([false, true, true]);
  expect([0.9, 1.1, 1.5].map((k) => diesAway(late(k, -1, 1.2), -1))).toEqual([false, false, false]);
});

test('delays inside loops of their own: x follows what it was', () => {
  // dx/dt = -a x - b x(t - T)
  const own = (a: number, b: number, T: number): LinearModel => ({
    ...late(0, a, T),
    B: [Float64Array.of(1, -b)],
    D: [Float64Array.of(0, 0), Float64Array.of(0, 0)],
    C: [Float64Array.of(1), Float64Array.of(1)],
  });
  expect(diesAway(own(1, 0.9, 50))).toBe(true);
  expect(diesAway(own(1, 2, 0.1))).toBe(true);
  expect(diesAway(own(1, 2, 2))).toBe(false);
  for (const share of [0.95, 1.05]) expect(diesAway(own(1, share * limit(1, 0.7), 0.7))).toBe(share < 1);
});

test('without delays it is what the poles say', () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: -30, max: 30 }), { minLength: 15, maxLength: 15 }), (x) => {
      const model: LinearModel = {
        states: [0, 1, 2],
        inputs: [0],
        outputs: [0],
        A: [0, 1, 2].map((i) => Float64Array.from([0, 1, 2].map((j) => x[3 * i + j] / 7 - (i === j ? 1.3 : 0)))),
        B: [0, 1, 2].map((i) => Float64Array.of(x[9 + i] / 7)),
        C: [Float64Array.from([0, 1, 2].map((j) => x[12 + j] / 7))],
        D: [Float64Array.of(0)],
        delays: [],
      };
      const closed = polesOf(closedLoop(model));
      // at the edge nothing is said
      if (closed.some(([re]) => Math.abs(re) < 1e-3)) return;
      const told = diesAway(model, 1);
      if (told !== undefined) expect(told).toBe(isDyingAway(closed, undefined));
    }),
    { numRuns: 150 },
  );
});
