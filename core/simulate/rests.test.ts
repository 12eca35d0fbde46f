import { simulateText, type TextRun } from '../testing/simulate-text';
import { createSimulation, copyOf, type SimulationOptions } from './simulation';
import { defaults } from '../testing/simulate-text';
import { threeCases } from './rests';

/** Conditions with a case at zero: what reaches it comes to rest where that case holds it, and moves on where it does not. */

const methods = ['dopri5', 'implicit', 'auto', 'rk4', 'euler', 'implicit-euler'] as const;
const run = (text: string, name: string, options: Partial<SimulationOptions> = {}): TextRun => {
  const done = simulateText(text, name, { stop: 5, ...options });
  if (done.simulation.problem) throw new Error(done.simulation.problem.message);
  return done;
};

/** A mass on a spring, carried along by a belt until the spring is stronger than what holds it. */
const stick = (friction = 'if r > 0 then fc elseif r < 0 then -fc else max(-fs, min(fs, k*x))'): string => `model Stick
  parameter Real k = 40, m = 1, fs = 12, fc = 8, belt = 0.2;
  Real x(start = 0), v(start = 0), r, f;
  Integer slips(start = 0);
equation
  der(x) = v; m*der(v) = f - k*x;
  r = belt - v;
  f = ${friction};
  when r > 0 then slips = pre(slips) + 1; end when;
end Stick;`;

/** Moments at which it sticks and slips, by the closed form (k = 40, m = 1, limits 12 and 8, belt 0.2). */
function stickSlip(count: number): number[] {
  const w = Math.sqrt(40),
    belt = 0.2;
  const first = Math.asin(belt / (0.2 * w)) / w;
  const phase = Math.atan(belt / w / 0.1);
  const slipping = (Math.PI + 2 * phase) / w;
  const times = [first, first + (0.3 - 0.2 * (1 - Math.cos(w * first))) / belt];
  for (let k = 0; times.length < count; k++) times.push(times[1 + 2 * k] + slipping, times[1 + 2 * k] + slipping + 1);
  return times.slice(0, count);
}

const eventTimes = ({ recording: { rows, time } }: TextRun): number[] => {
  const found: number[] = [];
  for (let k = 1; k < rows; k++) if (time[k] === time[k - 1]) found.push(time[k]);
  return found;
};

describe('stick and slip, as written by hand', () => {
  test.each(methods)('%s meets the moments of the closed form, with no event more', (solver) => {
    const done = run(stick(), 'Stick', { solver });
    const found = eventTimes(done);
    const expected = stickSlip(6);
    expect(found).toHaveLength(6);
    // the methods of Euler are of first order: their springs swing wider or less wide
    const within = solver.endsWith('euler') ? 0.02 : 2e-5;
    found.forEach((t, k) => expect(Math.abs(t - expected[k])).toBeLessThan(within));
    // it is carried along three times and slips off
    expect(done.last('slips')).toBe(3);
    expect(done.last('x')).toBeCloseTo(0.19767, solver.endsWith('euler') ? 1 : 4);
  });

  test.each([
    ['turned round', 'if 0 < r then fc elseif 0 > r then -fc else max(-fs, min(fs, k*x))'],
    ['with zero in both', 'if not r <= 0 then fc elseif not r >= 0 then -fc else max(-fs, min(fs, k*x))'],
    ['zero second', 'if r > 0 then fc elseif r >= 0 then max(-fs, min(fs, k*x)) else -fc'],
    ['sides swapped', 'if belt > v then fc elseif v > belt then -fc else max(-fs, min(fs, k*x))'],
  ])('%s', (_, friction) => {
    const found = eventTimes(run(stick(friction), 'Stick'));
    expect(found).toHaveLength(6);
    stickSlip(6).forEach((t, k) => expect(Math.abs(found[k] - t)).toBeLessThan(2e-5));
    expect(found).toHaveLength(6);
  });

  /** With forces that are rounded to 1e-10, so that a speed that is held drifts a little. */
  const rounded = (first: string, more = ''): string =>
    stick('if r > 0 then fc elseif r < 0 then -fc else max(-fs, min(fs, (k*x + 1e6) - 1e6))')
      .replace('Real x(start = 0), v(start = 0)', first)
      .replace('end Stick', `${more}end Stick`);

  test.each(methods.slice(0, 4))('%s: rounding that adds up moves nothing', (solver) => {
    const found = eventTimes(run(rounded('Real x(start = 0), v(start = 0)'), 'Stick', { solver }));
    expect(found.length).toBeLessThan(20);
    for (const t of stickSlip(6)) expect(found.some((x) => Math.abs(x - t) < 1e-4)).toBe(true);
  });

  test('what begins at zero, or is set there, is held by as much as what comes there', () => {
    const begins = run(rounded('Real x(start = 0.25), v(start = 0.2)'), 'Stick', { stop: 1 });
    expect(begins.at('x', 0.24)).toBeCloseTo(0.298, 8);
    expect(eventTimes(begins)[0]).toBeCloseTo(0.25, 4);
    const set = run(
      rounded('Real x(start = 0.25), v(start = 0.1)', '  when time > 0.01 then reinit(v, belt); end when;\n'),
      'Stick',
      { stop: 1 },
    );
    const from = set.at('x', 0.0100001);
    expect(set.at('x', 0.2)).toBeCloseTo(from + 0.19 * 0.2, 6);
    expect(eventTimes(set).some((t) => Math.abs(t - (0.01 + (0.3 - from) / 0.2)) < 1e-4)).toBe(true);
  });

  test('it goes on from a copy of its state while it sticks, bit for bit', () => {
    const { program } = run(stick(), 'Stick');
    const quiet = { row: () => undefined, message: () => undefined, transition: () => undefined };
    const options = { ...defaults, stop: 5 };
    const whole = createSimulation(program, options, quiet);
    whole.advance(1);
    const kept = copyOf(whole.state);
    whole.advance(Infinity);
    const again = createSimulation(program, options, quiet, kept);
    again.advance(Infinity);
    expect(again.state.memory.v).toEqual(whole.state.memory.v);
  });
});

describe('coming to rest', () => {
  test.each(methods)('%s: what brakes stands still when its speed is gone', (solver) => {
    const text = `model Brake
  Real v(start = 3), x(start = 0), f;
equation
  der(x) = v; der(v) = -f;
  f = if v > 0 then 2 + 0.3*v elseif v < 0 then -2 + 0.3*v else 0;
end Brake;`;
    const done = run(text, 'Brake', { solver });
    expect(eventTimes(done)).toHaveLength(1);
    const stop = Math.log(1 + (0.3 * 3) / 2) / 0.3;
    expect(eventTimes(done)[0]).toBeCloseTo(stop, solver.endsWith('euler') ? 2 : 7);
    expect(Math.abs(done.last('v'))).toBeLessThan(1e-12);
  });

  test('late in a long run, where moments lie far apart', () => {
    const text = `model Late
  Real v(start = 1), f;
equation
  der(v) = if time < 1e7 then 0 else -f;
  f = if v > 0 then 30 elseif v < 0 then -30 else 0;
end Late;`;
    const done = run(text, 'Late', { stop: 1.00001e7, recordEvery: 1e3 });
    expect(Math.abs(done.last('v'))).toBeLessThan(1e-6);
    expect(eventTimes(done)).toHaveLength(2);
  });

  test('with a sign, and with a load that later moves it on', () => {
    const text = `model Load
  Real v(start = 1), load, f;
  Boolean moves;
equation
  der(v) = load - f;
  load = if time < 2 then 0 else 5;
  f = if v > 0 then 2 elseif v < 0 then -2 else max(-2, min(2, load));
  moves = v > 0;
end Load;`;
    const done = run(text, 'Load', { stop: 3 });
    expect(done.at('v', 1.5)).toBeCloseTo(0, 10);
    expect(done.at('moves', 1.5)).toBe(0);
    // from 2 s on it is pulled with 5 against 2
    expect(done.last('v')).toBeCloseTo(3, 8);
    const braked = run('model S Real v(start = 1); equation der(v) = -2*sign(v); end S;', 'S');
    expect(braked.last('v')).toBeCloseTo(0, 10);
    expect(eventTimes(braked)).toEqual([expect.closeTo(0.5, 12)]);
  });

  test('two bodies that rub come to one speed, and keep their momentum', () => {
    const text = `model Two
  parameter Real m1 = 2, m2 = 3;
  Real v1(start = 4), v2(start = -1), f, needed;
equation
  m1*der(v1) = -f; m2*der(v2) = f + sin(time);
  needed = -m1*sin(time)/(m1 + m2);
  f = if v1 - v2 > 0 then 3 elseif v1 - v2 < 0 then -3 else max(-3, min(3, needed));
end Two;`;
    for (const solver of methods.slice(0, 4)) {
      const done = run(text, 'Two', { solver });
      const momentum = 2 * 4 - 3 + (1 - Math.cos(5));
      expect(done.last('v1')).toBeCloseTo(momentum / 5, 6);
      expect(done.last('v2')).toBeCloseTo(momentum / 5, 6);
      expect(eventTimes(done)).toHaveLength(1);
    }
  });

  test('what is set from outside while it rests is seen at that moment', () => {
    const text = `model Set
  input Real w(start = 0);
  Real v(start = 1), f;
  Integer n(start = 0); Integer side(start = 0);
equation
  der(v) = -f;
  f = if v - w > 0 then 2 elseif v - w < 0 then -2 else 0;
  when change(w) then
    n = pre(n) + 1;
    side = if v - w > 0 then 1 elseif v - w < 0 then -1 else 0;
  end when;
end Set;`;
    const { program } = run(text, 'Set', { stop: 1 });
    const w = program.solvable.model.variables.findIndex((x) => x.name === 'w');
    const done = run(text, 'Set', { stop: 3, stimulus: [{ time: 1, kind: 'set', variable: w, value: -1 }] });
    expect(done.at('v', 0.9)).toBeCloseTo(0, 10);
    expect(done.last('n')).toBe(1);
    expect(done.last('side')).toBe(1);
    expect(done.last('v')).toBeCloseTo(-1, 10);
  });

  test('where the case at zero moves, it is passed as ever', () => {
    const text = `model Pass
  Real x(start = -1), y;
equation
  der(x) = 1;
  der(y) = if x > 0 then 1 elseif x < 0 then -1 else 0;
end Pass;`;
    const done = run(text, 'Pass', { stop: 2 });
    expect(done.last('x')).toBeCloseTo(1, 12);
    expect(done.last('y')).toBeCloseTo(0, 12);
    expect(eventTimes(done)).toHaveLength(1);
  });
});

test('without a case at zero there is no rest: the condition that keeps switching is told', () => {
  const relay =
    'model R Real x(start = 1), u; equation der(x) = u + 0.5*sin(time); u = if x > 0 then -1 else 1; end R;';
  for (const solver of methods) {
    const done = simulateText(relay, 'R', { stop: 5, solver });
    expect(done.simulation.problem?.message).toContain('the condition x > 0 keeps switching');
    expect(done.simulation.problem?.message).toContain('a case for x = 0');
  }
  expect(threeCases(simulateText(relay, 'R', { stop: 1 }).program)).toEqual([]);
});
