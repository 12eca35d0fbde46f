import { applyEdit, type Edit } from '../editing/edits';
import type { Project } from '../project/project';
import { tubeCapper } from '../../samples/tube-capper';
import { basisOf, basisUnder, outOfDate } from './basis';
import { standingOf } from './standing';

const [setup] = tubeCapper.setups;
const basis = basisOf(tubeCapper, setup);
const edited = (edit: Edit, project: Project = tubeCapper): Project => {
  const { project: next, refused } = applyEdit(project, edit);
  expect(refused).toBeUndefined();
  expect(next).not.toBe(project);
  return next;
};
const update = (list: string, id: string, changes: Record<string, unknown>, project?: Project): Project =>
  edited({ kind: 'update', list, id, changes }, project);
const [first, second] = tubeCapper.requirements;
const type = tubeCapper.types.find((t) => t.charts.length > 0 && t.quantities.length > 0)!;
const [quantity] = type.quantities;
const [chart] = type.charts;
const [state] = chart.states;
const whys = (project: Project): string[] => project.requirements.slice(0, 2).map(outOfDate(project, basis));

test('nothing is out of date just after a run, nor where nothing is known of what it ran with', () => {
  expect(whys(tubeCapper)).toEqual(['', '']);
  expect(outOfDate(tubeCapper, undefined)(first)).toBe('');
});

test.each<[string, Project, string, string]>([
  [
    'its text',
    update('requirement', first.id, { text: 'The spindle speed shall not exceed 331 rpm.' }),
    'its text or formula, or what it is about, has changed since the run',
    '',
  ],
  [
    'its wording, though it says the same,',
    update('requirement', first.id, { text: 'The spindle speed must not exceed 330 rpm.' }),
    'its text or formula, or what it is about, has changed since the run',
    '',
  ],
  [
    'its formula',
    update('requirement', first.id, { formula: 'always(time < 9)' }),
    'its text or formula, or what it is about, has changed since the run',
    '',
  ],
  [
    'what it is about',
    update('requirement', first.id, { about: 't-spindleontest' }),
    'its text or formula, or what it is about, has changed since the run',
    '',
  ],
  [
    'a value of the model',
    update(`type/${type.id}/quantity`, quantity.id, { value: '77' }),
    'the model has changed since the run',
    'the model has changed since the run',
  ],
  [
    'the physics',
    update('type', type.id, { physics: `${type.physics}\n// more` }),
    'the model has changed since the run',
    'the model has changed since the run',
  ],
  [
    'an action of a state',
    update(`type/${type.id}/chart/${chart.id}/state`, state.id, { exit: 'send x;' }),
    'the model has changed since the run',
    'the model has changed since the run',
  ],
  [
    'the setup',
    update('setup', setup.id, { stop: setup.stop + 1 }),
    'the setup has changed since the run',
    'the setup has changed since the run',
  ],
  [
    'no setup',
    edited({ kind: 'remove', list: 'setup', id: setup.id }),
    'the setup of the run is gone',
    'the setup of the run is gone',
  ],
  ['another setup', update('setup', tubeCapper.setups[1].id, { stop: 99 }), '', ''],
  ['a note', update('type', type.id, { note: 'said of it' }), '', ''],
  ['where a card stands', update(`type/${type.id}/chart/${chart.id}/state`, state.id, { x: state.x + 50 }), '', ''],
])('%s has changed', (_, project, one, other) => {
  expect(whys(project)).toEqual([one, other]);
});

test('a phrase with another meaning changes what its sentences say', () => {
  const phrase = tubeCapper.glossary.find((g) => g.phrase.includes('spindle speed'))!;
  const project = update('glossary', phrase.id, { meaning: 'spindle.current' });
  const old = outOfDate(project, basis);
  const texts = project.requirements.filter((r) => old(r) !== '').map((r) => r.text);
  expect(texts.length).toBeGreaterThan(0);
  for (const text of texts) expect(text).toContain('spindle speed');
});

test('back as it was, it counts again; renamed, it still does', () => {
  const there = update('requirement', first.id, { text: 'Something else.' });
  expect(whys(update('requirement', first.id, { text: first.text }, there))).toEqual(['', '']);
  const renamed = edited({
    kind: 'rename',
    list: `type/${type.id}/quantity`,
    id: quantity.id,
    name: 'renamedQuantity',
  });
  expect(whys(renamed)[0]).not.toBe('');
  const under = basisUnder(basis, tubeCapper, renamed);
  expect(renamed.requirements.map(outOfDate(renamed, under)).filter((x) => x !== '')).toEqual([]);
  // what was out of date before stays so
  const old = update('type', type.id, { physics: `${type.physics}\n// more` });
  const both = edited(
    { kind: 'rename', list: `type/${type.id}/quantity`, id: quantity.id, name: 'renamedQuantity' },
    old,
  );
  expect(outOfDate(both, basisUnder(basis, old, both))(second)).toBe('the model has changed since the run');
});

test('what stands of a requirement says so', () => {
  const finding = {
    id: first.id,
    key: first.key,
    verdict: 'holds' as const,
    margin: 1,
    unit: 'rpm',
    worstAt: 0,
    failsSince: undefined,
    reason: '',
    lane: [],
  };
  expect(standingOf(first, finding, undefined, 'the model has changed since the run', 'Careful')).toEqual({
    basis: 'run',
    finding,
    doubt: 'the model has changed since the run',
    setup: 'Careful',
  });
  expect(standingOf(first, undefined, finding, 'the model has changed since the run').doubt).toBe('');
});
