import { newSignalLine, newSignalSheet, type Project } from '../project/project';
import { projectOf, quantity } from '../testing/run-project';
import { closedLoop } from './closed-loop';
import { unwrapped } from './complex';
import { loopPicture, stepResponse } from './loop-picture';

/** A loop with closed forms: k/(s (T s + 1)). */
const [k, T] = [2, 0.5];
const loop = (more: Partial<ReturnType<typeof newSignalSheet>> = {}): Project =>
  projectOf(
    {
      quantities: [quantity('wanted', '1', { role: 'input' })],
      signals: [
        {
          ...newSignalSheet('s', 'S'),
          lines: ['e = wanted - x', `v = lag(${k}*e, T = ${T})`, 'x = integrate(v)'].map((t, j) =>
            newSignalLine(`l${j}`, t),
          ),
          ...more,
        },
      ],
    },
    { stop: 1 },
  );
const look = (p: Project, question: Partial<Parameters<typeof loopPicture>[1]> = {}) => {
  const { value, problems } = loopPicture(p, { from: 'e', to: 'e', open: 'e', setup: 's', at: 0, ...question });
  if (!value) throw new Error(problems.map((x) => x.message).join());
  return value;
};

test('opened: loop gain, margins, and the loop closed again', () => {
  const r = look(loop());
  // |L| = 1 where k = w sqrt(1 + (T w)^2)
  const w2 = (-1 + Math.sqrt(1 + 4 * k * k * T * T)) / (2 * T * T);
  const w = Math.sqrt(w2);
  expect(r.phaseMarginAt).toBeCloseTo(w, 6);
  expect(r.phaseMargin).toBeCloseTo(Math.PI / 2 - Math.atan(T * w), 6);
  expect(r.gainMargin).toBeNull();
  r.w.forEach((x, j) => {
    const [re, im] = r.loop[j];
    expect(Math.hypot(re, im) / (k / (x * Math.hypot(1, T * x)))).toBeCloseTo(1, 9);
  });
  // T s^2 + s + k = 0
  const [re, im] = [-1 / (2 * T), Math.sqrt(4 * k * T - 1) / (2 * T)];
  expect(r.closedPoles.map(([a, b]) => [a, Math.abs(b)])).toEqual([
    [expect.closeTo(re, 9), expect.closeTo(im, 9)],
    [expect.closeTo(re, 9), expect.closeTo(im, 9)],
  ]);
  expect(r.isStable).toBe(true);
  expect(r.dcGain).toBeCloseTo(1, 6);
  // |T|^2 = k^2/((k - T w^2)^2 + w^2) = 1/2
  const b2 = (2 * k * T - 1 + Math.sqrt((2 * k * T - 1) ** 2 + 4 * k * k * T * T)) / (2 * T * T);
  expect(r.bandwidth).toBeCloseTo(Math.sqrt(b2), 6);
  // what comes back for a step: that of a swinging system of second order
  r.step.time.forEach((t, j) => {
    const y = 1 - Math.exp(re * t) * (Math.cos(im * t) - (re / im) * Math.sin(im * t));
    expect(r.step.y[j]).toBeCloseTo(y, 9);
  });
});

test('from an input to an output: the closed loop as it is', () => {
  const r = look(loop(), { from: 'wanted', to: 'x', open: undefined as never });
  expect(r.closedPoles).toEqual(r.poles);
  expect(r.step.y.at(-1)).toBeCloseTo(1, 2);
  expect(r.gain[0]).toBeCloseTo(0, 3);
  expect(r.phase.at(-1)).toBeCloseTo(-180, 0);
  expect(r.bandwidth).toBeGreaterThan(k);
});

test('a loop that does not hold is told: more gain than a delay allows', () => {
  const p = loop({
    lines: ['e = wanted - x', 'v = 2*e', 'd = lag(v, T = 0.5)', 'f = lag(d, T = 0.5)', 'x = integrate(4*f)'].map(
      (t, j) => newSignalLine(`l${j}`, t),
    ),
  });
  const r = look(p);
  expect(r.isStable).toBe(false);
  expect(r.closedPoles.some(([re]) => re > 0)).toBe(true);
  // (1 + s/2)^2 s: half the gain of the edge, 4/8
  expect(r.gainMargin).toBeCloseTo(0.5, 6);
  expect(r.gainMarginAt).toBeCloseTo(2, 6);
  expect(r.phaseMargin).toBeLessThan(0);
  expect(r.delayMargin).toBe(0);
});

test('from tick to tick', () => {
  const r = look(loop({ every: '0.01' }));
  expect(r.every).toBeCloseTo(0.01, 12);
  expect(r.isStable).toBe(true);
  expect(r.closedPoles.every(([re, im]) => Math.hypot(re, im) < 1)).toBe(true);
  expect(r.step.time[1]).toBeCloseTo(0.01, 12);
  expect(r.step.y.at(-1)).toBeCloseTo(1, 2);
  // nearly the continuous one
  expect(r.phaseMargin).toBeCloseTo(look(loop()).phaseMargin!, 1);
});

test('what cannot be looked at is told', () => {
  const told = (question: object): string =>
    loopPicture(loop(), { from: 'e', to: 'e', open: 'e', setup: 's', at: 0, ...question })
      .problems.map((p) => p.message)
      .join();
  expect(told({ open: 'nothing' })).toMatch(/There is no quantity nothing/);
  expect(told({ from: 'v', to: 'x' })).toMatch(/v is no input that is free/);
  expect(loopPicture(loop({ every: '0' }), { from: 'e', to: 'e', open: 'e', setup: 's', at: 1 }).value).toBeUndefined();
});

test('phases go on where they would jump', () => {
  const around = Array.from({ length: 50 }, (_, j) => [Math.cos(-j / 3), Math.sin(-j / 3)] as const);
  expect(
    unwrapped([
      [1, 0],
      [0, 0],
      [0, -1],
    ]),
  ).toEqual([0, NaN, -90]);
  unwrapped(around).forEach((x, j) => expect(x).toBeCloseTo((-j / 3) * (180 / Math.PI), 9));
});

test('a passage at once closes with 1/(1 + d)', () => {
  const model = {
    states: [],
    inputs: [0],
    outputs: [0],
    A: [],
    B: [],
    C: [new Float64Array(0)],
    D: [Float64Array.from([-3])],
    delays: [],
  };
  const again = closedLoop(model);
  expect(again.D[0][0]).toBeCloseTo(3 / 4, 12);
  expect(stepResponse(again, undefined, []).y[5]).toBeCloseTo(0.75, 12);
});
