import fc from 'fast-check';
import { tubeCapper } from '../../samples/tube-capper';
import type { Sheet } from '../formats/table';
import { applyEdit, undoEdit } from '../editing/edits';
import { newRequirement, type Project } from '../project/project';
import { compareSheet, takeOver, type Comparison } from './compare';
import { guessColumns, readRows } from './requirement-sheet';

/** Sheets against projects that were made from other sheets and changed by hand since: whatever is chosen, that happens and no more. */

interface Row {
  readonly key: string;
  readonly text: string;
}
const file = 'spec.csv';
const sheet = (rows: readonly Row[]): Sheet => ({
  name: 'S',
  rows: [['Id', 'Text'], ...rows.map((r) => [r.key, r.text])],
  firstRow: 1,
  foreign: -1,
});
const compare = (p: Project, rows: readonly Row[]): Comparison => {
  const s = sheet(rows);
  return compareSheet(p, readRows(s, guessColumns(s), file).rows, file);
};
let made = 0;
const take = (p: Project, comparison: Comparison, chosen: ReadonlySet<string>) => {
  const result = applyEdit(
    p,
    takeOver(p, comparison, chosen, () => `n-${++made}`),
  );
  expect(result.refused).toBeUndefined();
  return result;
};
const all = (c: Comparison): ReadonlySet<string> => new Set(c.differences.map((d) => d.id));
const empty: Project = { ...tubeCapper, requirements: [], traces: [], retired: [] };
const imported = (rows: readonly Row[]): Project => {
  const c = compare(empty, rows);
  return take(empty, c, all(c)).project;
};

const rows = fc.uniqueArray(
  fc.record({
    key: fc.integer({ min: 1, max: 9 }).map((n) => `K-${n}`),
    text: fc.constantFrom('The cap shall fit.', 'The cap shall hold.', 'The cap shall shine.'),
  }),
  { selector: (r) => r.key, maxLength: 9 },
);
const text = (p: Project): ReadonlyMap<string, string> => new Map(p.requirements.map((r) => [r.key, r.text]));
const order = (p: Project): readonly string[] => p.requirements.map((r) => r.key);

/** The length of the longest run that keeps its order, by trying all of them. */
function longestRun(xs: readonly number[]): number {
  const best = xs.map((x, k) => 1 + Math.max(0, ...xs.slice(0, k).map((y, j) => (y < x ? ends(j) : 0))));
  function ends(j: number): number {
    return 1 + Math.max(0, ...xs.slice(0, j).map((y, i) => (y < xs[j] ? ends(i) : 0)));
  }
  return Math.max(0, ...best);
}

test('added, changed and removed are told as sets of keys are; as few as possible are said to have moved', () => {
  fc.assert(
    fc.property(rows, rows, (a, b) => {
      const before = imported(a);
      const { differences, same } = compare(before, b);
      const of = (kind: string): string[] =>
        differences
          .flatMap((d) => (d.kind !== kind ? [] : [d.kind === 'added' ? d.row.key : d.requirement.key]))
          .sort();
      const [was, is] = [new Map(a.map((r) => [r.key, r.text])), new Map(b.map((r) => [r.key, r.text]))];
      expect(of('added')).toEqual([...is.keys()].filter((k) => !was.has(k)).sort());
      expect(of('removed')).toEqual([...was.keys()].filter((k) => !is.has(k)).sort());
      const both = [...is.keys()].filter((k) => was.has(k));
      expect(of('changed')).toEqual(both.filter((k) => was.get(k) !== is.get(k)).sort());
      expect(of('moved')).toHaveLength(both.length - longestRun(both.map((k) => [...was.keys()].indexOf(k))));
      const told = new Set([...of('changed'), ...of('moved')]);
      expect(same).toBe(both.filter((k) => !told.has(k)).length);
    }),
    { numRuns: 200 },
  );
});

test('what is chosen happens, what is not chosen does not, and one step takes it back', () => {
  fc.assert(
    fc.property(rows, rows, fc.array(fc.boolean(), { minLength: 30, maxLength: 30 }), (a, b, choice) => {
      const before = imported(a);
      const comparison = compare(before, b);
      const chosen = new Set(comparison.differences.filter((_, k) => choice[k]).map((d) => d.id));
      const { project, inverse } = take(before, comparison, chosen);
      const [was, is, now] = [text(before), new Map(b.map((r) => [r.key, r.text])), text(project)];
      for (const d of comparison.differences) {
        const key = d.kind === 'added' ? d.row.key : d.requirement.key;
        const isChosen = chosen.has(d.id);
        if (d.kind === 'added') expect([key, now.has(key)]).toEqual([key, isChosen]);
        if (d.kind === 'removed') expect([key, now.has(key)]).toEqual([key, !isChosen]);
        if (d.kind === 'changed') expect([key, now.get(key)]).toEqual([key, isChosen ? is.get(key) : was.get(key)]);
      }
      const others = comparison.differences.filter((d) => !chosen.has(d.id)).map((d) => d.kind);
      // what is left to be told is what was not chosen
      expect(
        compare(project, b)
          .differences.map((d) => d.kind)
          .filter((k) => k !== 'moved')
          .sort(),
      ).toEqual(others.filter((k) => k !== 'moved').sort());
      expect(undoEdit(project, inverse)).toEqual(before);
    }),
    { numRuns: 200 },
  );
});

test('requirements the sheet never knew stay, behind the one they stood behind', () => {
  fc.assert(
    fc.property(rows, rows, fc.nat(9), (a, b, at) => {
      const first = imported(a);
      const own = newRequirement('own', 'OWN-1', 'The cap shall be ours.');
      const k = at % (first.requirements.length + 1);
      const before: Project = {
        ...first,
        requirements: [...first.requirements.slice(0, k), own, ...first.requirements.slice(k)],
      };
      const comparison = compare(before, b);
      const { project } = take(before, comparison, all(comparison));
      expect(order(project).filter((x) => x !== 'OWN-1')).toEqual(b.map((r) => r.key));
      expect(text(project).get('OWN-1')).toBe(own.text);
      // where nothing else moved it is still behind the same one
      if (comparison.differences.length === 0) expect(order(project)).toEqual(order(before));
    }),
    { numRuns: 200 },
  );
});

describe('columns without names that say what they are', () => {
  const plain = (...all: string[][]): Sheet => ({ name: 'S', rows: all, firstRow: 1, foreign: -1 });
  test('the text is where most is said, the id where every value is another one with a number in it', () => {
    const s = plain(
      ['7', 'x', 'R1', 'The cap shall fit.'],
      ['7', 'y', 'R2', 'The lid shall hold.'],
      ['8', 'x', 'R3', 'It shall shine.'],
    );
    expect(guessColumns(s)).toMatchObject({ head: -1, id: 2, text: 3 });
  });
  test('a column that repeats a value anywhere in its first sixty rows has no ids', () => {
    const long = Array.from({ length: 58 }, (_, k) => [`R${k}`, `S${k}`, `The cap shall fit ${k} times.`]);
    expect(guessColumns(plain(...long))).toMatchObject({ id: 0, text: 2 });
    expect(guessColumns(plain(...long.map((r, k) => (k === 57 ? ['R3', ...r.slice(1)] : r))))).toMatchObject({ id: 1 });
  });
  test('names may stand some rows down, and rows above them are no requirements', () => {
    const s = plain(['Capper', ''], ['version 3', ''], ['Req ID', 'Description'], ['A-1', 'The cap shall fit.']);
    const map = guessColumns(s);
    expect(map).toMatchObject({ head: 2, id: 0, text: 1 });
    expect(readRows(s, map, file).rows.map((r) => [r.key, r.text])).toEqual([['A-1', 'The cap shall fit.']]);
  });
});
