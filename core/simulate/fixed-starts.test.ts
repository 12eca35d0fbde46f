import { simulateText } from '../testing/simulate-text';

/** Start values that are fixed, of quantities for which something else determines what they start at. */

const run = (body: string, options = {}) => simulateText(`model M ${body} end M;`, 'M', { stop: 1, ...options });

test.each([
  [
    'one that follows from a state',
    'Real x(start = 1, fixed = true); Real y(start = 5, fixed = true); equation der(x) = -x; y = 2*x;',
    'y is fixed at 5, but 2',
  ],
  [
    'another name of a state',
    'Real x(start = 1, fixed = true); Real y(start = 5, fixed = true); equation der(x) = -x; y = x;',
    'y is fixed at 5, but 1',
  ],
  [
    'another name with the other sign',
    'Real x(start = 1, fixed = true); Real y(start = 1, fixed = true); equation der(x) = -x; y = -x;',
    'y is fixed at 1, but -1',
  ],
  [
    'one with a unit',
    'Real x(start = 1, fixed = true); Real y(unit = "V", start = 5, fixed = true); equation der(x) = -x; y = 2*x;',
    'y is fixed at 5 V, but 2 V',
  ],
])('a start that contradicts what follows is told: %s', (_, body, message) => {
  const { problem } = run(body).simulation;
  expect(problem?.message).toContain(message);
  expect(problem?.span).toBeDefined();
});

test.each([
  ['the same', 'Real x(start = 1, fixed = true); Real y(start = 2, fixed = true); equation der(x) = -x; y = 2*x;'],
  [
    'the same by another name',
    'Real x(start = 1, fixed = true); Real y(start = -1, fixed = true); equation der(x) = -x; y = -x;',
  ],
  [
    'a formula of a parameter',
    'parameter Real p = 3; Real x(start = p, fixed = true); Real y(start = 2*p, fixed = true); equation der(x) = -x; y = 2*x;',
  ],
  ['one for another', 'Real x; Real y(start = 4, fixed = true); equation der(x) = -x; y = 2*x;'],
  [
    'a new value at the start',
    'Real x(start = 1, fixed = true); equation der(x) = -x; when initial() then reinit(x, 3); end when;',
  ],
])('a start that fits is taken: %s', (_, body) => {
  expect(run(body).simulation.problem).toBeUndefined();
});

test('the one that determines the other is solved for it', () => {
  expect(run('Real x; Real y(start = 4, fixed = true); equation der(x) = -x; y = 2*x;').at('x', 0)).toBeCloseTo(2, 9);
});
