import fc from 'fast-check';
import { chooseColumns, type ColumnRow } from './choose-columns';

const none = (): number => 0;
const row = (coefficients: Record<number, number | undefined>, own?: number): ColumnRow => ({
  coefficients: new Map(Object.entries(coefficients).map(([k, v]) => [Number(k), v])),
  own,
});

/** The determinant by elimination with the largest pivot. */
function determinant(matrix: readonly (readonly number[])[]): number {
  const a = matrix.map((r) => [...r]);
  let product = 1;
  for (let k = 0; k < a.length; k++) {
    let pivot = k;
    for (let i = k + 1; i < a.length; i++) if (Math.abs(a[i][k]) > Math.abs(a[pivot][k])) pivot = i;
    if (a[pivot][k] === 0) return 0;
    if (pivot !== k) {
      [a[k], a[pivot]] = [a[pivot], a[k]];
      product = -product;
    }
    product *= a[k][k];
    for (let i = k + 1; i < a.length; i++) {
      const q = a[i][k] / a[k][k];
      for (let j = k; j < a.length; j++) a[i][j] -= q * a[k][j];
    }
  }
  return product;
}

function rank(matrix: readonly (readonly number[])[]): number {
  const a = matrix.map((r) => [...r]);
  const columns = a[0]?.length ?? 0;
  let found = 0;
  for (let c = 0; c < columns && found < a.length; c++) {
    let pivot = -1;
    for (let i = found; i < a.length; i++)
      if (Math.abs(a[i][c]) > 1e-9 && (pivot < 0 || Math.abs(a[i][c]) > Math.abs(a[pivot][c]))) pivot = i;
    if (pivot < 0) continue;
    [a[found], a[pivot]] = [a[pivot], a[found]];
    for (let i = found + 1; i < a.length; i++) {
      const q = a[i][c] / a[found][c];
      for (let j = c; j < columns; j++) a[i][j] -= q * a[found][j];
    }
    found++;
  }
  return found;
}

const size = 6;
/** Up to five rows of small whole numbers in six variables. */
const wholeRows = fc.array(
  fc.record({
    values: fc.array(fc.constantFrom(0, 0, 0, 1, -1, 2, 3), { minLength: size, maxLength: size }),
    own: fc.option(fc.nat(size - 1), { nil: undefined }),
  }),
  { minLength: 1, maxLength: 5 },
);
const asRow = (values: readonly number[], own: number | undefined): ColumnRow => ({
  coefficients: new Map(values.flatMap((v, x) => (v === 0 ? [] : [[x, v] as const]))),
  own: own !== undefined && values[own] !== 0 ? own : undefined,
});

test('of rows of numbers as many get a column as are independent, and the chosen matrix is regular', () => {
  fc.assert(
    fc.property(wholeRows, fc.array(fc.nat(5), { minLength: size, maxLength: size }), (rows, weights) => {
      const chosen = chooseColumns(
        rows.map((r) => asRow(r.values, r.own)),
        (x) => weights[x],
      );
      const taken = rows.flatMap((r, k) => (chosen[k] === undefined ? [] : [{ values: r.values, column: chosen[k]! }]));
      expect(new Set(taken.map((t) => t.column)).size).toBe(taken.length);
      const matrix = taken.map((t) => taken.map((u) => t.values[u.column]));
      expect(Math.abs(determinant(matrix))).toBeGreaterThan(1e-9);
      expect(taken.length).toBe(rank(rows.map((r) => r.values)));
    }),
    { numRuns: 600 },
  );
});

test('coefficients that are no numbers may have any value: the chosen matrix is regular all the same', () => {
  const entry = fc.constantFrom<number | undefined | null>(null, null, null, 1, -2, undefined, undefined);
  const rows = fc.array(fc.array(entry, { minLength: size, maxLength: size }), { minLength: 1, maxLength: 5 });
  fc.assert(
    fc.property(
      rows,
      fc.array(fc.double({ min: -5, max: 5, noNaN: true }), { minLength: 60, maxLength: 60 }),
      (all, values) => {
        const chosen = chooseColumns(
          all.map((r) => ({
            coefficients: new Map(r.flatMap((c, x) => (c === null ? [] : [[x, c] as const]))),
            own: undefined,
          })),
          none,
        );
        // a number is put in the place of each coefficient that has none; also zero, which leaves it out
        const taken = all.flatMap((r, k) => (chosen[k] === undefined ? [] : [{ r, k }]));
        for (const scale of [0, 1, 1000]) {
          const matrix = taken.map(({ r, k }) =>
            taken.map((u) => {
              const c = r[chosen[u.k]!];
              return c === null ? 0 : c === undefined ? scale * values[(k * size + chosen[u.k]!) % 60] : c;
            }),
          );
          expect(determinant(matrix)).not.toBe(0);
        }
      },
    ),
    { numRuns: 600 },
  );
});

test('an equation gives the variable it is written for, unless that is to stay a state or another was asked to go', () => {
  const rows = [row({ 0: 1, 1: -1 }, 1)];
  expect(chooseColumns(rows, none)).toEqual([1]);
  expect(chooseColumns(rows, (x) => (x === 1 ? 8 : 0))).toEqual([0]);
  expect(chooseColumns(rows, (x) => (x === 1 ? 7.9 : 0))).toEqual([1]);
  // by ten less than its own: rather goes
  expect(chooseColumns(rows, (x) => (x === 0 ? -10 : 0))).toEqual([0]);
  expect(chooseColumns(rows, (x) => (x === 0 ? -9 : 0))).toEqual([1]);
});

test('of several columns the one goes that weighs least', () => {
  expect(chooseColumns([row({ 0: 1, 1: 1, 2: 1 })], (x) => [3, 1, 2][x])).toEqual([1]);
  expect(chooseColumns([row({ 0: 1, 1: undefined, 2: 1 })], (x) => [3, 1, 2][x])).toEqual([2]);
});

test('a coefficient that is rounding beside the others is no reason to take a column', () => {
  expect(chooseColumns([row({ 0: 1e-12, 1: 1 })], (x) => (x === 1 ? 5 : 0))).toEqual([1]);
  expect(chooseColumns([row({ 0: 1e-12, 1: 1 }, 0)], none)).toEqual([1]);
  expect(chooseColumns([row({ 0: 1e-12 })], none)).toEqual([0]);
});

test('a row that says the same as another gets none', () => {
  expect(chooseColumns([row({ 0: 1, 1: 2 }), row({ 0: 2, 1: 4 })], none).filter((c) => c !== undefined)).toHaveLength(
    1,
  );
  // two rows for the same variable: the second takes another
  expect(chooseColumns([row({ 0: 1, 1: -1 }, 0), row({ 0: 1, 2: -1 }, 0)], none)).toEqual([0, 2]);
});

test('rows that would rest on each other in a circle of unknown numbers are not both taken that way', () => {
  // a*x + y = 0 for y, x + b*y = 0 for x: regular only where a*b is not 1
  const rows = [row({ 0: undefined, 1: 1 }), row({ 0: 1, 1: undefined })];
  expect(chooseColumns(rows, none).filter((c) => c !== undefined)).toHaveLength(1);
});
