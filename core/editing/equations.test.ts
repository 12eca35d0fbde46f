import fc from 'fast-check';
import { applyEdit, redoEdit, undoEdit, type Edit } from './edits';
import { equationsIn, marksFor, physicsEquations } from '../project/equations';
import { emptyProject, newType, type Project } from '../project/project';

const physics = (...equations: string[]): string => `equation\n${equations.map((e) => `  ${e};\n`).join('')}`;
/** The ids of equations by their texts, after a text has become another. */
const after = (before: readonly string[], now: readonly string[]) => {
  const marks = marksFor(physics(...before), []);
  const next = marksFor(physics(...now), marks, physics(...before));
  const was = new Map(marks.map((m, k) => [m.id, before[k]]));
  return now.map((text, k) => `${text} <- ${was.get(next[k].id) ?? 'new'}`);
};

test('what stays the same is itself, whatever is written before, between and after it', () => {
  expect(after(['a = 1', 'b = 2', 'c = 3'], ['x = 0', 'a = 1', 'y = 0', 'b = 2', 'c = 3', 'z = 0'])).toEqual([
    'x = 0 <- new',
    'a = 1 <- a = 1',
    'y = 0 <- new',
    'b = 2 <- b = 2',
    'c = 3 <- c = 3',
    'z = 0 <- new',
  ]);
  expect(after(['a = 1', 'b = 2', 'c = 3'], ['c = 3'])).toEqual(['c = 3 <- c = 3']);
});

test('what is changed is itself: in its place, or by its left side where others come or go', () => {
  expect(after(['a = 1', 'b = 2', 'c = 3'], ['a = 1', 'b = 2*x', 'c = 3'])[1]).toBe('b = 2*x <- b = 2');
  expect(after(['a = 1', 'b = 2', 'c = 3'], ['a = 1', 'beta = 2', 'c = 3'])[1]).toBe('beta = 2 <- b = 2');
  expect(after(['a = 1', 'b = 2'], ['n = 9', 'b = 3', 'a = 4'])).toEqual([
    'n = 9 <- new',
    'b = 3 <- b = 2',
    'a = 4 <- a = 1',
  ]);
});

test('equal texts are told apart by their place', () => {
  const marks = marksFor(physics('a = b', 'a = b'), []);
  expect(marks[0].id).not.toBe(marks[1].id);
  expect(marks[0].mark).toBe(marks[1].mark);
  expect(after(['x = 1', 'a = b', 'a = b'], ['a = b', 'a = b'])).toEqual(['a = b <- a = b', 'a = b <- a = b']);
});

test('one that comes back as it was is itself again, as long as nothing else has its id', () => {
  const text = physics('a = 1', 'b = 2');
  const [a, b] = marksFor(text, []);
  const less = marksFor(physics('b = 2'), [a, b], text);
  expect(marksFor(text, less, physics('b = 2'))).toEqual([a, b]);
});

test('a text without equations, and one that cannot be read, have what can be read', () => {
  expect(marksFor('', [])).toEqual([]);
  expect(equationsIn('equation a = ; b = 1;').map((e) => e.text)).toContain('b = 1');
});

const projectWith = (text: string): Project => ({
  ...emptyProject('p', 'P'),
  types: [{ ...newType('t', 'T'), physics: text }],
});
const write = (text: string): Edit => ({ kind: 'update', list: 'type', id: 't', changes: { physics: text } });

test('edits keep the ids beside the text, undo and redo take them along', () => {
  const lines = fc.uniqueArray(fc.integer({ min: 0, max: 12 }), { maxLength: 8 });
  fc.assert(
    fc.property(lines, lines, (before, now) => {
      const text = (list: readonly number[]): string => physics(...list.map((k) => `x${k} = ${k}`));
      const start = applyEdit(projectWith(''), write(text(before))).project;
      const { project, patches, inverse } = applyEdit(start, write(text(now)));
      const [type, old] = [project.types[0], start.types[0]];
      expect(type.equations).toHaveLength(now.length);
      expect(new Set(type.equations.map((e) => e.id)).size).toBe(now.length);
      // all lines are different, so what is in both texts is the same equation where it has kept its place among the others
      const ids = new Map(physicsEquations(old).map((e) => [e.text, e.id]));
      const kept = physicsEquations(type).filter((e) => ids.get(e.text) === e.id).length;
      const inOrder = now.filter((k) => before.includes(k));
      const rising = inOrder.every((k, j) => j === 0 || before.indexOf(inOrder[j - 1]) < before.indexOf(k));
      if (rising) expect(kept).toBe(inOrder.length);
      expect(undoEdit(project, inverse)).toEqual(start);
      expect(redoEdit(start, patches)).toEqual(project);
    }),
  );
});

test('a text that was changed outside, without its ids, gets them when it is looked at', () => {
  const { project } = applyEdit(projectWith(''), write(physics('a = 1', 'b = 2')));
  const [type] = project.types;
  const ids = type.equations.map((e) => e.id);
  const edited = { ...type, physics: physics('n = 0', 'a = 1', 'b = 2') };
  expect(
    physicsEquations(edited)
      .map((e) => e.id)
      .slice(1),
  ).toEqual(ids);
});

test('renaming a quantity changes its equations, not which they are', () => {
  const start = applyEdit(
    {
      ...emptyProject('p', 'P'),
      types: [
        {
          ...newType('t', 'T'),
          quantities: ['x', 'y'].map((name) => ({
            id: name,
            name,
            type: 'Real' as const,
            role: 'variable' as const,
            value: '',
            unit: '',
            min: '',
            max: '',
            number: 'usual',
            note: '',
          })),
        },
      ],
    },
    write(physics('x = 1', 'y = 2*x')),
  ).project;
  const renamed = applyEdit(start, { kind: 'rename', list: 'type/t/quantity', id: 'x', name: 'width' }).project;
  expect(physicsEquations(renamed.types[0]).map((e) => e.text)).toEqual(['width = 1', 'y = 2*width']);
  expect(renamed.types[0].equations.map((e) => e.id)).toEqual(start.types[0].equations.map((e) => e.id));
});
