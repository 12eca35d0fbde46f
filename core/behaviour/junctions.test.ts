import { wordOf } from '../simulate/configurations';
import type { Problem } from '../language/diagnostics';
import {
  emptyProject,
  newChart,
  newQuantity,
  newSetup,
  newState,
  newTransition,
  newType,
  type ChartState,
  type Project,
  type StateKind,
  type Transition,
} from '../project/project';
import { createRun, isRunnable, prepareRun } from '../run';
import { readChart } from './chart-source';

const state = (name: string, kind: StateKind = 'state', initial = false): ChartState => ({
  ...newState(name, name, null, 0, 0, kind),
  initial,
});
const arrow = (from: string, to: string, on = '', guard = '', effect = ''): Transition => ({
  ...newTransition(`${from}-${to}${guard ? `-${guard.length}` : ''}`, from, to),
  triggers: on ? [{ kind: 'message', on }] : [],
  guard,
  effect,
});

/** Sends `go` at 1 s to a part whose x starts with a value, and tells the state it is in then, and x. */
function went(
  fork: StateKind,
  transitions: readonly Transition[],
  x: number,
): { state: string; x: number; taken: number } {
  const chart = {
    ...newChart('c', 'mode'),
    states: [state('A', 'state', true), state('J', fork), state('K', fork), state('B'), state('C'), state('D')],
    transitions,
  };
  const type = {
    ...newType('t', 'T'),
    quantities: [{ ...newQuantity('x', 'x'), value: String(x) }],
    charts: [chart],
    ports: [{ id: 'p', name: 'in', accepts: ['go'], sends: [], note: '' }],
  };
  const project: Project = {
    ...emptyProject('p', 'P'),
    root: 't',
    types: [type],
    setups: [
      { ...newSetup('s', 'S'), stop: 2, stimulus: [{ id: 'g', time: 1, kind: 'send', target: 'go', value: '' }] },
    ],
  };
  const prepared = prepareRun(project, project.setups[0]);
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join('; '));
  const run = createRun(prepared);
  run.simulation.advance(Infinity);
  const recording = run.recorder.take();
  const column = (name: string) => recording.columns.find((c) => c.name === name)!;
  const mode = column('mode');
  return {
    state: wordOf(mode, mode.values[recording.rows - 1]),
    x: column('x').values[recording.rows - 1],
    taken: recording.transitions.length,
  };
}
const fork = [
  arrow('A', 'J', 'go', '', 'x := x + 1;'),
  arrow('J', 'B', '', 'x > 0', 'x := x + 10;'),
  arrow('J', 'C', '', 'else', 'x := x + 100;'),
];

test('a junction decides before its effects, a choice after the one on the way in', () => {
  expect(went('junction', fork, 0)).toEqual({ state: 'C', x: 101, taken: 1 });
  expect(went('choice', fork, 0)).toMatchObject({ state: 'B', x: 11 });
  expect(went('junction', fork, 5)).toEqual({ state: 'B', x: 16, taken: 1 });
});
test('where no way out is free, the state is not left and nothing is done', () => {
  expect(went('junction', fork.slice(0, 2), 0)).toEqual({ state: 'A', x: 0, taken: 0 });
});
test('junctions lead to junctions, and take several ways in', () => {
  const chain = [
    arrow('A', 'J', 'go', 'x < 9', 'x := 2*x;'),
    arrow('J', 'K', '', 'x > 1'),
    arrow('J', 'D', '', 'else'),
    arrow('K', 'B', '', 'x > 2', 'x := x + 1;'),
    arrow('K', 'C', '', 'else', 'x := -x;'),
  ];
  expect(went('junction', chain, 3)).toEqual({ state: 'B', x: 7, taken: 1 });
  expect(went('junction', chain, 2)).toEqual({ state: 'C', x: -4, taken: 1 });
  expect(went('junction', chain, 1)).toEqual({ state: 'D', x: 2, taken: 1 });
  expect(went('junction', chain, 10)).toEqual({ state: 'A', x: 10, taken: 0 });
});
test('each way out is one transition that knows all its pieces; states keep their order without junctions', () => {
  const problems: Problem[] = [];
  const source = readChart(
    {
      ...newChart('c', 'mode'),
      states: [state('A', 'state', true), state('J', 'junction'), state('B'), state('C')],
      transitions: fork,
    },
    'chart',
    problems,
  );
  expect(problems).toEqual([]);
  expect(source.states.map((s) => s.name)).toEqual(['A', 'B', 'C']);
  expect(source.transitions.map((t) => [t.from, t.targets, t.place, t.via, t.effect.length])).toEqual([
    [0, [1], 'chart/transition/A-J', ['chart/transition/J-B-5'], 2],
    [0, [2], 'chart/transition/A-J', ['chart/transition/J-C-4'], 2],
  ]);
});
test.each([
  ['leads nowhere', [arrow('A', 'J', 'go')], /The junction J leads nowhere/],
  [
    'goes in a circle',
    [arrow('A', 'J', 'go'), arrow('J', 'K', '', 'x > 1'), arrow('K', 'J', '', 'x > 2')],
    /The junction J leads back to itself/,
  ],
  ['waits', [arrow('A', 'J', 'go'), arrow('J', 'B', 'stop')], /What leaves the junction J has a guard only/],
  ['begins', [arrow('S', 'J'), arrow('J', 'B')], /A beginning cannot lead to a junction/],
])('one that %s is told', (_, transitions, wanted) => {
  const problems: Problem[] = [];
  readChart(
    {
      ...newChart('c', 'mode'),
      states: [
        state('A', 'state', true),
        state('S', 'start'),
        state('J', 'junction'),
        state('K', 'junction'),
        state('B'),
      ],
      transitions,
    },
    'chart',
    problems,
  );
  expect(problems.map((p) => p.message).join()).toMatch(wanted);
});
