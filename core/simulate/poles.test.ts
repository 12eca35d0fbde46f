import fc from 'fast-check';
import { simulateText } from '../testing/simulate-text';

/** Divisors that pass through zero: the run ends there, whatever the steps, and the rows before are finite. */

const solvers = ['dopri5', 'implicit', 'rk4', 'euler'] as const;
const run = (body: string, options: Parameters<typeof simulateText>[2] = {}) =>
  simulateText(`model M Real x(start = 0, fixed = true); Real y; equation der(x) = 1; ${body} end M;`, 'M', {
    stop: 2,
    ...options,
  });

test('the run ends where the divisor is zero, with the formula at its place', () => {
  fc.assert(
    fc.property(
      fc.double({ min: 0.05, max: 1.95, noNaN: true }),
      fc.constantFrom(...solvers),
      fc.constantFrom(0.01, 0.1, 0.37),
      (at, solver, recordEvery) => {
        const { simulation, recording } = run(`y = 3/(x - ${at});`, { solver, recordEvery, step: 0.013 });
        expect(simulation.status).toBe('failed');
        expect(simulation.time).toBeCloseTo(at, 9);
        expect(simulation.problem?.message).toMatch(/^Division by zero: x - .* in "y = 3 \/ \(x - /);
        for (const c of recording.columns)
          for (const v of c.values.slice(0, recording.rows)) expect(Number.isFinite(v)).toBe(true);
        expect(recording.time[recording.rows - 1]).toBeLessThan(at);
      },
    ),
    { numRuns: 60 },
  );
});

test.each([
  ['a factor that is solved for', 'y*(x - 1) = 2;', 'x - 1'],
  ['a power of -1', 'y = 2*(x - 1)^(-1);', ''],
  ['time', 'y = 1/(time - 1);', 'time - 1'],
  ['the branch that is taken', 'y = if x < 1.5 then 1/(x - 1) else 0;', 'x - 1'],
])('%s', (_, body, told) => {
  const { simulation } = run(body);
  expect([simulation.status, simulation.time]).toEqual(['failed', expect.closeTo(1, 9)]);
  expect(simulation.problem?.message).toContain(`Division by zero: ${told}`);
});

test.each([
  ['in a branch that is not taken', 'y = if x < 0.9 then 1/(x - 1) else 0;', 0],
  ['where the dividend vanishes too', 'y = sin(x - 1)/(x - 1);', Math.sin(1)],
  ['where the divisor jumps over zero', 'y = 1/(if x < 1 then -1 else 1);', 1],
  ['where the divisor is not zero', 'y = 1/(x + 1);', 1 / 3],
  ['after an event that leaps over it', 'y = 1/(x - 1); when time > 0.9 then reinit(x, 1.1); end when;', 1 / 1.2],
])('no zero is found %s', (_, body, last) => {
  const result = run(body);
  expect(result.simulation.problem).toBeUndefined();
  expect(result.last('y')).toBeCloseTo(last, 6);
});

test('of two, the first ends the run', () => {
  const { simulation } = run('y = 1/(x - 1.5) + 1/(x - 0.5);', { solver: 'rk4', step: 2 });
  expect(simulation.time).toBeCloseTo(0.5, 9);
});
