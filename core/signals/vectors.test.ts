import { newSignalLine, newSignalSheet } from '../project/project';
import { checkProject } from '../run/check';
import { projectOf, runProject } from '../testing/run-project';

/** Lines that bring several numbers at once: how many is found from what they are made of. */
const project = (lines: readonly string[], every = '') =>
  projectOf(
    { signals: [{ ...newSignalSheet('s', 'S'), every, lines: lines.map((t, k) => newSignalLine(`l${k}`, t)) }] },
    { stop: 2, recordEvery: 0.1, relative: 1e-8, absolute: 1e-10 },
  );
const last = (lines: readonly string[], ...names: string[]): number[] => {
  const run = runProject(project(lines));
  return names.map((n) => run.last(n));
};
const near = (...values: number[]) => values.map((x) => expect.closeTo(x, 6));

test.each([
  ['a list, and one of it', ['v = {1, 2*time, 3}', 'y = v[2] + 1'], ['y', 'v[3]'], [5, 3]],
  ['used before it is written', ['y = v*v', 'v = {1, time}'], ['y'], [5]],
  ['operators', ['v = {1, time}', 'w = 2*v - {1, 1}', 'y = sum(w)'], ['w[1]', 'w[2]', 'y'], [1, 3, 4]],
  ['matrices', ['A = [1, 2; 3, 4]', 'v = A*{time, 1}', 'B = A*A'], ['v[1]', 'v[2]', 'B[2,1]'], [4, 10, 15]],
  ['part of a list', ['v = {1, 2, 3}', 'a = v[2:3]', 'y = a*a'], ['y'], [13]],
  ['made by an index', ['b = {i*time for i in 1:3}', 'y = sum(b)'], ['y'], [12]],
  ['truths', ['on = {time > 1, time > 3}', 'y = if on[1] and not on[2] then 1 else 0'], ['y'], [1]],
  ['a function for one number, for each', ['v = limit({1, 2*time}, 0, 3)'], ['v[1]', 'v[2]'], [1, 3]],
  ['choose by index', ['v = {5, 6, 7}', 'k = 1 + integer(time/1.1)', 'y = choose(k, v)'], ['y'], [6]],
  [
    'a block for each, with values for all and for each',
    ['y = integrate({1, 2}, start = {5, 6})', 'z = integrate({1, 2}, start = 5)'],
    ['y[1]', 'y[2]', 'z[2]'],
    [7, 10, 9],
  ],
] as const)('%s', (_, lines, names, values) => expect(last([...lines], ...names)).toEqual(near(...values)));

test('a list of states that need each other: a swing, and a loop closed through a matrix', () => {
  expect(last(['x = integrate({x[2], -x[1]}, start = {1, 0})'], 'x[1]', 'x[2]')).toEqual(
    near(Math.cos(2), -Math.sin(2)),
  );
  const [x1] = last(['A = [0, 1; -4, -1]', 'x = integrate(A*x + {0, 1}*(1 - x[1]))'], 'x[1]');
  const [scalar] = last(['a = integrate(b)', 'b = integrate(1 - 5*a - b)'], 'a');
  expect(x1).toBeCloseTo(scalar, 6);
});

test('at ticks as well', () => {
  const run = runProject(project(['v = {1, 2}', 'y = integrate(v)', 'z = delayBy(y, 2)'], '0.1'));
  expect([run.at('y[2]', 1.05), run.at('z[2]', 1.05)]).toEqual(near(2, 1.6));
});

test('lengths that do not fit are told at their line', () => {
  expect(checkProject(project(['v = {1, 2, 3}', 'y = v + {1, 2}'])).problems).toMatchObject([
    { place: 'type/t/signals/s/line/l1/text', message: expect.stringMatching(/size \[3\] and size \[2\]/) },
  ]);
});
