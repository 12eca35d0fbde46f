import { emptyProject, newChart, newProcedure, newState, newType, type PartType } from '../project/project';
import { projectLibrary } from './from-project';

const chart = { ...newChart('c', 'mode'), states: [{ ...newState('a', 'Off', null, 0, 0), entry: 'x := ;' }] };
const procedure = { ...newProcedure('f', 'Fill') };
const one: PartType = { ...newType('t1', 'One'), charts: [chart], procedures: [procedure] };
const project = (...types: PartType[]) => ({ ...emptyProject('p', 'P'), types });
const places = (...types: PartType[]): (string | undefined)[] =>
  projectLibrary(project(...types)).problems.map((p) => p.place);
const chartsOf = (type: PartType) => projectLibrary(project(type)).library.top.get(type.name)!.behaviour!().charts;

test('problems of the texts of a chart are told at their place, in every type that has the same chart', () => {
  expect(places(one)).toEqual(['type/t1/chart/c/state/a/entry']);
  expect(places(one, { ...one, id: 't2', name: 'Two' })).toEqual([
    'type/t1/chart/c/state/a/entry',
    'type/t2/chart/c/state/a/entry',
  ]);
  expect(places(one)).toEqual(['type/t1/chart/c/state/a/entry']);
});

test('a chart is read again when it has changed, and not when something beside it has', () => {
  const [before, fill] = chartsOf(one);
  const [beside, same] = chartsOf({ ...one, physics: 'x = 1;' });
  expect(beside).toBe(before);
  expect(same).toBe(fill);
  const [renamed] = chartsOf({ ...one, charts: [{ ...chart, name: 'phase' }] });
  expect(renamed.name).toBe('phase');
  // a procedure may call the others of its type
  const [, again] = chartsOf({ ...one, procedures: [procedure, newProcedure('g', 'Drain')] });
  expect(again).not.toBe(fill);
});
