import { tubeCapper } from '@/samples/tube-capper';
import type { OutsideAction } from '../run/protocol';
import { prepareRun } from '../run/prepare';
import { createRun, isRunnable } from '../run/run';
import { createTimeline } from '../run/timeline';
import { caseOfRun } from './case-of-run';
import { runCase } from './run-case';

const setup = {
  ...tubeCapper.setups.find((s) => s.name === 'Careful')!,
  stimulus: [],
  sequences: [],
  stop: 1.6,
};
const project = { ...tubeCapper, setups: [setup] };
const done: readonly OutsideAction[] = [
  { time: 0.2, kind: 'send', target: 'panel.start', value: 0 },
  { time: 0.9, kind: 'set', target: 'guard.open', value: 1 },
];
function ran(changes: readonly OutsideAction[] = done) {
  const prepared = prepareRun(project, setup);
  if (!isRunnable(prepared)) throw new Error(prepared.problems[0].message);
  const { run } = createTimeline(prepared, changes, new Set());
  run.simulation.advance(Infinity);
  return run.recorder.take();
}
let count = 0;
const idOf = (): string => `v-${count++}`;
const names = ['spindle.speed', 'cap.torque', 'ctrl.engage', 'ctrl.count', 'ctrl.mode', 'nothing.there'];

test('a run becomes a case that it passes, and that another product does not', () => {
  const made = { ...caseOfRun('As it was', { setup, actions: done, recording: ran() }, names, idOf), id: 'k' };
  expect(made.vectors.map((v) => `${v.way} ${v.target}`)).toEqual([
    'send panel.start',
    'set guard.open',
    'expect spindle.speed',
    'expect cap.torque',
    'expect ctrl.engage',
    'expect ctrl.count',
    'expect in(ctrl.mode.Running.WaitTube)',
    'expect in(ctrl.mode.Running.Turning.Fast)',
    'expect in(ctrl.mode.Stopped)',
  ]);
  expect(made.rows[0]).toEqual({
    time: 0.2,
    cells: expect.arrayContaining([{ column: made.vectors[0].id, value: 'x' }]) as unknown,
  });
  expect(made.rows.find((r) => r.time === 0.9)!.cells).toEqual([{ column: made.vectors[1].id, value: 'true' }]);
  const same = runCase(project, made);
  expect([same.verdict, same.why]).toEqual(['passed', '']);
  expect(same.vectors!.values).toHaveLength(7 * 8);
  // heavier, it does not turn as fast
  const heavier = {
    ...project,
    setups: [{ ...setup, changes: [{ id: 'c', name: 'spindle.Jm', value: '2e-5' }, ...setup.changes] }],
  };
  const other = runCase(heavier, made);
  expect([other.verdict, other.worst?.target]).toEqual(['failed', 'spindle.speed']);
  // without what was done by hand nothing of it comes
  expect(runCase(project, { ...made, vectors: made.vectors.slice(2) }).verdict).toBe('failed');
});

test('a run in which nothing was done, and nothing was recorded, makes a case that says nothing', () => {
  const recording = createRun(prepareRun(project, setup) as Parameters<typeof createRun>[0], {
    record: [],
  }).recorder.take();
  const made = caseOfRun('Empty', { setup, actions: [], recording }, names, idOf);
  expect([made.vectors, made.rows]).toEqual([[], []]);
});
