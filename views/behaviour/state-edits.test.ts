import { applyEdit, undoEdit, type Edit } from '@/core/editing/edits';
import { emptyProject, newChart, newState, newType, type Chart, type Project } from '@/core/project/project';
import { boxesOf } from './chart-geometry';
import { possibleParents, putInto, startHere, stateAfter, stateInside } from './state-edits';

/** Outer holds A, where it begins, and B; C stands beside it. */
const chart: Chart = {
  ...newChart('c', 'mode'),
  states: [
    { ...newState('outer', 'Outer', null, 10, 20), initial: true },
    { ...newState('a', 'A', 'outer', 30, 50), initial: true },
    newState('b', 'B', 'outer', 30, 140),
    newState('c1', 'C', null, 300, 20),
  ],
};
const project: Project = { ...emptyProject('p', 'P'), root: 't', types: [{ ...newType('t', 'T'), charts: [chart] }] };
const stateOf = (id: string, of: Chart = chart) => of.states.find((s) => s.id === id)!;
const newId = (prefix: string): string => `${prefix}-new`;
/** The chart after an edit; it can be taken back. */
function after(edit: Edit): Chart {
  const result = applyEdit(project, edit);
  expect(result.refused).toBeUndefined();
  expect(undoEdit(result.project, result.inverse)).toEqual(project);
  return result.project.types[0].charts[0];
}

test('a state is where those beside it begin, and no other of them; those elsewhere stay as they are', () => {
  const changed = after(startHere('t', chart, stateOf('b')));
  expect(changed.states.filter((s) => s.initial).map((s) => s.name)).toEqual(['Outer', 'B']);
});

test('the next state stands below, in the same state, with a transition that leads there', () => {
  const { edit, id } = stateAfter('t', chart, stateOf('a'), newId);
  const changed = after(edit);
  const added = stateOf(id, changed);
  expect(added).toMatchObject({ name: 'State1', parent: 'outer', x: 30, initial: false });
  expect(added.y).toBeGreaterThanOrEqual(50 + boxesOf(chart).get('a')!.height);
  expect(changed.transitions).toEqual([expect.objectContaining({ from: 'a', to: id, triggers: [] })]);
});

test('a state inside stands below the others there; the first is where they begin', () => {
  const { edit, id } = stateInside('t', chart, stateOf('outer'), newId);
  const added = stateOf(id, after(edit));
  expect(added).toMatchObject({ parent: 'outer', initial: false });
  expect(added.y).toBeGreaterThanOrEqual(140 + boxesOf(chart).get('b')!.height);
  const first = stateInside('t', chart, stateOf('c1'), newId);
  expect(stateOf(first.id, after(first.edit))).toMatchObject({ parent: 'c1', initial: true });
});

test('names of new states are free', () => {
  const taken = { ...chart, states: [...chart.states, newState('d', 'State1', null, 0, 0)] };
  const { edit } = stateInside('t', taken, stateOf('c1'), newId);
  expect(edit.kind === 'insert' && (edit.entry as { name: string }).name).toBe('State2');
});

test('a state can be put into the chart and into any state but itself and those inside of it', () => {
  expect(possibleParents(chart, stateOf('outer'))).toEqual([
    ['', 'the chart'],
    ['c1', 'C'],
  ]);
  expect(possibleParents(chart, stateOf('a')).map(([, name]) => name)).toEqual(['the chart', 'Outer', 'B', 'C']);
  expect(putInto(chart, 'c1')).toEqual({ parent: 'c1', x: 30, y: 50, initial: true });
  expect(putInto(chart, 'outer')).toMatchObject({ initial: false });
  expect(putInto(chart, '')).toMatchObject({ parent: null, initial: false });
});
