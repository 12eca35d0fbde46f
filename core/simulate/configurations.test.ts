import { chart, projectOf, quantity, runProject, state, transition } from '../testing/run-project';
import { activeLeaves, isAround, wordOf } from './configurations';
import type { ColumnHead } from './recording';

/** What is active together, as a column of a recording tells it. */

const column: ColumnHead = {
  name: 'mode',
  unit: '',
  kind: 'states',
  // a name may hold what once kept texts apart
  literals: ['Run', 'Run.A', 'Run.A.One', 'Run.B', 'Run.B.a + b', 'Off'],
  configurations: [[5], [2, 4], []],
};

test('values are sets of innermost states, and words name them all', () => {
  expect(activeLeaves(column, 0)).toEqual(['Off']);
  expect(activeLeaves(column, 1)).toEqual(['Run.A.One', 'Run.B.a + b']);
  expect(activeLeaves(column, 2)).toEqual([]);
  expect(activeLeaves(column, 7)).toEqual([]);
  expect([0, 1, 2].map((v) => wordOf(column, v))).toEqual(['Off', 'Run.A.One + Run.B.a + b', '']);
  expect(wordOf({ ...column, kind: 'literal' }, 5)).toBe('Off');
});

test('a state is active with those inside it, and one whose name only begins alike is not', () => {
  const leaves = activeLeaves(column, 1);
  for (const path of ['Run', 'Run.A', 'Run.A.One', 'Run.B', 'Run.B.a + b']) expect(isAround(path, leaves)).toBe(true);
  for (const path of ['Ru', 'Run.A.On', 'b', 'Off', 'Run.A.One.x']) expect(isAround(path, leaves)).toBe(false);
  expect(isAround('Run', undefined)).toBe(false);
});

test('a chart with regions is recorded by the states that were active, whatever order they were entered in', () => {
  const region = (name: string, parent: string | null) => ({ ...state(name), id: name, parent });
  const project = projectOf(
    {
      quantities: [quantity('x', '0', { unit: '' })],
      physics: 'equation der(x) = 1;',
      charts: [
        chart(
          'mode',
          [
            { ...region('Both', null), kind: 'parallel' as const },
            region('Left', 'Both'),
            region('L1', 'Left'),
            region('L2', 'Left'),
            region('Right', 'Both'),
            region('R1', 'Right'),
            region('R2', 'Right'),
          ],
          [
            transition('L1', 'L2', "after 0.2 's'"),
            transition('R1', 'R2', "after 0.1 's'"),
            transition('L2', 'L1', "after 0.3 's'"),
          ],
        ),
      ],
    },
    { stop: 1 },
  );
  const { recording } = runProject(project);
  const mode = recording.columns.find((c) => c.name === 'mode')!;
  const at = (t: number): readonly string[] =>
    activeLeaves(mode, mode.values[recording.time.findLastIndex((x) => x <= t)]);
  expect(at(0.05)).toEqual(['Both.Left.L1', 'Both.Right.R1']);
  expect(at(0.15)).toEqual(['Both.Left.L1', 'Both.Right.R2']);
  expect(at(0.25)).toEqual(['Both.Left.L2', 'Both.Right.R2']);
  expect(at(0.55)).toEqual(['Both.Left.L1', 'Both.Right.R2']);
  // the same set is the same value again
  expect(mode.configurations!.map((s) => s.join())).toEqual([...new Set(mode.configurations!.map((s) => s.join()))]);
});
