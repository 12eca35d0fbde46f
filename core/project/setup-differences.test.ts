import { tubeCapper } from '../../samples/tube-capper';
import { projectOf, row } from '../testing/run-project';
import { newSequence } from './project';
import { setupDifferences } from './setup-differences';

const project = projectOf({ name: 'Lamp', sequences: [{ ...newSequence('q', 'Warm up') }] });
const [setup] = project.setups;
const differs = (changes: Partial<typeof setup>) =>
  setupDifferences(project, setup, { ...setup, id: 'other', name: 'Other', ...changes }).map((d) => [
    d.what,
    d.here,
    d.there,
  ]);

test('setups that differ in their names and notes only do the same', () => {
  expect(differs({ note: 'for the fair' })).toEqual([]);
});

test('each thing a setup says is told by its name', () => {
  expect(differs({ stop: 3 })).toEqual([['duration in s', '2', '3']]);
  expect(differs({ solver: 'rk4', step: 0.25 })).toEqual([
    ['solver', setup.solver, 'rk4'],
    ['step in s', String(setup.step), '0.25'],
  ]);
  expect(differs({ relative: 1e-3 })).toEqual([['relative tolerance', String(setup.relative), '0.001']]);
  expect(differs({ absolute: 1e-3 })).toEqual([['absolute tolerance', String(setup.absolute), '0.001']]);
  expect(differs({ recordEvery: 1 })).toEqual([['recorded every', '0.01', '1']]);
  expect(differs({ endWhen: 'x > 1' })).toEqual([['ends when', '', 'x > 1']]);
  expect(differs({ record: ['x', 'y'] })).toEqual([['records', '', 'x, y']]);
  expect(differs({ startIn: ['mode.On'] })).toEqual([['starts in', '', 'mode.On']]);
  expect(differs({ stages: [{ part: 'ctrl', stage: 'code', board: '' }] })).toEqual([
    ['stage of ctrl', 'designed', 'code'],
  ]);
  expect(differs({ screen: false })).toEqual([['screen', 'shown', 'without']]);
  expect(differs({ sequences: ['q'] })).toEqual([['follows', '', 'Warm up']]);
});

test('a changed value is told beside what it is as designed, whichever of the two has it', () => {
  const changed = { ...setup, changes: [{ id: 'c', name: 'k', value: "3 'rad/s'" }] };
  expect(setupDifferences(project, changed, setup)).toEqual([
    { what: 'value of k', here: "3 'rad/s'", there: 'as designed' },
  ]);
  expect(setupDifferences(project, setup, changed)[0]).toEqual({
    what: 'value of k',
    here: 'as designed',
    there: "3 'rad/s'",
  });
});

test('what happens from outside is told by its time; several at one time together', () => {
  const stimulus = [row('send', 0.5, 'lamp.on'), row('set', 1, 'u', '2'), row('set', 1, 'u', '3')];
  expect(differs({ stimulus })).toEqual([
    ['0.5 s: send lamp.on', '', 'yes'],
    ['1 s: set u', '', '2, 3'],
  ]);
});

test('a setup of another part type, and a sequence that is gone', () => {
  const other = { ...project.types[0], id: 'u', name: 'Fan', sequences: [] };
  const both = { ...project, types: [...project.types, other] };
  expect(setupDifferences(both, setup, { ...setup, root: 'u', sequences: ['gone'] })).toEqual([
    { what: 'runs', here: 'Lamp', there: 'Fan' },
    { what: 'follows', here: '', there: 'gone' },
  ]);
});

test('the setups of the capper: eager is careful but for its speed', () => {
  const named = (name: string) => tubeCapper.setups.find((s) => s.name === name)!;
  const found = setupDifferences(tubeCapper, named('Careful'), named('Eager'));
  expect(found.map((d) => d.what)).toContain('value of ctrl.creepSpeed');
  for (const d of found) expect(d.here).not.toBe(d.there);
});
