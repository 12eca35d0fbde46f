import { emptyProject, newChange, newPart, newQuantity, newType, type Project } from '../project/project';
import { designValueEdit } from './design-value';
import { applyEdit } from './edits';

const q = (name: string) => ({
  ...newQuantity(`q-${name}`, name),
  role: 'parameter' as const,
  value: '1',
  note: 'guess',
});
/** Machine { left: Drive, right: Drive, ctrl: Control { inner: Drive } }. */
const project = (more: Partial<Record<'left' | 'ctrl', string>> = {}): Project => ({
  ...emptyProject('p', 'P'),
  root: 'machine',
  types: [
    { ...newType('drive', 'Drive'), quantities: [q('friction')], physics: 'parameter Real inertia = 1;' },
    { ...newType('control', 'Control'), quantities: [q('speed')], parts: [newPart('inner', 'inner', 'drive')] },
    {
      ...newType('machine', 'Machine'),
      quantities: [q('load')],
      physics: 'parameter Real wear = 0;\nDrive third;',
      parts: [
        {
          ...newPart('left', 'left', 'drive'),
          changes: more.left === undefined ? [] : [newChange('c', 'friction', more.left)],
        },
        newPart('right', 'right', 'drive'),
        {
          ...newPart('ctrl', 'ctrl', 'control'),
          changes: more.ctrl === undefined ? [] : [newChange('d', 'inner.friction', more.ctrl)],
        },
      ],
    },
  ],
});
const after = (p: Project, path: string, note = ''): Project | string => {
  const found = designValueEdit(p, '', path, '7', () => 'fresh', note);
  if (typeof found === 'string') return found;
  const { project: next, refused } = applyEdit(p, found.edit);
  expect(refused).toBeUndefined();
  return next;
};
const type = (p: Project | string, id: string) => (p as Project).types.find((t) => t.id === id)!;
const part = (p: Project | string, owner: string, id: string) => type(p, owner).parts.find((x) => x.id === id)!;

test('the quantity itself where nothing else is of its type, else a changed value of the part', () => {
  expect(type(after(project(), 'load'), 'machine').quantities[0].value).toBe('7');
  expect(type(after(project(), 'ctrl.speed'), 'control').quantities[0].value).toBe('7');
  // another drive stays as it is
  const two = after(project(), 'right.friction');
  expect(part(two, 'machine', 'right').changes).toMatchObject([{ name: 'friction', value: '7' }]);
  expect(type(two, 'drive').quantities[0].value).toBe('1');
  const inner = after(project(), 'ctrl.inner.friction');
  expect(part(inner, 'control', 'inner').changes).toMatchObject([{ name: 'friction', value: '7' }]);
});

test('a changed value decides, the outermost one first', () => {
  const left = after(project({ left: '3' }), 'left.friction');
  expect(part(left, 'machine', 'left').changes).toEqual([{ id: 'c', name: 'friction', value: '7' }]);
  const outer = after(project({ ctrl: '3' }), 'ctrl.inner.friction');
  expect(part(outer, 'machine', 'ctrl').changes).toEqual([{ id: 'd', name: 'inner.friction', value: '7' }]);
  expect(part(outer, 'control', 'inner').changes).toEqual([]);
});

test('what a physics text declares is changed at the part, and told where there is none; notes keep where it came from', () => {
  expect(part(after(project(), 'left.inertia'), 'machine', 'left').changes).toMatchObject([
    { name: 'inertia', value: '7' },
  ]);
  expect(after(project(), 'wear')).toBe('wear is declared in the physics text of Machine: change it there');
  expect(after(project(), 'third.friction')).toBe(
    'third is declared in a text of Machine: change third.friction there',
  );
  expect(after(project(), 'left[2].friction')).toContain('one of several');
  const noted = after(project(), 'load', 'fitted to bench');
  expect(type(noted, 'machine').quantities[0].note).toBe('guess\nfitted to bench');
  expect(type(after(noted as Project, 'load', 'fitted to bench'), 'machine').quantities[0].note).toBe(
    'guess\nfitted to bench',
  );
  expect(part(after(project(), 'left.friction', 'fitted'), 'machine', 'left').note).toBe('fitted');
});
