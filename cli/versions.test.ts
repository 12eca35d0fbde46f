import { readFileSync, writeFileSync, mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { writeProjectJson } from '../core/formats/project-file';
import { applyEdit, type Edit } from '../core/editing/edits';
import { tubeCapper } from '../samples/tube-capper';
import { commandHost } from './testing/command';

const { run: zelvar, end } = commandHost();
afterAll(end);

const folder = mkdtempSync(join(tmpdir(), 'zelvar-versions-'));
const path = (name: string): string => join(folder, name);
const write = (name: string, ...edits: readonly Edit[]): string => {
  const project = edits.reduce((p, e) => applyEdit(p, e).project, tubeCapper);
  writeFileSync(path(name), writeProjectJson(project));
  return path(name);
};
const control = 'type/t-cappercontrol';
const hottest = (value: string): Edit => ({
  kind: 'update',
  list: `${control}/quantity`,
  id: 'q-hottest',
  changes: { value },
});
const noted: Edit = { kind: 'update', list: 'type', id: 't-beltdrive', changes: { note: 'It pulls.' } };
const gone: Edit = { kind: 'remove', list: 'case', id: tubeCapper.cases[0].id };
const base = write('base.json');

test('what has changed between two versions, by element', () => {
  expect(zelvar('changes', base, base)).toMatchObject({ status: 0, stdout: 'They say the same\n' });
  const found = zelvar('changes', base, write('a.json', hottest('90'), gone));
  expect(found.status).toBe(1);
  expect(found.stdout).toMatch(/^changed {2}quantity .*hottest\n +value: 95 -> 90$/m);
  expect(found.stdout).toContain(`removed  test case ${tubeCapper.cases[0].name}`);
  expect(found.stdout).toMatch(/^2 changes$/m);
  const back = zelvar('changes', path('a.json'), base, '--json');
  expect(JSON.parse(back.stdout).changes).toContainEqual({
    address: `case/${tubeCapper.cases[0].id}`,
    what: `test case ${tubeCapper.cases[0].name}`,
    change: 'added',
    fields: [],
  });
  expect(zelvar('changes', base, path('none.json')).status).toBe(2);
});

test('two versions are merged, what both have changed is told and decided', () => {
  const [a, b, c] = [write('a.json', hottest('90')), write('b.json', noted), write('c.json', hottest('85'))];
  const clean = zelvar('merge', base, a, b, '--out', path('m.json'));
  expect([clean.status, clean.stdout]).toEqual([0, '0 conflicts, 0 new problems\n']);
  expect(readFileSync(path('m.json'), 'utf8')).toBe(readFileSync(write('ab.json', hottest('90'), noted), 'utf8'));
  const open = zelvar('merge', base, a, c);
  expect(open.status).toBe(1);
  expect(open.stderr).toBe('conflict: value of quantity hottest\n  before: 95\n  here: 90\n  there: 85\n');
  const taken = zelvar('merge', base, a, c, '--take', 'there', '--out', path('m.json'));
  expect([taken.status, taken.stdout]).toEqual([0, '1 conflicts, decided for what is there, 0 new problems\n']);
  expect(zelvar('changes', c, path('m.json')).status).toBe(0);
  expect(zelvar('merge', base, a, c, '--take', 'mine').status).toBe(2);
});

test('what is right on each side and does not go together is told', () => {
  const renamed = write('renamed.json', {
    kind: 'rename',
    list: `${control}/quantity`,
    id: 'q-hottest',
    name: 'limit',
  });
  const script = `${tubeCapper.cases[0].script}\nexpect hottest > 1 'degC'`;
  const used = write('used.json', { kind: 'update', list: 'case', id: tubeCapper.cases[0].id, changes: { script } });
  const found = zelvar('merge', base, renamed, used);
  expect(found.status).toBe(1);
  expect(found.stderr).toMatch(/hottest/);
  expect(found.stdout).toMatch(/^0 conflicts, [1-9]\d* new problems$/m);
});
