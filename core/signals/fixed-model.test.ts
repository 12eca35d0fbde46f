import { tubeCapper } from '../../samples/tube-capper';
import {
  emptyProject,
  newQuantity,
  newSetup,
  newSignalLine,
  newSignalSheet,
  newType,
  type PartType,
} from '../project/project';
import { createRun, isRunnable, prepareRun } from '../run';
import type { Project } from '../project/project';
import { estimateAt, following, sizeOf, ticksOf, type ReadRecording } from '../studies/estimates';
import { estimatorsOf, namesBehind } from './estimators';
import { fixedModel, isModelOf, ownName } from './fixed-model';

/** What an estimator has learnt kept as a line: what the line says, and that it is the model that was learnt. */

const typeOf = (lines: readonly string[], every = "0.1 's'"): PartType => ({
  ...newType('a', 'A'),
  quantities: [{ ...newQuantity('q-g', 'g'), role: 'parameter', value: '2' }],
  signals: [{ ...newSignalSheet('s', 'S'), every, lines: lines.map((text, k) => newSignalLine(`z${k}`, text)) }],
});
const keep = (lines: readonly string[], output: string, values: readonly number[]) => {
  const type = typeOf(lines);
  return fixedModel(
    type,
    estimatorsOf(type)[0],
    values.map((value) => ({ value, unit: '' })),
    output,
    'own',
  );
};

test.each([
  // the plain case: y from its own past
  [['e = leastSquares(y, {delayBy(y), u})'], 'y', [0.9, 0.2], 'own = 0.9 * delayBy(own) + 0.2 * u'],
  [['e = leastSquares(y, {u, delayBy(y, n = 2)})'], 'y', [0.2, -0.5], 'own = 0.2 * u - 0.5 * delayBy(own, n = 2)'],
  [
    ['e = leastSquares(y, {delayBy(u + y), delayBy(if y > 0 then u else sin(y))})'],
    'y',
    [0.9, 2],
    'own = 0.9 * delayBy(u + own) + 2 * delayBy(if own > 0 then u else sin(own))',
  ],
  // regressors by the names of lines are written out where they depend on it, and stay names where not
  [
    ['before = delayBy(y)', 'drive = g*u', 'e = leastSquares(y, {before, drive})'],
    'y',
    [0.5, 2],
    'own = 0.5 * delayBy(own) + 2 * drive',
  ],
  // solved for what is in the regressors: f = m difference(v)/T + d v
  [['e = leastSquares(f, {difference(v)/T, v})'], 'v', [3, 2], 'own = (f + 3 * (delayBy(own) / T)) / (3 / T + 2)'],
  // on both sides
  [['e = leastSquares(y - u, {y, delayBy(y)})'], 'y', [0.25, 1], 'own = (-u - delayBy(own)) / (-0.75)'],
])('%j for %s', (lines, output, values, text) => {
  expect(keep(lines, output, values)).toEqual({ name: 'own', text });
});

test.each([
  [['e = leastSquares(y, {lag(y, T = 1), u})'], 'y', 'lag(y, T = 1) cannot be solved for y'],
  [['e = leastSquares(y, {y*y, u})'], 'y', 'y * y cannot be solved for y'],
  [['e = leastSquares(y, {1/y, u})'], 'y', '1 / y cannot be solved for y'],
  [['e = leastSquares(y, {delayBy(y, n = 0), u})'], 'y', 'delayBy(y, n = 0) cannot'],
  [['e = leastSquares(y, {a, u})', 'a = b + y', 'b = a'], 'y', 'goes round'],
  [['e = leastSquares(y, {delayBy(u), u})'], 'w', 'w is not in e at the tick itself'],
  [['e = leastSquares(y, {delayBy(v), u})'], 'v', 'v is not in e at the tick itself'],
  [['e = leastSquares(y, list)'], 'y', 'are not written as a list'],
  [['e = kalman({y})'], 'y', 'Only what least squares found'],
])('%j is refused for %s', (lines, output, why) => {
  expect(keep(lines, output, [1, 2])).toEqual({ why: expect.stringContaining(why) });
});

test('a model is known again by its name', () => {
  const lines = ['speedFixed', 'speedFixed2', 'speedFixedPoint', 'speed', 'motor_speedFixed'];
  expect(lines.filter((l) => isModelOf('speed', l))).toEqual(['speedFixed', 'speedFixed2']);
  expect(lines.filter((l) => isModelOf('motor.speed', l))).toEqual(['motor_speedFixed']);
});

test('what a model could give: names behind the regressors first, parameters not', () => {
  const type = typeOf(['drive = g*u', 'e = leastSquares(f, {difference(v), drive})']);
  expect(namesBehind(type, estimatorsOf(type)[0])).toEqual(['drive', 'v', 'u', 'f']);
});

const recordingOf = (project: Project, setupId: string): ReadRecording => {
  const prepared = prepareRun(
    project,
    project.setups.find((s) => s.id === setupId)!,
  );
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join('; '));
  const { simulation, recorder } = createRun(prepared);
  simulation.advance(Infinity);
  if (simulation.problem) throw new Error(simulation.problem.message);
  const { rows, time, columns } = recorder.take();
  const byName = new Map(columns.map((c) => [c.name, c]));
  return { rows, time, column: (name) => byName.get(name) };
};
const withLine = (project: Project, typeId: string, text: string): Project => ({
  ...project,
  types: project.types.map((t) =>
    t.id === typeId
      ? { ...t, signals: t.signals.map((s) => ({ ...s, lines: [...s.lines, newSignalLine('z-own', text)] })) }
      : t,
  ),
});

test('of a process that is exactly of its form the model goes with it, from the same start, whatever it is driven by', () => {
  const type = typeOf([
    'u = sine(f = 0.31) + pulse(every = 3, width = 0.4)',
    'y = 0.8*delayBy(y) + 0.5*delayBy(u)',
    'e = leastSquares(y, {delayBy(y), delayBy(u)}, noise = 1e-3)',
  ]);
  const project: Project = {
    ...emptyProject('p', 'P'),
    root: 'a',
    types: [type],
    setups: [{ ...newSetup('u', 'U'), stop: 20, recordEvery: 0.1 }],
  };
  const learnt = recordingOf(project, 'u');
  const estimator = estimatorsOf(type)[0];
  const facts = estimateAt(learnt, 'e', estimator, ticksOf(learnt, 'e'), 10);
  expect(facts.time).toBeCloseTo(10, 6);
  expect(facts.values.map((v) => v.label)).toEqual(['of delayBy(y)', 'of delayBy(u)']);
  expect(facts.values[0].value).toBeCloseTo(0.8, 4);
  expect(facts.values[1].value).toBeCloseTo(0.5, 4);
  const model = fixedModel(type, estimator, facts.values, 'y', ownName('y'));
  if (!('text' in model)) throw new Error(model.why);
  expect(model.name).toBe('yFixed');
  const beside = recordingOf(withLine(project, 'a', model.text), 'u');
  const said = following(
    [...beside.time.slice(0, beside.rows)],
    [...beside.column('y')!.values],
    [...beside.column('yFixed')!.values],
    0.01,
  );
  expect(said.fit).toBeGreaterThan(99.9);
  expect(said).toMatchObject({ begins: false, ends: false });
});

test('states of a filter have their units, their deviations and an error as well', () => {
  const type = typeOf([
    "level = 3 'm' + 0.1 'm'*noise(seed = 5)",
    'k = kalman({level}, A = [0, 1; 0, 0], R = {0.0033}, Q = [1e-9, 0; 0, 1e-9])',
  ]);
  const project: Project = {
    ...emptyProject('p', 'P'),
    root: 'a',
    types: [type],
    setups: [{ ...newSetup('u', 'U'), stop: 30, recordEvery: 0.1 }],
  };
  const run = recordingOf(project, 'u');
  const facts = estimateAt(run, 'k', estimatorsOf(type)[0], ticksOf(run, 'k'), 30);
  expect(facts.values.map((v) => v.label)).toEqual(['state 1', 'state 2']);
  expect(Math.abs(facts.values[0].value - 3)).toBeLessThan(3 * facts.values[0].deviation);
  expect(facts.values[0].deviation).toBeLessThan(0.02);
  // a slope that is near nothing is the least certain for its size
  expect(facts.leastCertain).toBe(1);
  expect(facts.correlation[0][1]).toBeGreaterThan(0.3);
  expect(facts.error!.kind).toBe('white');
  expect(facts.error!.rms).toBeCloseTo(0.1 / Math.sqrt(3), 2);
  expect(facts.notTold).toEqual([]);
});

test('a bearing that wears at 40 s: friction and inertia are found, it is noticed, and what was known before follows until then', () => {
  const setup = 'u-worn-bearing';
  const type = tubeCapper.types.find((t) => t.name === 'SpindleWatch')!;
  const run = recordingOf(tubeCapper, setup);
  const estimator = estimatorsOf(type)[0];
  const ticks = ticksOf(run, 'watch.est');
  expect(sizeOf(run, 'watch.est')).toBe(2);
  const at = (t: number) => estimateAt(run, 'watch.est', estimator, ticks, t);
  const [healthy, worn] = [at(38), at(60)];
  // at the spindle: Js + efficiency gear^2 Jm, and the friction
  const inertia = 4e-5 + 0.85 * 100 * 1.06e-5;
  expect(healthy.values[0].value / inertia).toBeCloseTo(1, 1);
  expect(Math.abs(healthy.values[1].value - 2e-4)).toBeLessThan(2 * healthy.values[1].deviation);
  expect(Math.abs(worn.values[1].value - 4e-4)).toBeLessThan(2 * worn.values[1].deviation);
  expect(healthy.leastCertain).toBe(1);
  expect(healthy.values.map((v) => v.unit)).toEqual(['kg.m2', 'kg.m2/s']);
  // its noise is that of the speed, taken as differences; after the change something is still to be explained
  expect(healthy.error!.kind).toBe('difference');
  expect(at(43).error!.kind).toBe('together');
  expect(healthy.notTold).toEqual([]);
  const alarm = run.column('watch.worn')!.values;
  const noticed = run.time[alarm.findIndex((x) => x > 0.5)];
  expect(noticed).toBeGreaterThan(40);
  expect(noticed).toBeLessThan(43);

  const model = fixedModel(type, estimator, healthy.values, 'speed', 'speedFixed');
  if (!('text' in model)) throw new Error(model.why);
  const beside = recordingOf(withLine(tubeCapper, type.id, model.text), setup);
  expect(beside.column('watch.speedFixed')!.unit).toBe('1/s');
  const said = following(
    [...beside.time.slice(0, beside.rows)],
    [...beside.column('watch.speed')!.values],
    [...beside.column('watch.speedFixed')!.values],
    1.5,
  );
  expect(said.within!.to).toBeGreaterThan(40);
  expect(said.within!.to).toBeLessThan(42);
  expect(said.within!.from).toBeLessThan(20);
  expect(said.within!.fit).toBeGreaterThan(85);
  expect(said.ends).toBe(true);
});
