import { problemsOf, simulateText } from '../testing/simulate-text';
import type { SolverName } from './solvers';

/** Models are compared with their closed forms; the tolerance says how much the method may be off. */
const decay = 'model Decay parameter Real k = 3; Real x(start = 2); equation der(x) = -k*x; end Decay;';
const oscillator =
  'model Oscillator Real x(start = 1), v(start = 0); equation der(x) = v; der(v) = -4*x; end Oscillator;';

describe('closed forms', () => {
  test.each<[SolverName, number]>([
    ['dopri5', 1e-8],
    ['rk4', 1e-10],
    ['implicit', 1e-6],
    ['auto', 1e-8],
  ])('exponential decay with %s', (solver, tolerance) => {
    const run = simulateText(decay, 'Decay', { solver, stop: 2 });
    for (const t of [0, 0.3, 1, 2]) expect(Math.abs(run.at('x', t) - 2 * Math.exp(-3 * t))).toBeLessThan(tolerance);
  });

  test.each<[SolverName, number]>([
    ['dopri5', 1e-6],
    ['rk4', 1e-8],
    ['implicit', 1e-4],
  ])('harmonic oscillator with %s over ten periods', (solver, tolerance) => {
    const stop = 10 * Math.PI;
    const run = simulateText(oscillator, 'Oscillator', { solver, stop, recordEvery: stop / 1000 });
    expect(Math.abs(run.last('x') - 1)).toBeLessThan(tolerance);
    expect(Math.abs(run.last('v'))).toBeLessThan(tolerance * 10);
  });

  test('Dormand-Prince has order 5: half the step, a 32nd of the error', () => {
    // the local error scales with the tolerance: 32 times tighter means half the step
    const error = (relative: number): number =>
      Math.abs(
        simulateText(oscillator, 'Oscillator', { relative, absolute: relative, stop: 5 }).last('x') - Math.cos(10),
      );
    const steps = (relative: number): number =>
      simulateText(oscillator, 'Oscillator', { relative, absolute: relative, stop: 5 }).simulation.counts.steps;
    expect(steps(1e-11) / steps(1e-6)).toBeGreaterThan(7);
    expect(steps(1e-11) / steps(1e-6)).toBeLessThan(13);
    expect(error(1e-11)).toBeLessThan(error(1e-6) / 1e3);
  });

  test('the dense output is as good as the steps', () => {
    const run = simulateText(oscillator, 'Oscillator', { recordEvery: 0.001, stop: 3 });
    expect(run.simulation.counts.steps).toBeLessThan(400);
    for (let t = 0; t <= 3; t += 0.037) expect(Math.abs(run.at('x', t) - Math.cos(2 * t))).toBeLessThan(2e-6);
  });

  test('Robertson 1966, a stiff chemical reaction: reference of Hairer and Wanner (1996) at t = 40', () => {
    const text = `model Robertson Real y1(start = 1), y2(start = 0), y3(start = 0);
equation
  der(y1) = -0.04*y1 + 1e4*y2*y3;
  der(y2) = 0.04*y1 - 1e4*y2*y3 - 3e7*y2^2;
  y1 + y2 + y3 = 1;
end Robertson;`;
    for (const solver of ['implicit', 'auto'] as const) {
      const run = simulateText(text, 'Robertson', {
        solver,
        stop: 40,
        relative: 1e-7,
        absolute: 1e-12,
        recordEvery: 1,
      });
      expect(run.simulation.status).toBe('finished');
      expect(Math.abs(run.last('y1') / 0.7158270688 - 1)).toBeLessThan(1e-5);
      expect(Math.abs(run.last('y2') / 9.185534765e-6 - 1)).toBeLessThan(1e-4);
      expect(run.simulation.counts.steps).toBeLessThan(solver === 'implicit' ? 200 : 2000);
    }
  });

  test('Van der Pol with mu = 1000 stays on its limit cycle; reference of Hairer and Wanner at t = 2000 (scaled: y(2))', () => {
    const text =
      'model VanDerPol Real x(start = 2), v(start = 0); equation der(x) = v; 1e-6*der(v) = (1 - x^2)*v - x; end VanDerPol;';
    const run = simulateText(text, 'VanDerPol', {
      solver: 'implicit',
      stop: 2,
      relative: 1e-7,
      absolute: 1e-9,
      recordEvery: 0.01,
    });
    expect(Math.abs(run.last('x') - 1.706167732170469)).toBeLessThan(1e-4);
  });
});

describe('events', () => {
  const ball = `model Ball parameter Real e = 0.8; Real h(start = 1), v; Integer n(start = 0);
equation der(h) = v; der(v) = -9.81;
  when h <= 0 then reinit(v, -e*pre(v)); n = pre(n) + 1; end when; end Ball;`;

  test('a bouncing ball meets the floor at the times of the closed form', () => {
    const run = simulateText(ball, 'Ball', { stop: 2.5 });
    const first = Math.sqrt(2 / 9.81);
    const hits = run.recording.columns.find((c) => c.name === 'n')!.values;
    const times: number[] = [];
    for (let r = 1; r < run.recording.rows; r++) if (hits[r] > hits[r - 1]) times.push(run.recording.time[r]);
    expect(times.length).toBe(4);
    times.forEach((t, k) => {
      let expected = first;
      for (let j = 1; j <= k; j++) expected += 2 * first * 0.8 ** j;
      expect(Math.abs(t - expected)).toBeLessThan(1e-7);
    });
  });

  test('its endless bounces end in an error that names the condition', () => {
    const run = simulateText(ball, 'Ball', { stop: 10 });
    expect(run.simulation.status).toBe('failed');
    expect(run.simulation.problem?.code).toBe('chattering');
    expect(run.simulation.problem?.message).toContain('h <= 0');
    expect(run.simulation.time).toBeGreaterThan(0.99 * (Math.sqrt(2 / 9.81) * (1 + (2 * 0.8) / 0.2)));
  });

  test('a crossing that comes back within a step is not missed', () => {
    const text =
      'model Touch Real y; Integer n(start = 0); equation der(y) = cos(time); when y > 0.99999 then n = pre(n) + 1; end when; end Touch;';
    expect(simulateText(text, 'Touch', { stop: 20, recordEvery: 1 }).last('n')).toBe(3);
  });

  test('edges of both kinds, elsewhen, and the instant of a sample', () => {
    const text = `model Clock Integer n(start = 0); Real held(start = 0); Boolean up; Integer flips(start = 0);
equation
  when sample(0, 0.1) then n = pre(n) + 1; held = time; end when;
  up = sin(10*time) > 0.5;
  when change(up) then flips = pre(flips) + 1; end when;
end Clock;`;
    const run = simulateText(text, 'Clock', { stop: 1 });
    expect(run.last('n')).toBe(11);
    expect(run.last('held')).toBe(1);
    expect(run.last('flips')).toBe(4);
    // samples are at k/10 exactly: no drift
    expect([...run.recording.time]).toContain(0.30000000000000004);
  });

  test('initial equations are solved, free states give way', () => {
    const text =
      'model Steady parameter Real k = 2; Real x(start = 7), y; initial equation der(x) = 0; equation der(x) = k - x^3; y = 2*x; end Steady;';
    const run = simulateText(text, 'Steady', { stop: 1 });
    expect(Math.abs(run.at('x', 0) - Math.cbrt(2))).toBeLessThan(1e-9);
    expect(Math.abs(run.last('y') - 2 * Math.cbrt(2))).toBeLessThan(1e-9);
  });

  test('a torn loop is solved together, conditions inside it included', () => {
    const text = `model Loop Real a(start = 1), b(start = 1), c; equation a + b^3 = 3 + time; a*b = 2; c = if a > b then a else b; end Loop;`;
    const run = simulateText(text, 'Loop', { stop: 1 });
    for (const t of [0, 0.5, 1]) {
      const [a, b] = [run.at('a', t), run.at('b', t)];
      expect(Math.abs(a + b ** 3 - 3 - t)).toBeLessThan(1e-9);
      expect(Math.abs(a * b - 2)).toBeLessThan(1e-9);
      expect(run.at('c', t)).toBe(Math.max(a, b));
    }
  });

  test('integer parts, absolute values and signs switch where they should', () => {
    const text =
      'model Steps Integer k; Real a, s; equation k = integer(3*time); a = abs(time - 0.5); s = sign(time - 0.5); end Steps;';
    const run = simulateText(text, 'Steps', { stop: 1 });
    expect(run.at('k', 0.5)).toBe(1);
    expect(run.at('k', 0.7)).toBe(2);
    expect(run.at('a', 0.2)).toBeCloseTo(0.3, 12);
    expect([run.at('s', 0.4), run.at('s', 0.6)]).toEqual([-1, 1]);
  });
});

describe('failures say what, where, when and with which values', () => {
  test('division by zero', () => {
    const { problem } = simulateText(
      'model Zero Real x(start = 1), y; equation der(x) = -1; y = 1/(x - x); end Zero;',
      'Zero',
    ).simulation;
    expect(problem?.message).toMatch(
      /Division by zero in "y = 1 \/ \(x - x\);": y would be infinite \(x = 1\), at t = 0 s/,
    );
    expect(problem?.span).toBeDefined();
  });
  test('a loop without a solution', () => {
    const { problem } = simulateText('model None Real a; equation a^2 + 1 = 0.5*time; end None;', 'None').simulation;
    expect(problem?.code).toBe('loop');
    expect(problem?.message).toMatch(/does not converge/);
  });
  test('a solution that runs away', () => {
    const { simulation } = simulateText('model Away Real x(start = 1); equation der(x) = x^2; end Away;', 'Away', {
      stop: 2,
    });
    expect(simulation.status).toBe('failed');
    expect(simulation.time).toBeCloseTo(1, 3);
    expect(simulation.problem?.message).toMatch(/step size has become too small; x changes fastest/);
  });
  test('an assertion', () => {
    const { problem } = simulateText(
      'model Bound Real x(start = 0); equation der(x) = 1; assert(x < 0.5, "x is too large"); end Bound;',
      'Bound',
    ).simulation;
    expect(problem?.message).toMatch(/x is too large/);
  });
});

test('the same run gives the same bits', () => {
  const text = `model Mixed Real x(start = 1), v; Integer n(start = 0); equation der(x) = v; der(v) = -x - 0.1*v;
  when sample(0.05, 0.1) then n = pre(n) + 1; end when; end Mixed;`;
  const once = simulateText(text, 'Mixed', { stop: 3 });
  const twice = simulateText(text, 'Mixed', { stop: 3 });
  expect(once.recording.columns.map((c) => [...c.values])).toEqual(twice.recording.columns.map((c) => [...c.values]));
});

test('under- and over-determined models are explained by name', () => {
  expect(problemsOf('model Few Real x, y; equation x = 1; end Few;', 'Few')[0]).toMatch(
    /Nothing determines y: add an equation/,
  );
  const many = problemsOf('model Many Real x; equation x = 1; x = 2; end Many;', 'Many')[0];
  expect(many).toMatch(/one too many: x is already determined by x = [12];/);
});

test('an assertion at warning level is told once, with its first time, and the run goes on', () => {
  const r = simulateText(
    'model T Real x(start = 0, fixed = true); equation der(x) = 1; assert(x < 0.5, "x is large", AssertionLevel.warning); end T;',
    'T',
    { stop: 1 },
  );
  expect(r.simulation.status).toBe('finished');
  expect(r.simulation.warnings).toHaveLength(1);
  expect(r.simulation.warnings[0]).toMatchObject({
    severity: 'warning',
    message: expect.stringMatching(/^x is large, at t = 0\.[5-9]/),
  });
});
