import { chart, projectOf, quantity, runProject, state, transition } from '../testing/run-project';
import { prepareRun } from '../run/prepare';
import type { PartType, Project } from '../project/project';

/** `in(...)` in formulas: which state is meant, and whether it is active, with all that lies around and inside of it. */

const nested = chart(
  'mode',
  [
    state('Off'),
    { ...state('On'), id: 'On' },
    { ...state('Fast', { parent: 'On', initial: true }) },
    { ...state('Slow', { parent: 'On' }) },
    { ...state('Deep', { parent: 'Slow', initial: true }) },
  ],
  [transition('Off', 'On', "after 0.2 's'"), transition('Fast', 'Slow', "after 0.2 's'")],
);
const project = (formula: string, charts: PartType['charts'] = [nested]): Project =>
  projectOf(
    { quantities: [quantity('y', '', { role: 'variable' })], physics: `y = if ${formula} then 1 else 0;`, charts },
    { stop: 1 },
  );
/** The value in the first, the second and the last stretch of the run. */
const course = (formula: string): number[] => {
  const run = runProject(project(formula));
  return [0.1, 0.3, 0.7].map((t) => run.at('y', t));
};
const told = (formula: string, charts?: PartType['charts']): string[] => {
  const p = project(formula, charts);
  return prepareRun(p, p.setups[0]).problems.map((x) => x.message);
};

test('a state is named by itself, with its chart, or with states around it; each can be left out', () => {
  expect(course('in(Off)')).toEqual([1, 0, 0]);
  expect(course('in(mode.Off)')).toEqual([1, 0, 0]);
  expect(course('in(On)')).toEqual([0, 1, 1]);
  for (const name of ['Fast', 'mode.Fast', 'On.Fast', 'mode.On.Fast'])
    expect([name, course(`in(${name})`)]).toEqual([name, [0, 1, 0]]);
  for (const name of ['Deep', 'Slow.Deep', 'On.Slow.Deep', 'On.Deep', 'mode.On.Deep', 'mode.Slow.Deep'])
    expect([name, course(`in(${name})`)]).toEqual([name, [0, 0, 1]]);
  expect(course('in(On) and not in(Slow)')).toEqual([0, 1, 0]);
});

test('a way that does not lead there is told, with the nearest name', () => {
  expect(told('in(Fats)')).toEqual([expect.stringContaining('has no state Fats; did you mean Fast?')]);
  expect(told('in(mode.Off.Fast)')).toEqual([expect.stringContaining('has no state Off.Fast')]);
  expect(told('in(Slow.Fast)')).toEqual([expect.stringContaining('has no state Slow.Fast')]);
  expect(told('in(Fast.On)')).toEqual([expect.stringContaining('has no state Fast.On')]);
  expect(told('in(3)')).toEqual([expect.stringContaining('takes the name of a state')]);
});

test('a name that two charts have is asked about, not guessed', () => {
  const other = { ...chart('lamp', [state('Lit'), { ...state('Off'), id: 'off2' }], []), id: 'lamp' };
  expect(told('in(Off)', [nested, other])).toEqual(['Off is a state of mode and of lamp: write in(mode.Off)']);
  expect(told('in(mode.Off)', [nested, other])).toEqual([]);
  expect(told('in(lamp.Off)', [nested, other])).toEqual([]);
  expect(told('in(Lit)', [nested, other])).toEqual([]);
});
