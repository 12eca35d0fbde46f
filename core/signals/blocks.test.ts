import { newSignalLine, newSignalSheet, type PartType, type SignalSheet } from '../project/project';
import { projectOf, quantity, runProject, type ProjectRun } from '../testing/run-project';

/** Every block against its closed form, in a sheet that runs continuously. */

export const sheet = (lines: readonly string[], more: Partial<SignalSheet> = {}): SignalSheet => ({
  ...newSignalSheet('s', 'Sheet'),
  ...more,
  lines: lines.map((text, k) => newSignalLine(`l${k}`, text)),
});
const run = (lines: readonly string[], more: Partial<SignalSheet> = {}, type: Partial<PartType> = {}): ProjectRun =>
  runProject(
    projectOf(
      { ...type, signals: [sheet(lines, more)] },
      { stop: 2, recordEvery: 0.01, relative: 1e-9, absolute: 1e-11 },
    ),
  );

/** The way after a time, from rest, with one jerk after the other, each for some time. */
function byJerk(...pieces: readonly (readonly [jerk: number, lasts: number])[]): (t: number) => number {
  return (t) => {
    let [s, v, a, left] = [0, 0, 0, t];
    for (const [j, lasts] of pieces) {
      const d = Math.min(left, lasts);
      s += v * d + (a * d * d) / 2 + (j * d ** 3) / 6;
      v += a * d + (j * d * d) / 2;
      a += j * d;
      left -= d;
    }
    return s;
  };
}

/** Lines, and `y` as a function of time. */
const continuous: readonly (readonly [name: string, lines: readonly string[], y: (t: number) => number])[] = [
  ['integrate', ['y = integrate(2*time)'], (t) => t * t],
  ['integrate from a start', ['y = integrate(1, start = 3)'], (t) => 3 + t],
  [
    'integrate within limits',
    ['u = if time < 1 then 2 else -1', 'y = integrate(u, high = 1)'],
    (t) => (t < 0.5 ? 2 * t : t < 1 ? 1 : 2 - t),
  ],
  [
    'integrate with reset',
    ['y = integrate(1, reset = time > 0.5 and time < 1)'],
    (t) => (t <= 0.5 ? t : t < 1 ? 0 : t - 1),
  ],
  ['derivative', ['y = derivative(time*time, T = 0.1)'], (t) => 2 * t - 0.2 * (1 - Math.exp(-t / 0.1))],
  ['lag', ["y = lag(1, T = 0.5 's')"], (t) => 1 - Math.exp(-t / 0.5)],
  ['lag from a start', ['y = lag(0, 0.5, start = 4)'], (t) => 4 * Math.exp(-t / 0.5)],
  [
    'lag2',
    ['y = lag2(1, w = 5, d = 0.2)'],
    (t) => {
      const w = 5 * Math.sqrt(1 - 0.04);
      return 1 - Math.exp(-t) * (Math.cos(w * t) + (1 / w) * Math.sin(w * t));
    },
  ],
  ['high pass', ['y = highPass(time, T = 0.2)'], (t) => 0.2 * (1 - Math.exp(-t / 0.2))],
  ['lead and lag', ['y = leadLag(time, T1 = 0.5, T2 = 0.1)'], (t) => t + 0.4 * (1 - Math.exp(-t / 0.1))],
  [
    'notch takes its frequency out',
    ["u = sin(20*time/1 's')", 'y = notch(u, w = 20, width = 2)'],
    // double pole at -20: u - 40 x2 with x2 = L^-1[ s*20/((s^2+400)(s+20)^2) ] = sin(20 t)/40 - t exp(-20 t)/2
    (t) => 20 * t * Math.exp(-20 * t),
  ],
  ['transfer of first order', ['y = transfer(1, b = {3}, a = {0.5, 1})'], (t) => 3 * (1 - Math.exp(-2 * t))],
  ['transfer with passage', ['y = transfer(1, b = {1, 0}, a = {1, 4})'], (t) => Math.exp(-4 * t)],
  [
    'transfer of second order',
    ['y = transfer(1, b = {1, 3}, a = {1, 3, 2})'],
    (t) => 1.5 - 2 * Math.exp(-t) + 0.5 * Math.exp(-2 * t),
  ],
  ['transfer without memory', ['y = transfer(time, b = {3}, a = {2})'], (t) => 1.5 * t],
  [
    'state space',
    ['y = stateSpace(0, A = [0, 1; -9, 0], B = {0, 1}, C = {1, 0}, start = {1, 0})'],
    (t) => Math.cos(3 * t),
  ],
  ['transport delay', ["y = transportDelay(time, T = 0.3 's')"], (t) => Math.max(0, t - 0.3)],
  ['pi', ['y = pi(1, k = 2, Ti = 0.5)'], (t) => 2 + 4 * t],
  [
    'pi does not wind up',
    ['e = if time < 1 then 1 else -1', 'y = pi(e, k = 1, Ti = 0.5, high = 2)'],
    (t) => (t < 1 ? Math.min(2, 1 + 2 * t) : 2 * (1 - t)),
  ],
  [
    'pid on a ramp',
    ['y = pid(time, 0, k = 2, Ti = 1, Td = 0.5, c = 1, N = 50)'],
    (t) => 2 * t + t * t + (1 - Math.exp(-t / 0.01)),
  ],
  ['limit', ['y = limit(2*time, 0.5, 3)'], (t) => Math.max(0.5, Math.min(3, 2 * t))],
  ['dead zone', ['y = deadZone(time - 1, -0.5, 0.25)'], (t) => Math.max(0, t - 1.25) + Math.min(0, t - 0.5)],
  ['quantise', ['y = quantise(time, 0.25)'], (t) => 0.25 * Math.round(t / 0.25)],
  ['polynomial', ['y = polynomial(time, {2, 0, 1})'], (t) => 2 * t * t + 1],
  [
    'rate limit',
    ['y = rateLimit(if time > 0.5 then 2 else 0, up = 4, T = 1e-4)'],
    (t) => (t < 0.5 ? 0 : Math.min(2, 4 * (t - 0.5))),
  ],
  ['step', ['y = step(at = 0.5, to = 3, from = 1)'], (t) => (t < 0.5 ? 1 : 3)],
  ['ramp', ['y = ramp(at = 0.5, lasts = 1, to = 3, from = 1)'], (t) => 1 + 2 * Math.min(1, Math.max(0, t - 0.5))],
  ['pulse', ['y = pulse(every = 0.5, width = 0.3)'], (t) => ((t + 1e-9) % 0.5 < 0.15 ? 1 : 0)],
  ['sine', ['y = sine(f = 2, amplitude = 3, offset = 1)'], (t) => 1 + 3 * Math.sin(4 * Math.PI * t)],
  [
    'chirp',
    ['y = chirp(from = 1, to = 8, lasts = 2)'],
    (t) => Math.sin((2 * Math.PI * (Math.exp((Math.log(8) / 2) * t) - 1)) / (Math.log(8) / 2)),
  ],
  [
    'hysteresis',
    ["u = 2*sin(3.14159265358979*time/1 's')", 'on = hysteresis(u, -1, 1)', 'y = if on then 1 else 0'],
    (t) => (t > 1 / 6 && t <= 7 / 6 ? 1 : 0),
  ],
  [
    'backlash',
    ['u = if time < 1 then time else 2 - time', 'y = backlash(u, gap = 0.4)'],
    (t) => (t < 0.2 ? 0 : t < 1 ? t - 0.2 : t < 1.4 ? 0.8 : 2.2 - t),
  ],
  [
    'latch',
    ['on = latch(time > 0.5 and time < 0.6, time > 1.2)', 'y = if on then 1 else 0'],
    (t) => (t > 0.5 && t <= 1.2 ? 1 : 0),
  ],
  [
    'counter',
    ['p = pulse(every = 0.5, width = 0.5, at = 0.1)', 'n = counter(p > 0.5)', 'y = n'],
    (t) => Math.floor((t - 0.1 + 1e-9) / 0.5) + 1,
  ],
  ['timer', ['y = timer(time > 0.5 and time < 1.5)'], (t) => (t <= 0.5 || t >= 1.5 ? 0 : t - 0.5)],
  [
    'debounce',
    ['u = time > 0.2 and time < 0.25 or time > 1', 'b = debounce(u, T = 0.1)', 'y = if b then 1 else 0'],
    (t) => (t > 1.1 ? 1 : 0),
  ],
  ['watchdog', ['w = watchdog(time > 0.5, T = 1)', 'y = if w then 1 else 0'], (t) => (t > 1.5 ? 1 : 0)],
  [
    'profile that reaches its speed',
    ['y = profile(at = 0.2, to = 3, from = 1, speed = 2, acceleration = 5)'],
    (t) => {
      // 0.4 s up to speed, 0.6 s with it, 0.4 s down
      const s = Math.max(0, t - 0.2);
      return 1 + (s < 0.4 ? 2.5 * s * s : s < 1 ? 2 * s - 0.4 : s < 1.4 ? 2 - 2.5 * (1.4 - s) ** 2 : 2);
    },
  ],
  [
    'profile down, too short for its speed',
    ['y = profile(to = -1, speed = 100, acceleration = 4)'],
    (t) => (t < 0.5 ? -2 * t * t : t < 1 ? -1 + 2 * (1 - t) ** 2 : -1),
  ],
  [
    'profile with jerk that reaches all its limits',
    ['y = profile(to = 2, speed = 2, acceleration = 10, jerk = 100)'],
    // jerk for 0.1 s, acceleration 10 for 0.1 s, jerk for 0.1 s: 2 per s after 0.3 s
    byJerk([100, 0.1], [0, 0.1], [-100, 0.1], [0, 0.7], [-100, 0.1], [0, 0.1], [100, 0.1]),
  ],
  [
    'profile with jerk, too short for its speed',
    ['y = profile(to = -1, speed = 50, acceleration = 8, jerk = 80)'],
    // 0.1 s of jerk; the way of 1 in twice 0.05 + sqrt(0.05^2 + 1/8) s
    byJerk(
      ...([-80, 0, 80, 80, 0, -80].map((j, k) => [j, k % 3 === 1 ? Math.sqrt(0.0025 + 0.125) - 0.15 : 0.1]) as [
        number,
        number,
      ][]),
    ),
  ],
  [
    'profile with jerk, too short for its acceleration',
    ['y = profile(at = 0.1, to = 0.25, speed = 50, acceleration = 80, jerk = 8)'],
    // 2 j T^3 = 0.25
    byJerk([0, 0.1], ...([8, -8, -8, 8].map((j) => [j, (0.25 / 16) ** (1 / 3)]) as [number, number][])),
  ],
  [
    'choose by index',
    ['k = 1 + integer(2*time)', 'y = choose(k, {3, 5*time, 7, 9, 11})'],
    (t) => [3, 5 * t, 7, 9, 11][Math.floor(2 * t + 1e-9)],
  ],
  [
    'state feedback: the poles are those of the plant with it, whatever the observer does',
    [
      'x = integrate(u + 3*x)',
      'u = stateFeedback(x, wanted = 2, A = [3], B = {1}, C = {1}, K = {5}, L = {20}, N = 2)',
      'y = x',
    ],
    (t) => 2 * (1 - Math.exp(-2 * t)),
  ],
  [
    'state feedback that has to find out where the plant is',
    ['x = integrate(u, start = 1)', 'u = stateFeedback(x, A = [0], B = {1}, C = {1}, K = {2}, L = {6})', 'y = x'],
    // x'' + (K + L) x' + K L x = 0 for what is estimated: e = exp(-6 t) is off, x' = -2 (x - e)
    (t) => Math.exp(-2 * t) + (2 * (Math.exp(-2 * t) - Math.exp(-6 * t))) / 4,
  ],
  [
    'table of two values',
    ['y = table2(time, 2*time, {0, 1}, {0, 2}, [0, 4; 1, 7])'],
    (t) => (t < 1 ? t + 4 * t + 2 * t * t : 7),
  ],
];

test.each(continuous)('%s', (name, lines, y) => {
  const done = run(lines);
  const loose = name === 'rate limit' || name === 'backlash' ? 2e-3 : 1e-5;
  for (let t = 0.005; t < 2; t += 0.0137) {
    // on the grid of rows values are interpolated between; off jumps by half a row
    const k = Math.round(t / 0.01) * 0.01;
    if ([k - 1e-6, k + 1e-6].some((x) => Math.abs(y(x) - y(k)) > 1e-3)) continue;
    expect([k, done.at('y', k)]).toEqual([k, expect.closeTo(y(k), loose === 1e-5 ? 5 : 2)]);
  }
});

test('an output of the part type, nested blocks, and a name that is used before its line', () => {
  const done = run(
    ['u = limit(v + integrate(k*e), -2, 2)', '// what is still missing', 'e = wanted - measured', 'v = 0.5*e'],
    {},
    {
      quantities: [
        quantity('wanted', '1', { role: 'parameter' }),
        quantity('measured', '0', { role: 'input' }),
        quantity('k', '1', { role: 'parameter' }),
        quantity('u', '0', { role: 'output' }),
      ],
    },
  );
  expect(done.at('u', 1)).toBeCloseTo(1.5, 6);
  expect(done.last('u')).toBeCloseTo(2, 6);
});

test('noise: the numbers of Park and Miller, the same in every run, others for another seed', () => {
  const done = run(["y = noise(seed = 5, every = 0.1 's', amplitude = 2)", 'z = noise(seed = 6, every = 0.1)']);
  const known: number[] = [];
  for (let k = 0, x = 1 + ((5 * 69621 + 12345) % 2147483646); k < 20; k++) {
    x = (16807 * x) % 2147483647;
    known.push(2 * ((2 * x) / 2147483647 - 1));
  }
  expect(known.map((_, k) => done.at('y', k * 0.1 + 0.05))).toEqual(known.map((x) => expect.closeTo(x, 12)));
  expect(done.at('z', 0.05)).not.toBeCloseTo(done.at('y', 0.05) / 2, 3);
});
