import fc from 'fast-check';
import { problemsOf, simulateText } from '../testing/simulate-text';

/** Elements of arrays, named by numbers that are known, by ranges, and by numbers that change during the run. */

const rows = 3;
const columns = 4;
const at = (i: number, j: number): number => 10 * i + j;
const matrix = `[${Array.from({ length: rows }, (_, i) => Array.from({ length: columns }, (__, j) => at(i + 1, j + 1)).join(', ')).join('; ')}]`;

/** A subscript as it is written, and the numbers it stands for in the first and in the second half of the run. */
interface Subscript {
  readonly text: string;
  readonly early: readonly number[];
  readonly late: readonly number[];
  /** One number: its dimension goes. */
  readonly single: boolean;
}
const subscript = (length: number): fc.Arbitrary<Subscript> => {
  const number = fc.integer({ min: 1, max: length });
  const all = Array.from({ length }, (_, k) => k + 1);
  return fc.oneof(
    number.map((n) => ({ text: String(n), early: [n], late: [n], single: true })),
    fc.constant({ text: ':', early: all, late: all, single: false }),
    fc.constant({ text: 'end', early: [length], late: [length], single: true }),
    fc.tuple(number, number).map(([a, b]) => {
      const [low, high] = [Math.min(a, b), Math.max(a, b)];
      const list = all.slice(low - 1, high);
      return { text: `${low}:${high}`, early: list, late: list, single: false };
    }),
    fc.uniqueArray(number, { minLength: 1, maxLength: length }).map((list) => ({
      text: `{${list.join(', ')}}`,
      early: list,
      late: list,
      single: false,
    })),
    // counts from the start of the run on what is only known then
    fc.tuple(number, number).map(([a, b]) => ({
      text: `(if time > 0.5 then ${b} else ${a})`,
      early: [a],
      late: [b],
      single: true,
    })),
  );
};
const pairs = fc.tuple(subscript(rows), subscript(columns));
const sizes = (i: Subscript, j: Subscript): number[] => [
  ...(i.single ? [] : [i.early.length]),
  ...(j.single ? [] : [j.early.length]),
];
const declared = (size: readonly number[]): string => (size.length === 0 ? '' : `[${size.join(', ')}]`);
const names = (size: readonly number[]): string[] =>
  size.length === 0
    ? ['y']
    : size.length === 1
      ? Array.from({ length: size[0] }, (_, k) => `y[${k + 1}]`)
      : Array.from({ length: size[0] }, (_, i) =>
          Array.from({ length: size[1] }, (__, j) => `y[${i + 1},${j + 1}]`),
        ).flat();

test('what is read are the elements named, in any mix of numbers, ranges, lists and numbers that change', () => {
  fc.assert(
    fc.property(pairs, ([i, j]) => {
      const size = sizes(i, j);
      const run = simulateText(
        `model M parameter Real A[${rows}, ${columns}] = ${matrix}; Real y${declared(size)};
         equation y = A[${i.text}, ${j.text}]; end M;`,
        'M',
      );
      for (const [t, part] of [
        [0.2, 'early'],
        [0.8, 'late'],
      ] as const) {
        const expected = i[part].flatMap((a) => j[part].map((b) => at(a, b)));
        expect(names(size).map((n) => run.at(n, t))).toEqual(expected);
      }
    }),
    { numRuns: 120 },
  );
});

test.each(['function', 'algorithm'])('what is written in a %s are the elements named, and no others', (where) => {
  fc.assert(
    fc.property(pairs, ([i, j]) => {
      const size = sizes(i, j);
      const given = names(size).map((_, k) => 100 + k);
      const value =
        size.length === 0
          ? String(given[0])
          : size.length === 1
            ? `{${given.join(', ')}}`
            : `{${Array.from({ length: size[0] }, (_, k) => `{${given.slice(k * size[1], (k + 1) * size[1]).join(', ')}}`).join(', ')}}`;
      const body = `y := ${matrix}; y[${i.text}, ${j.text}] := ${value};`;
      const text =
        where === 'algorithm'
          ? `model M Real y[${rows}, ${columns}]; algorithm ${body} end M;`
          : `function put input Real now; output Real y[${rows}, ${columns}]; algorithm ${body.replace(/time/g, 'now')} end put;
             model M Real y[${rows}, ${columns}]; equation y = put(time); end M;`;
      const run = simulateText(text, 'M');
      for (const [t, part] of [
        [0.2, 'early'],
        [0.8, 'late'],
      ] as const) {
        const expected = names([rows, columns]).map((_, k) => at(Math.floor(k / columns) + 1, (k % columns) + 1));
        let next = 0;
        for (const a of i[part]) for (const b of j[part]) expected[(a - 1) * columns + b - 1] = given[next++];
        expect(names([rows, columns]).map((n) => run.at(n, t))).toEqual(expected);
      }
    }),
    { numRuns: 60 },
  );
});

test('elements of parts in arrays: every dimension counts, those that are not written too', () => {
  const run = simulateText(
    `model N parameter Real k = 1; Real v[3] = {k, 2*k, 3*k}; end N;
     model M N n[2](k = {1, 10}); Integer i, j; Real all[2], one[3], single;
     equation
       i = if time > 0.5 then 2 else 1; j = if time > 0.5 then 3 else 1;
       all = n.v[j]; one = n[i].v; single = n[i].v[j];
     end M;`,
    'M',
  );
  const seen = (t: number): number[] =>
    ['all[1]', 'all[2]', 'one[1]', 'one[2]', 'one[3]', 'single'].map((n) => run.at(n, t));
  expect(seen(0.2)).toEqual([1, 10, 1, 2, 3, 1]);
  expect(seen(0.8)).toEqual([3, 30, 10, 20, 30, 30]);
});

test('records in arrays: one of them, or a field of one, is given a value; the others stay', () => {
  const text = (statement: string): string => `
    record R Real x; Real y; end R;
    function put input Integer k; output Real s[6]; protected R r[3]; algorithm
      for i in 1:3 loop r[i] := R(i, 10*i); end for;
      ${statement}
      s := {r[1].x, r[2].x, r[3].x, r[1].y, r[2].y, r[3].y};
    end put;
    model M Integer k; Real s[6]; equation k = if time < 0.5 then 1 else 3; s = put(k); end M;`;
  const seen = (statement: string, t: number): number[] => {
    const run = simulateText(text(statement), 'M');
    return [1, 2, 3, 4, 5, 6].map((n) => run.at(`s[${n}]`, t));
  };
  expect(seen('r[k].x := 100;', 0.2)).toEqual([100, 2, 3, 10, 20, 30]);
  expect(seen('r[k].x := 100;', 0.8)).toEqual([1, 2, 100, 10, 20, 30]);
  expect(seen('r[k] := R(7, 8);', 0.2)).toEqual([7, 2, 3, 8, 20, 30]);
  expect(seen('r[k] := R(7, 8);', 0.8)).toEqual([1, 2, 7, 10, 20, 8]);
});

describe('a number outside its array', () => {
  const model = (body: string): string =>
    `model M parameter Real p[2] = {5, 6}; Integer k; Real x(start = 0); equation k = if time > 0.5 then 3 else 1; ${body} end M;`;

  test('ends the run where it is needed, with the array, and the number it was', () => {
    const run = simulateText(model('x = p[k];'), 'M');
    expect(run.simulation.status).toBe('failed');
    expect(run.simulation.problem!.message).toMatch(
      /^An index outside its array in "x = p\[k\];": x would be not a number \(k = 3, p\[1\] = 5, p\[2\] = 6\), at t = 0\.5/,
    );
    expect(simulateText(model('der(x) = p[k - 1];'), 'M').simulation.problem!.message).toMatch(/^An index outside/);
  });
  test('does no harm in a branch that is not taken', () => {
    const run = simulateText(model('x = if k < 3 then p[k] else -1;'), 'M');
    expect([run.at('x', 0.2), run.at('x', 0.8)]).toEqual([5, -1]);
  });
  test('gives no element a value where it is written to', () => {
    const put = (body: string): string =>
      `function f input Integer i; output Real y[2]; algorithm y := {1, 2}; y[i] := 9; end f;
       model M Integer k; Real x[2]; ${body} end M;`;
    for (const body of [
      'equation k = if time > 0.5 then 3 else 2; x = f(k);',
      'algorithm k := if time > 0.5 then 3 else 2; x := {1, 2}; x[k] := 9;',
    ]) {
      const run = simulateText(put(body), 'M');
      expect([run.at('x[1]', 0.2), run.at('x[2]', 0.2)]).toEqual([1, 9]);
      expect(run.simulation.problem!.message).toMatch(/^An index outside its array/);
    }
  });
  test('is refused before the run where it is known', () => {
    for (const [text, why] of [
      ['x = p[3];', 'p[3]: index 3 is outside 1 to 2'],
      ['x = p[0];', 'p[0]: index 0 is outside 1 to 2'],
      ['x = p[1.5];', 'The index 1.5 is 1.5, not a whole number'],
    ])
      expect(problemsOf(model(text), 'M')).toEqual([why]);
  });
});

test('what takes the place of a value has its shape, or is refused with both', () => {
  const text = (statement: string): string => `
    record R Real x; Real y; end R; record Q Real x; end Q;
    function f input Real u; output Real s; protected Real v[3]; Real A[2, 2]; R r; Real open[:]; algorithm
      v := {1, 2, 3}; A := [1, 2; 3, 4]; r := R(1, 2); open := {1}; open := {1, 2}; s := 0; ${statement}
    end f;
    model M Real s; equation s = f(time); end M;`;
  for (const [statement, why] of [
    ['v := {1, 2};', 'v has size [3], but size [2] is given'],
    ['v := {1, 2, 3, 4};', 'v has size [3], but size [4] is given'],
    ['v := 5;', 'v has size [3], but a single value is given'],
    ['s := v;', 's is a single value, but size [3] is given'],
    ['v[2] := {1, 2};', 'v[2] is a single value, but size [2] is given'],
    ['v[2:3] := {7, 8, 9};', 'v[2:3] has 2 elements, but 3 are given'],
    ['v[2:3] := {7};', 'v[2:3] has 2 elements, but 1 is given'],
    ['v[2:3] := 9;', 'v[2:3] has 2 elements, but a single value is given'],
    ['v[{1, 4}] := {7, 8};', 'v[{1, 4}]: index 4 is outside 1 to 3'],
    ['v[4] := 1;', 'v[4]: index 4 is outside 1 to 3'],
    ['A[1] := {4, 5, 6};', 'A[1] has size [2], but size [3] is given'],
    ['A := [1, 2, 3; 4, 5, 6];', 'A has size [2, 2], but size [2, 3] is given'],
    ['A := {1, 2};', 'A has size [2, 2], but size [2] is given'],
    ['r := Q(1);', 'r is a R, but a Q is given'],
    ['r := 3;', 'r is a R, but a single value is given'],
    ['s := r;', 's is no record, but one is given'],
    ['r.x := {1, 2};', 'r.x is a single value, but size [2] is given'],
    ['s := open[3];', 'open[3]: index 3 is outside 1 to 2'],
  ])
    expect([statement, problemsOf(text(statement), 'M')]).toEqual([statement, [why]]);
  expect(problemsOf(text('v := v + {1, 2, 3}; A[:, 1] := v[1:2]; r.y := 4; s := A[2, 1];'), 'M')).toEqual([]);
});

test('a value declared for an array has its shape; one value for all is asked for by name, but starts and limits need not', () => {
  const model = (declarations: string): string => `
    model P parameter Real R = 1; parameter Real v[2] = {1, 2}; end P;
    record C Real re; Real im; end C;
    model M ${declarations} end M;`;
  const list = 'but a list is needed; it is given to all elements';
  for (const [declarations, why] of [
    ['Real v[3] = 5;', `5 is a single value, ${list} with fill(5, ...)`],
    ['parameter Real v[3] = 5;', `5 is a single value, ${list} with fill(5, ...)`],
    ['Real v[3] = {1, 2};', '{1, 2} has 2 elements, but element 3 is needed'],
    ['Real v[3] = {1, 2, 3, 4};', '{1, 2, 3, 4} has 4 elements, but only 3 are needed'],
    ['Real A[2, 2] = {1, 2};', '{1, 2} has size [2], but an array of 2 dimensions is needed'],
    [
      'Real A[2, 2] = 1;',
      '1 is a single value, but an array of 2 dimensions is needed; it is given to all elements with fill(1, ...)',
    ],
    ['Real v[2] = [1, 2; 3, 4];', '[1, 2; 3, 4] is an array, but a single value is needed'],
    ['P p[2](R = 4);', `4 is a single value, ${list} with each before the name`],
    ['P p(v = 4);', `4 is a single value, ${list} with each before the name`],
    ['P p[2](v = {3, 4});', '{3, 4} has size [2], but an array of 2 dimensions is needed'],
    [
      'C c[2] = C(1, 2);',
      'C(1, 2) is a single value, but a list is needed; it is given to all elements with fill(C(1, 2), ...)',
    ],
  ])
    expect([declarations, [...new Set(problemsOf(model(declarations), 'M'))]]).toEqual([declarations, [why]]);
  for (const declarations of [
    'Real v[3] = fill(5, 3);',
    'Real v[3](each start = 1, min = 0) = {1, 2, 3};',
    'P p[2](R = {4, 5});',
    'P p[2](each R = 4, each v = {3, 4});',
    'P p[2](v = [1, 2; 3, 4]);',
    'Real A[2, 2] = [1, 2; 3, 4];',
    'C c[2] = {C(1, 2), C(3, 4)};',
  ])
    expect([declarations, problemsOf(model(declarations), 'M')]).toEqual([declarations, []]);
  const { last } = simulateText(
    model('P p[2](R = {4, 5}, each v = {3, 4}); Real x = p[1].R + 10*p[2].R + 100*p[2].v[1] + 1000*p[1].v[2];'),
    'M',
    { stop: 1 },
  );
  expect(last('x')).toBe(4354);
});
