import { tubeCapper } from '../../samples/tube-capper';
import { createRun, isRunnable, prepareRun } from '../run';
import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseFile } from '../language/parse';
import { simulateText } from '../testing/simulate-text';
import { compile } from './compile';
import { createRecorder, recordable, rowAt, valueAt } from './recording';

const prepared = prepareRun(tubeCapper, tubeCapper.setups[0]);

test('columns: everything but parameters, charts by the names of their states', () => {
  const names = recordable(prepared.model);
  expect(names).toEqual(expect.arrayContaining(['spindle.speed', 'ctrl.mode', 'guard.open', 'psu.current']));
  expect(names.filter((n) => n.includes('$') || n === 'spindle.R')).toEqual([]);
});

test('wanted columns only', () => {
  const recorder = createRecorder(prepared.model, ['cap.torque']);
  expect(recorder.take().columns.map((c) => [c.name, c.unit])).toEqual([['cap.torque', 'N.m']]);
});

test('pieces and the whole agree; events come in pairs', () => {
  if (!isRunnable(prepared)) throw new Error('not runnable');
  const run = createRun(prepared, { record: ['spindle.speed', 'ctrl.mode'] });
  let rows = 0;
  for (let t = 0.1; t <= 2.01; t += 0.1) {
    run.simulation.advance(t);
    rows += run.recorder.takeNew().rows;
  }
  const all = run.recorder.take();
  expect(rows).toBe(all.rows);
  expect(all.time[all.rows - 1]).toBe(2);
  const doubled = [...all.time].filter((t, k) => k > 0 && all.time[k - 1] === t);
  expect(doubled).toContain(0.05);
  expect([...all.time].every((t, k) => k === 0 || t >= all.time[k - 1])).toBe(true);
});

test('a recording that reaches its bound keeps its span and thins out', () => {
  const recorder = createRecorder(prepared.model, ['spindle.speed'], { limit: 200 });
  const values = new Float64Array(prepared.model.variables.length);
  for (let k = 0; k <= 20_000; k++) recorder.row(k / 1000, values, 'sample');
  const all = recorder.take();
  expect(all.rows).toBeLessThanOrEqual(1601);
  expect(all.time[0]).toBe(0);
  expect(all.time[all.rows - 1]).toBeGreaterThan(19.9);
  expect([...all.time].every((t, k) => k === 0 || t > all.time[k - 1])).toBe(true);
});

test('looking values up', () => {
  const time = Float64Array.of(0, 1, 1, 2);
  expect([-1, 0, 0.5, 1, 1.5, 9].map((t) => rowAt(time, 4, t))).toEqual([-1, 0, 0, 2, 2, 3]);
  const recording = { rows: 4, time, columns: [], messages: [], transitions: [] };
  const column = (kind: 'real' | 'boolean') => ({
    name: 'x',
    unit: '',
    kind,
    literals: [],
    values: Float64Array.of(0, 10, 20, 30),
  });
  expect(valueAt(recording, column('real'), 0.5)).toBe(5);
  expect(valueAt(recording, column('real'), 1)).toBe(20);
  expect(valueAt(recording, column('boolean'), 1.9)).toBe(20);
  expect(valueAt(recording, column('real'), -1)).toBeUndefined();
});

test('columns that equal another one, or its negative, are kept once and come out as if they had been kept', () => {
  const { program, recording } = simulateText(
    'model T Real x(start = 1), y, z, w; equation der(x) = -x; y = x; z = -y; w = 2*x; end T;',
    'T',
    { stop: 1 },
  );
  const { aliases, model } = program.solvable;
  expect(aliases.size).toBeGreaterThan(0);
  const recorder = createRecorder(model, undefined, { aliases });
  const rows = recording.rows;
  for (let r = 0; r < rows; r++)
    recorder.row(
      recording.time[r],
      Float64Array.from(model.variables, (v) => recording.columns.find((c) => c.name === v.name)?.values[r] ?? 0),
      'sample',
    );
  expect(recorder.take().columns).toEqual(recording.columns);
  expect(recorder.takeNew().columns.find((c) => c.name === 'z')!.values[rows - 1]).toBeCloseTo(-Math.exp(-1), 6);
});

test('what was taken stays as it was while rows go on being added, and its equal columns are one array', () => {
  const { model } = flatten(
    libraryOfFile(
      parseFile('model Pair Real x(start = 1), y, z; equation der(x) = -x; y = x; z = -x; end Pair;').value,
      'test',
    ),
    'Pair',
  );
  const { program } = compile(model);
  const recorder = createRecorder(model, undefined, { aliases: program!.solvable.aliases, moving: program!.moving });
  const values = new Float64Array(program!.solvable.model.variables.length);
  const index = model.indexOf.get('x')!;
  const add = (n: number, from: number): void => {
    for (let k = 0; k < n; k++) {
      values[program!.solvable.aliases.get(index)?.index ?? index] = from + k;
      recorder.row(from + k, values, 'sample');
    }
  };
  add(10, 0);
  const early = recorder.take();
  add(50_000, 10);
  const late = recorder.take();
  const column = (r: typeof early, name: string): Float64Array => r.columns.find((c) => c.name === name)!.values;
  expect([...column(early, 'x')]).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 8, 9]);
  expect([...early.time]).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 8, 9]);
  expect(column(late, 'x')).toHaveLength(50_010);
  expect(column(late, 'x')[50_009]).toBe(50_009);
  expect(column(late, 'y')).toBe(column(late, 'x'));
  expect(column(late, 'z')[50_009]).toBe(-50_009);
});

test('a recorder goes on from a place in another one by itself, also where that has thinned its rows out since', () => {
  const { program } = simulateText('model T Real x(start = 1); equation der(x) = -x; end T;', 'T', { stop: 0.1 });
  const { model } = program.solvable;
  const recorder = createRecorder(model, undefined, { limit: 64 });
  const add = (to: typeof recorder, from: number, end: number): void => {
    for (let k = from; k < end; k++) to.row(k, new Float64Array(model.variables.length).fill(k), 'sample');
  };
  add(recorder, 0, 100);
  const mark = recorder.mark();
  const early = recorder.fork(mark, false);
  add(early, 500, 502);
  expect([...early.take().time].slice(98)).toEqual([98, 99, 500, 501]);
  expect(early.takeNew().after.rows).toBe(0);
  add(recorder, 100, 2000);
  expect(recorder.mark().thinned).toBeGreaterThan(0);
  const late = recorder.fork(mark, true);
  const times = [...late.take().time];
  expect(times.at(-1)).toBeLessThan(100);
  expect(times.at(-1)).toBeGreaterThan(80);
  expect(times.every((t, k) => k === 0 || t > times[k - 1])).toBe(true);
  // nothing of the thinned rows has been handed over yet
  expect(late.takeNew()).toMatchObject({ rows: times.length, after: { rows: 0 } });
});
