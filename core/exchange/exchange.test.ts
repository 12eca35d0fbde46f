import fc from 'fast-check';
import { tubeCapper } from '../../samples/tube-capper';
import { readCsvSheet, writeCsvSheet } from '../formats/sheet-csv';
import { readReqifSheets } from '../formats/sheet-reqif';
import type { Sheet } from '../formats/table';
import { applyEdit, undoEdit } from '../editing/edits';
import type { Project } from '../project/project';
import { compareSheet, takeOver } from './compare';
import { requirementReqif, requirementRows } from './export';
import { guessColumns, readRows } from './requirement-sheet';

const sheet = (...rows: string[][]): Sheet => ({ name: 'S', rows, firstRow: 1, foreign: -1 });
const rowsOf = (s: Sheet, file = 'spec.csv') => readRows(s, guessColumns(s), file);
let counter = 0;
const newId = (): string => `n-${++counter}`;
const take = (p: Project, s: Sheet, chosen?: (id: string) => boolean, file = 'spec.csv') => {
  const comparison = compareSheet(p, rowsOf(s, file).rows, file);
  const ids = new Set(comparison.differences.map((d) => d.id).filter((id) => chosen?.(id) ?? true));
  const result = applyEdit(p, takeOver(p, comparison, ids, newId));
  expect(result.refused).toBeUndefined();
  return result;
};
const keys = (p: Project): string[] => p.requirements.map((r) => r.key);
const empty: Project = { ...tubeCapper, requirements: [] };
const base = sheet(
  ['Id', 'Text', 'Kind', 'Parent', 'Owner'],
  ['A-1', 'The cap shall fit.', '', '', 'Ada'],
  ['A-2', 'The cap shall hold.', '', 'A-1', 'Bo'],
  ['A-3', 'About caps', 'Heading', '', ''],
);

describe('columns', () => {
  test('are guessed from their names', () =>
    expect(guessColumns(base)).toEqual({ head: 0, id: 0, text: 1, kind: 2, parent: 3, attributes: [4] }));
  test('or from what stands in them', () => {
    const s = sheet(['12.1', 'The lamp shall glow for all to see.', 'x'], ['12.2', 'The horn shall sound.', 'x']);
    expect(guessColumns(s)).toMatchObject({ head: -1, id: 0, text: 1 });
  });
  test('a title above the names does not hide them', () =>
    expect(
      guessColumns(sheet(['Specification of the capper'], [], ['Req ID', 'Description'], ['R1', 'x'])),
    ).toMatchObject({ head: 2, id: 0, text: 1 }));
});

test('empty and duplicate ids, circles and unknown parents: all that can be imported is, the rest is told by row and cell', () => {
  const { rows, problems } = rowsOf(
    sheet(
      ['Id', 'Text', 'Parent'],
      ['A', 'first', 'B'],
      ['B', 'second', 'A'],
      ['', 'no id', ''],
      ['A', 'again', ''],
      ['C', '', 'Z'],
      ['', '', ''],
      ['D', 'fine', 'C'],
    ),
  );
  expect(rows.map((r) => [r.key, r.parent])).toEqual([
    ['A', ''],
    ['B', 'A'],
    ['NEW-001', ''],
    ['C', ''],
    ['D', 'C'],
  ]);
  expect(problems.map((p) => `${p.cell || p.row}: ${p.message}`)).toEqual([
    'C2: A under B under A: a circle; A stands on top',
    'A4: No id: it becomes NEW-001',
    'A5: The id A is in row 2 already: left out',
    'B6: C has no text',
    'C6: C belongs under Z, which is not in the sheet: it stands on top',
  ]);
  expect(rows[1].source).toEqual({ file: 'spec.csv', sheet: 'S', row: 3, cell: 'B3', foreign: '' });
});

test('importing, and importing the same again changes nothing', () => {
  const first = take(empty, base).project;
  expect(
    first.requirements.map((r) => [
      r.key,
      r.kind,
      r.parent === null ? '' : first.requirements.find((x) => x.id === r.parent)!.key,
    ]),
  ).toEqual([
    ['A-1', 'requirement', ''],
    ['A-2', 'requirement', 'A-1'],
    ['A-3', 'heading', ''],
  ]);
  expect(first.requirements[0].attributes).toEqual([{ name: 'Owner', value: 'Ada' }]);
  const again = compareSheet(first, rowsOf(base).rows, 'spec.csv');
  expect(again).toMatchObject({ differences: [], same: 3 });
});

describe('importing again after the sheet changed', () => {
  const before = take(empty, base).project;
  const changed = sheet(
    ['Id', 'Text', 'Kind', 'Parent', 'Owner'],
    ['A-3', 'About caps', 'Heading', '', ''],
    ['A-1', 'The cap shall fit well.', '', '', 'Ada'],
    ['A-4', 'The cap shall shine.', '', 'A-3', ''],
  );
  test('added, changed, moved and removed are told', () => {
    const { differences, same } = compareSheet(before, rowsOf(changed).rows, 'spec.csv');
    expect(differences.map((d) => d.kind).sort()).toEqual(['added', 'changed', 'moved', 'removed']);
    expect(differences.find((d) => d.kind === 'changed')).toMatchObject({
      fields: [{ field: 'text', before: 'The cap shall fit.', after: 'The cap shall fit well.' }],
    });
    expect(same).toBe(0);
  });
  test('all of it can be taken over, and taken back in one step', () => {
    const { project, inverse } = take(before, changed);
    expect(keys(project)).toEqual(['A-3', 'A-1', 'A-4']);
    expect(project.retired.map((r) => r.key)).toEqual(['A-2']);
    expect(undoEdit(project, inverse)).toEqual(before);
  });
  test('or only some: nothing else changes', () => {
    const { project } = take(before, changed, (id) => id.startsWith('changed'));
    expect(keys(project)).toEqual(['A-1', 'A-2', 'A-3']);
    expect(project.requirements[0].text).toBe('The cap shall fit well.');
  });
  test('another file does not remove what came from this one', () => {
    expect(
      compareSheet(before, rowsOf(changed, 'other.csv').rows, 'other.csv').differences.some(
        (d) => d.kind === 'removed',
      ),
    ).toBe(false);
  });
  test('an id that left is the same requirement when it returns, and is never given to another', () => {
    const without = take(before, sheet(['Id', 'Text'], ['A-1', 'The cap shall fit.'], ['A-3', 'About caps'])).project;
    const old = before.requirements[1];
    const back = take(without, base).project;
    expect(back.requirements.find((r) => r.key === 'A-2')!.id).toBe(old.id);
    expect(back.retired).toEqual([]);
    const stranger = { ...old, id: 'r-new' };
    expect(applyEdit(without, { kind: 'insert', list: 'requirement', entry: stranger }).refused?.message).toMatch(
      /was the id of a deleted requirement/,
    );
  });
});

test('any two sheets: taking everything over makes the project like the sheet', () => {
  const list = fc.uniqueArray(
    fc.record({
      key: fc.integer({ min: 1, max: 12 }).map((n) => `K-${n}`),
      text: fc.constantFrom('one', 'two', 'three'),
    }),
    { selector: (r) => r.key, maxLength: 12 },
  );
  const table = (rows: readonly { key: string; text: string }[]): Sheet =>
    sheet(['Id', 'Text'], ...rows.map((r) => [r.key, r.text]));
  fc.assert(
    fc.property(list, list, (a, b) => {
      const first = take(empty, table(a)).project;
      const second = take(first, table(b)).project;
      expect(second.requirements.map((r) => [r.key, r.text])).toEqual(b.map((r) => [r.key, r.text]));
      expect(compareSheet(second, rowsOf(table(b)).rows, 'spec.csv').differences).toEqual([]);
    }),
    { numRuns: 200 },
  );
});

describe('export and import again', () => {
  const project = take(empty, base).project;
  test('CSV: nothing differs', () => {
    const { value } = readCsvSheet(new TextEncoder().encode(writeCsvSheet(requirementRows(project))), 'S');
    expect(compareSheet(project, rowsOf(value!.sheets[0]).rows, 'spec.csv').differences).toEqual([]);
  });
  test('ReqIF: identifiers of another tool come back unchanged, and nothing differs', () => {
    const given: Project = {
      ...project,
      requirements: project.requirements.map((r, k) => ({ ...r, source: { ...r.source!, foreign: `TOOL/${k}#é` } })),
    };
    const { value } = readReqifSheets(new TextEncoder().encode(requirementReqif(given)));
    expect(value!.sheets[0].rows.slice(1).map((r) => r[0])).toEqual(['TOOL/0#é', 'TOOL/1#é', 'TOOL/2#é']);
    expect(compareSheet(given, rowsOf(value!.sheets[0]).rows, 'spec.csv').differences).toEqual([]);
  });
});
