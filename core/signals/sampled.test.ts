import { newSignalLine, newSignalSheet, type SignalSheet } from '../project/project';
import { projectOf, runProject, type ProjectRun } from '../testing/run-project';

/** Every block at the ticks of a clock, against its difference equation written out here. */

const period = 0.1;
function run(lines: readonly string[], more: Partial<SignalSheet> = {}): ProjectRun {
  const sheet: SignalSheet = {
    ...newSignalSheet('s', 'Sheet'),
    every: "0.1 's'",
    ...more,
    lines: lines.map((text, k) => newSignalLine(`l${k}`, text)),
  };
  return runProject(projectOf({ signals: [sheet] }, { stop: 2, recordEvery: 0.01 }));
}
/** The values of a name just after each tick. */
const ticks = (done: ProjectRun, name: string): number[] =>
  Array.from({ length: 20 }, (_, k) => done.at(name, k * period + 0.05));

/** u at the ticks: something that rises, falls and repeats itself. */
const u = (k: number): number => ((k * 7) % 5) - 1.5;
/** The same for a sheet: a saw of the number of the tick. */
const source = ['k = integer(time/0.1 + 0.5)', 'm = mod(7*k, 5)', 'u = m - 1.5'];

type Next = (k: number, y: (k: number) => number) => number;
const blocks: readonly (readonly [line: string, next: Next, more?: Partial<SignalSheet>])[] = [
  ['integrate(u, start = 2)', (k, y) => (k === 0 ? 2 : y(k - 1) + period * u(k - 1))],
  ['integrate(u)', (k, y) => (k === 0 ? 0 : y(k - 1) + (period * (u(k) + u(k - 1))) / 2), { method: 'tustin' }],
  ['integrate(u)', (k, y) => (k === 0 ? 0 : y(k - 1) + period * u(k)), { method: 'backward' }],
  ['integrate(u, high = 0.1)', (k, y) => (k === 0 ? 0 : Math.min(0.1, y(k - 1) + period * u(k - 1)))],
  ['integrate(u, reset = u > 2)', (k, y) => (k === 0 || u(k) > 2 ? 0 : y(k - 1) + period * u(k - 1))],
  ['lag(u, 0.3)', (k, y) => (k === 0 ? 0 : u(k - 1) + (y(k - 1) - u(k - 1)) * Math.exp(-period / 0.3))],
  ['lag(u, 0.3)', (k, y) => (k === 0 ? 0 : (0.5 * y(k - 1) + 0.1 * (u(k) + u(k - 1))) / 0.7), { method: 'tustin' }],
  ['lag(u, 0.3)', (k, y) => (k === 0 ? 0 : (0.3 * y(k - 1) + 0.1 * u(k)) / 0.4), { method: 'backward' }],
  ['derivative(u, 0.3)', lagged((k, x) => (u(k) - x) / 0.3)],
  ['highPass(u, 0.3)', lagged((k, x) => u(k) - x)],
  ['leadLag(u, 0.6, 0.3)', lagged((k, x) => x + 2 * (u(k) - x))],
  ['transportDelay(u, 0.3)', (k) => u(Math.max(0, k - 3))],
  ['delayBy(u, 2, start = 7)', (k) => (k < 2 ? 7 : u(k - 2))],
  ['difference(u)', (k) => (k === 0 ? 0 : u(k) - u(k - 1))],
  ['fir(u, {1, 2, -1})', (k) => u(k) + 2 * (k > 0 ? u(k - 1) : 0) - (k > 1 ? u(k - 2) : 0)],
  ['movingAverage(u, 3)', (k) => (u(k) + u(Math.max(0, k - 1)) + u(Math.max(0, k - 2))) / 3],
  [
    'transferZ(u, {1, 0.5}, {2, -1, 0.3})',
    (k, y) =>
      ((k > 0 ? u(k - 1) : 0) + 0.5 * (k > 1 ? u(k - 2) : 0) + (k > 0 ? y(k - 1) : 0) - 0.3 * (k > 1 ? y(k - 2) : 0)) /
      2,
  ],
  // 1/(0.3 s + 1) is the lag, whatever it is written as
  [
    'transfer(u, {1}, {0.3, 1})',
    (k, y) => (k === 0 ? 0 : u(k - 1) + (y(k - 1) - u(k - 1)) * Math.exp(-period / 0.3)),
    { method: 'hold' },
  ],
  [
    'transfer(u, {2, 1}, {0.6, 1})',
    (k, y) => ((k > 0 ? (1.2 - 0.1) * y(k - 1) : 0) + 4.1 * u(k) - (k > 0 ? 3.9 * u(k - 1) : 0)) / 1.3,
    { method: 'tustin' },
  ],
  [
    'transfer(u, {1}, {1, 2, 3})',
    (k, y) =>
      (u(k) * period ** 2 + (k > 0 ? (2 + 2 * period) * y(k - 1) : 0) - (k > 1 ? y(k - 2) : 0)) /
      (1 + 2 * period + 3 * period ** 2),
    { method: 'backward' },
  ],
  ['transfer(u, {6}, {3})', (k) => 2 * u(k)],
  [
    'stateSpace(u, A = [-2], B = {1}, C = {3}, D = 0.5, start = {4})',
    (k, y) =>
      (k === 0 ? 12 : (y(k - 1) - 0.5 * u(k - 1)) * Math.exp(-0.2) + (3 * u(k - 1) * (1 - Math.exp(-0.2))) / 2) +
      0.5 * u(k),
  ],
  ['notch(u, w = 8, depth = 0.1, width = 0.5)', gapped()],
  ['pulse(every = 0.5, width = 0.4)', (k) => (k % 5 < 2 ? 1 : 0)],
  ['chirp(from = 1, to = 3, lasts = 2)', (k) => Math.sin((2 * Math.PI * (3 ** (k / 20) - 1)) / (Math.log(3) / 2))],
  [
    'profile(to = 1, speed = 1, acceleration = 4)',
    (k) => (k < 3 ? 0.02 * k * k : k <= 10 ? 0.1 * k - 0.125 : k < 13 ? 1 - 2 * (1.25 - 0.1 * k) ** 2 : 1),
  ],
  ['stateFeedback(u, wanted = 3, A = [0], B = {1}, C = {1}, K = {2}, L = {0.5}, N = 1)', observed()],
  ['decimate(u, 3)', (k) => u(k - (k % 3))],
  [
    'rateLimit(u, up = 5, down = 8)',
    (k, y) => (k === 0 ? 0 : y(k - 1) + Math.max(-0.8, Math.min(0.5, u(k) - y(k - 1)))),
  ],
  ['backlash(u, 1)', (k, y) => Math.max(u(k) - 0.5, Math.min(u(k) + 0.5, k === 0 ? 0 : y(k - 1)))],
  ['counter(u > 0)', (k, y) => (k === 0 ? 0 : y(k - 1)) + (u(k) > 0 && !(k > 0 && u(k - 1) > 0) ? 1 : 0)],
  ['timer(u > -1)', (k, y) => (!(u(k) > -1) || k === 0 || !(u(k - 1) > -1) ? 0 : y(k - 1) + period)],
  ['if hysteresis(u, -1, 2) then 1 else 0', (k, y) => (u(k) > 2 || (k > 0 && y(k - 1) === 1 && u(k) >= -1) ? 1 : 0)],
  [
    'if latch(u > 2, u < -1) then 1 else 0',
    (k, y) => (!(u(k) < -1) && (u(k) > 2 || (k > 0 && y(k - 1) === 1)) ? 1 : 0),
  ],
  ['step(at = 0.75, to = 3, from = 1)', (k) => (k >= 8 ? 3 : 1)],
  ['ramp(at = 0.5, lasts = 1, to = 2)', (k) => 2 * Math.max(0, Math.min(1, k * period - 0.5))],
  ['sine(f = 0.7, amplitude = 2)', (k) => 2 * Math.sin(2 * Math.PI * 0.7 * k * period)],
  ['limit(u, -1, 1)', (k) => Math.max(-1, Math.min(1, u(k)))],
  ['median(u, 3)', (k) => [u(k), u(Math.max(0, k - 1)), u(Math.max(0, k - 2))].sort((a, b) => a - b)[1]],
  ['median(u, 5)', (k) => [0, 1, 2, 3, 4].map((j) => u(Math.max(0, k - j))).sort((a, b) => a - b)[2]],
  ...[0.3, 1, 2.5].map((d): (typeof blocks)[number] => [`lag2(u, w = 6, d = ${d})`, swinging(6, d)]),
  ['pid(u, 0.5, k = 2, Ti = 0.5, Td = 0.1, b = 0.7, c = 1, N = 4)', controlled()],
  ['pi(u, k = 2, Ti = 0.5)', summed()],
];

/** With the sampled lag of u (time constant 0.3, hold). */
function lagged(of: (k: number, x: number) => number): Next {
  return (k) => {
    let x = u(0);
    for (let j = 1; j <= k; j++) x = u(j - 1) + (x - u(j - 1)) * Math.exp(-period / 0.3);
    return of(k, x);
  };
}
/** y'' = w^2 (u - y) - 2 d w y' with u held, in small steps of Runge and Kutta. */
function swinging(w: number, d: number): Next {
  return (k) => {
    let [y, v] = [0, 0];
    const steps = 400;
    for (let j = 1; j <= k; j++) {
      const f = (a: number, b: number): [number, number] => [b, w * w * (u(j - 1) - a) - 2 * d * w * b];
      for (let n = 0; n < steps; n++) {
        const h = period / steps;
        const a = f(y, v);
        const b = f(y + (h / 2) * a[0], v + (h / 2) * a[1]);
        const c = f(y + (h / 2) * b[0], v + (h / 2) * b[1]);
        const e = f(y + h * c[0], v + h * c[1]);
        y += (h / 6) * (a[0] + 2 * b[0] + 2 * c[0] + e[0]);
        v += (h / 6) * (a[1] + 2 * b[1] + 2 * c[1] + e[1]);
      }
    }
    return y;
  };
}
function controlled(): Next {
  return (k) => {
    let [i, dPart, out] = [0, 0, 0];
    for (let j = 0; j <= k; j++) {
      if (j > 0) dPart = (0.1 * dPart + 2 * 0.1 * 4 * (u(j) - u(j - 1))) / (0.1 + 4 * period);
      out = 2 * (0.7 * u(j) - 0.5) + i + dPart;
      i += ((2 * period) / 0.5) * (u(j) - 0.5);
    }
    return out;
  };
}
/** (s^2 + 0.4 s + 64)/(s^2 + 4 s + 64) with s = c (z - 1)/(z + 1), c = 8/tan(0.4). */
function gapped(): Next {
  const c = 8 / Math.tan(0.4);
  const of = (x: number): number[] => [c * c + x * c + 64, 2 * (64 - c * c), c * c - x * c + 64];
  const [b, a] = [of(0.4), of(4)];
  return (k, y) => {
    const [u1, u2] = [u(Math.max(0, k - 1)), u(Math.max(0, k - 2))];
    if (k === 0) return u(0);
    return (b[0] * u(k) + b[1] * u1 + b[2] * u2 - a[1] * y(k - 1) - a[2] * (k > 1 ? y(k - 2) : u(0))) / a[0];
  };
}
/** x[k+1] = x[k] + T out[k] + 0.5 (u[k] - x[k]), out = 3 - 2 x. */
function observed(): Next {
  return (k) => {
    let x = 0;
    for (let j = 0; j < k; j++) x += period * (3 - 2 * x) + 0.5 * (u(j) - x);
    return 3 - 2 * x;
  };
}
function summed(): Next {
  return (k) => {
    let i = 0;
    for (let j = 1; j <= k; j++) i += period * ((2 * u(j - 1)) / 0.5);
    return 2 * u(k) + i;
  };
}

test.each(blocks.map((b) => [b[0], b] as const))('%s', (_, [line, next, more]) => {
  const found = ticks(run([...source, `y = ${line}`], more), 'y');
  const known: number[] = [];
  for (let k = 0; k < found.length; k++) known.push(next(k, (j) => known[j]));
  found.forEach((y, k) => expect([k, y]).toEqual([k, expect.closeTo(known[k], 9)]));
});

test('the conditions that need time: debounce and watchdog', () => {
  const lasting = run([
    'u = time > 0.35 and time < 0.55 or time > 0.95',
    "b = debounce(u, T = 0.3 's')",
    'y = if b then 1 else 0',
  ]);
  // what lasts two ticks is passed over; from 1.0 on it holds, and has lasted 0.3 s at 1.3
  expect(ticks(lasting, 'y')).toEqual(Array.from({ length: 20 }, (_, k) => (k >= 13 ? 1 : 0)));
  const away = run(["w = watchdog(time > 0.45 and time < 0.95, T = 0.6 's')", 'y = if w then 1 else 0']);
  // a sign of life at 0.5: it has been away for more than 0.6 s at 1.2
  expect(ticks(away, 'y')).toEqual(Array.from({ length: 20 }, (_, k) => (k >= 12 ? 1 : 0)));
});

test('between ticks everything is held, from the offset on', () => {
  const done = run(['y = time'], { offset: "0.03 's'" });
  expect(done.at('y', 0.02)).toBe(0);
  expect(done.at('y', 0.12)).toBeCloseTo(0.03, 12);
  expect(done.at('y', 0.14)).toBeCloseTo(0.13, 12);
});

test('a loop through a sampled integrator closes, with each tick one step', () => {
  const done = run(['e = 1 - x', 'x = integrate(5*e)']);
  let x = 0;
  for (let k = 1; k < 15; k++) {
    x += period * 5 * (1 - x);
    expect(done.at('x', k * period + 0.05)).toBeCloseTo(x, 10);
  }
});

test('pid: cut off without winding up, and from manual without a jump', () => {
  const done = run([
    'manual = time < 0.95',
    'y = pid(if time < 1.45 then 1 else -1, 0, manual = manual, byHand = 0.7, k = 1, Ti = 0.5, high = 2)',
  ]);
  const y = ticks(done, 'y');
  expect(y.slice(0, 10)).toEqual(y.slice(0, 10).map(() => 0.7));
  // it goes on from where the hand left it, and grows by k T/Ti e
  expect(y.slice(10, 15)).toEqual([0.7, 0.9, 1.1, 1.3, 1.5].map((x) => expect.closeTo(x, 9)));
  // the set point turns: at once two less, and down from there
  expect(y[15]).toBeCloseTo(-0.3, 9);
});
