import { applyEdit, undoEdit, type Edit } from '../editing/edits';
import { newPart, newType, type Project } from '../project/project';
import { chart, projectOf, quantity, runProject, state, transition } from '../testing/run-project';
import { changedNames, presentNames } from './present-names';

const base: Project = (() => {
  const p = projectOf({
    parts: [newPart('p-m', 'm', 'motor')],
    physics: 'Motor row[2]; extends Common; equation total = m.speed + row[2].speed;',
    quantities: [quantity('total', '0', { id: 'q-total' })],
  });
  const motor = {
    ...newType('motor', 'Motor'),
    quantities: [quantity('speed', '0', { id: 'q-speed' })],
    physics: 'equation der(speed) = if in(mode.On.Fast) then 2 else 1;',
    charts: [
      chart(
        'mode',
        [state('Off'), state('On'), state('Slow', { parent: 'On', initial: true }), state('Fast', { parent: 'On' })],
        [transition('Off', 'Fast', "after 0.5 's'")],
      ),
    ],
  };
  const common = {
    ...newType('common', 'Common'),
    quantities: [quantity('shared', '3', { role: 'parameter', id: 'q-s' })],
  };
  return { ...p, types: [...p.types, motor, common] };
})();
const after = (edit: Edit) => {
  const result = applyEdit(base, edit);
  expect(result.refused).toBeUndefined();
  return result;
};
const recorded = (p: Project): string[] => runProject(p).recording.columns.map((c) => c.name);

test.each<[string, Edit]>([
  [
    'a quantity of a type with several parts',
    { kind: 'rename', list: 'type/motor/quantity', id: 'q-speed', name: 'omega' },
  ],
  ['a part', { kind: 'rename', list: 'type/t/part', id: 'p-m', name: 'main' }],
  ['a chart', { kind: 'rename', list: 'type/motor/chart', id: 'mode', name: 'phase' }],
  ['a quantity of the product', { kind: 'rename', list: 'type/t/quantity', id: 'q-total', name: 'sum' }],
  ['an inherited one', { kind: 'rename', list: 'type/common/quantity', id: 'q-s', name: 'common' }],
  ['a type', { kind: 'rename', list: 'type', id: 'motor', name: 'Engine' }],
])('what was recorded before %s was renamed has the names a new run records', (_, edit) => {
  const { project, inverse } = after(edit);
  const names = presentNames(base, project, changedNames(base, project), 'T');
  expect(new Set(recorded(base).map(names.path))).toEqual(new Set(recorded(project)));
  // and back
  const undone = undoEdit(project, inverse);
  const back = presentNames(project, undone, changedNames(project, undone), 'T');
  expect(recorded(project).map(back.path).sort()).toEqual(recorded(base).sort());
});

test('states are called as they are called now, inner ones too', () => {
  const { project } = after({ kind: 'rename', list: 'type/motor/chart/mode/state', id: 'On', name: 'Turning' });
  const names = presentNames(base, project, changedNames(base, project), 'T');
  expect(names.state('m.mode', 'On.Fast')).toBe('Turning.Fast');
  expect(['Off', 'On.Slow'].map((x) => names.state('row[1].mode', x))).toEqual(['Off', 'Turning.Slow']);
  const run = runProject(base);
  const literals = run.recording.columns.find((c) => c.name === 'm.mode')!.literals;
  const now = runProject(project).recording.columns.find((c) => c.name === 'm.mode')!.literals;
  expect(literals.map((x) => names.state('m.mode', x))).toEqual(now);
});

test('other edits change no names', () => {
  const { project } = after({ kind: 'update', list: 'type/t/quantity', id: 'q-total', changes: { note: 'x' } });
  expect(changedNames(base, project).size).toBe(0);
});
