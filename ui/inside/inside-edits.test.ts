import { applyEdit, undoEdit } from '@/core/editing/edits';
import { projectLibrary } from '@/core/flatten/from-project';
import { readNetwork } from '@/core/network/read-network';
import { checkProject } from '@/core/run/check';
import { emptyProject, newPart, newQuantity, newType, type Project } from '@/core/project/project';
import {
  addDeclared,
  addPart,
  linkEnds,
  moveParts,
  placeAll,
  usableTypes,
  type Inside,
  type InsideChange,
} from './inside-edits';
import { removal } from '@/core/clipping/removal';

/** What the drawing of the inside does, without the drawing. */

const signals = (id: string, name: string) => ({
  ...newType(id, name),
  quantities: [
    { ...newQuantity(`${id}-u`, 'u'), role: 'input' as const, unit: 'V' },
    { ...newQuantity(`${id}-y`, 'y'), role: 'output' as const, unit: 'V' },
  ],
  ports: [{ id: `${id}-p`, name: 'talk', accepts: ['go'], sends: ['go'], note: '' }],
  physics: 'y = 2*u;',
});
const project: Project = {
  ...emptyProject('p', 'P'),
  root: 'whole',
  types: [
    {
      ...newType('whole', 'Whole'),
      parts: [newPart('a', 'first', 'amp'), newPart('b', 'second', 'amp')],
      physics:
        'Electrical.Resistor r;\nElectrical.Resistor rs[2];\nElectrical.Ground g;\nequation\nconnect(r.n, g.p);\n',
    },
    signals('amp', 'Amp'),
    { ...newType('box', 'Box'), parts: [newPart('w', 'inner', 'whole')] },
  ],
};
const insideOf = (p: Project): Inside => {
  const type = p.types[0];
  return { project: p, type, network: readNetwork(projectLibrary(p).library, type) };
};
let made = 0;
const newId = (): string => `${++made}`;
/** The project after a change, which one step takes back. */
const after = (p: Project, change: InsideChange | undefined): Project => {
  if (!change || 'refused' in change) throw new Error(change?.refused ?? 'nothing to do');
  const { project: now, inverse, refused } = applyEdit(p, change.edit);
  expect(refused).toBeUndefined();
  expect(undoEdit(now, inverse)).toEqual(p);
  return now;
};
const refusal = (change: InsideChange | undefined): string => (change && 'refused' in change ? change.refused : '');

test('a signal goes from an output to an input, whichever end the line was drawn from', () => {
  for (const [a, b] of [
    ['first.y', 'second.u'],
    ['second.u', 'first.y'],
  ]) {
    const { links } = after(project, linkEnds(insideOf(project), a, b, newId)).types[0];
    expect(links.map((l) => [l.from, l.to])).toEqual([['first.y', 'second.u']]);
  }
  const linked = after(project, linkEnds(insideOf(project), 'first.y', 'second.u', newId));
  expect(refusal(linkEnds(insideOf(linked), 'first.y', 'second.u', newId))).toMatch(/there already/);
  expect(refusal(linkEnds(insideOf(linked), 'second.y', 'second.u', newId))).toMatch(
    /first\.y writes second\.u already/,
  );
  expect(refusal(linkEnds(insideOf(project), 'first.y', 'second.y', newId))).not.toBe('');
});

test('physical ends are connected in the text; of an array the first, and that is said', () => {
  const change = linkEnds(insideOf(project), 'r.p', 'rs.p', newId);
  const now = after(project, change);
  expect(now.types[0].physics).toContain('connect(r.p, rs[1].p);');
  expect(change).toMatchObject({ chosen: 'connect/r.p|rs[1].p', note: expect.stringContaining('first element') });
  expect(refusal(linkEnds(insideOf(project), 'r.p', 'first.y', newId))).not.toBe('');
  const back = after(now, removal(now, [`type/${now.types[0].id}/connect/r.p|rs[1].p`])!);
  expect(back.types[0].physics).not.toContain('rs[1].p');
  expect(removal(project, [`type/${project.types[0].id}/connect/r.p|rs.p`])).toBeUndefined();
});

test('parts are added under names that are free, and take their place', () => {
  const once = after(project, addPart(insideOf(project), 'amp', { x: 3.4, y: 5.6 }, newId));
  const twice = after(once, addPart(insideOf(once), 'amp', { x: 0, y: 0 }, newId));
  expect(twice.types[0].parts.map((p) => p.name)).toEqual(['first', 'second', 'amp', 'amp2']);
  expect(twice.types[0].parts[2].place).toEqual({ x: 3, y: 6 });
  expect(refusal(addPart(insideOf(project), 'gone', { x: 0, y: 0 }, newId))).toMatch(/no longer there/);
  // neither itself nor what holds it
  expect(usableTypes(insideOf(project)).map((t) => t.name)).toEqual(['Amp']);
});

test('parts of the library are declared in the text, and come out of it with their place', () => {
  const once = after(project, addDeclared(insideOf(project), 'Electrical.Resistor', { x: 10, y: 20 }));
  expect(once.types[0].physics).toMatch(/Electrical\.Resistor resistor;/);
  expect(once.types[0].layout).toEqual([{ name: 'resistor', x: 10, y: 20 }]);
  const shaped = after(once, addDeclared(insideOf(once), 'Shapes.Box', { x: 1, y: 1 }));
  expect(shaped.types[0].layout).toEqual(once.types[0].layout);
  const gone = after(shaped, removal(shaped, [`type/${shaped.types[0].id}/declared/resistor`])!);
  expect(gone.types[0].layout).toEqual([]);
  expect(gone.types[0].physics).not.toMatch(/resistor;/);
  expect(checkProject(once).problems.filter((p) => p.code === 'syntax')).toEqual([]);
});

test('cards are moved one at a time, those of the text by their name, or all at once', () => {
  const moved = after(project, moveParts(insideOf(project), [{ name: 'first', partId: 'a', at: { x: 7.6, y: 1 } }]));
  expect(moved.types[0].parts[0].place).toEqual({ x: 8, y: 1 });
  const text = after(moved, moveParts(insideOf(moved), [{ name: 'r', partId: undefined, at: { x: 2, y: 3 } }]));
  const again = after(text, moveParts(insideOf(text), [{ name: 'r', partId: undefined, at: { x: 4, y: 5 } }]));
  expect(again.types[0].layout).toEqual([{ name: 'r', x: 4, y: 5 }]);
  const both = after(
    again,
    moveParts(insideOf(again), [
      { name: 'first', partId: 'a', at: { x: 1, y: 2 } },
      { name: 'r', partId: undefined, at: { x: 3, y: 4 } },
    ]),
  );
  expect([both.types[0].parts[0].place, both.types[0].layout]).toEqual([{ x: 1, y: 2 }, [{ name: 'r', x: 3, y: 4 }]]);
  const all = after(
    again,
    placeAll(insideOf(again), new Map([['b', { x: 1.2, y: 2.6 }]]), new Map([['g', { x: 9, y: 9 }]])),
  );
  expect(all.types[0].parts.map((p) => p.place)).toEqual([
    { x: 8, y: 1 },
    { x: 1, y: 3 },
  ]);
  expect(all.types[0].layout).toEqual([{ name: 'g', x: 9, y: 9 }]);
});
