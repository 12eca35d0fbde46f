import { problemsOf, simulateText } from '../testing/simulate-text';

/** Loops and iterators, wherever the language has them. */

const last = (text: string, ...names: string[]): number[] => {
  const run = simulateText(text, 'M');
  if (run.simulation.problem) throw new Error(run.simulation.problem.message);
  return names.map((n) => run.last(n));
};
const all = (name: string, rows: number, columns: number): string[] =>
  Array.from({ length: rows * columns }, (_, k) => `${name}[${Math.floor(k / columns) + 1},${(k % columns) + 1}]`);
const table = (rows: number, columns: number, f: (i: number, j: number) => number): number[] =>
  Array.from({ length: rows * columns }, (_, k) => f(Math.floor(k / columns) + 1, (k % columns) + 1));

test('several indices among equations, in a when, among statements: each pair once', () => {
  const wanted = table(2, 3, (i, j) => 10 * i + j);
  for (const body of [
    'equation for i in 1:2, j in 1:3 loop v[i, j] = 10*i + j; end for;',
    'equation for i in 1:2 loop for j in 1:3 loop v[i, j] = 10*i + j; end for; end for;',
    'equation when time > 0.5 then for i in 1:2, j in 1:3 loop v[i, j] = 10*i + j; end for; end when;',
    'algorithm for i in 1:2, j in 1:3 loop v[i, j] := 10*i + j; end for;',
    'algorithm when time > 0.5 then for i in 1:2, j in 1:3 loop v[i, j] := 10*i + j; end for; end when;',
  ])
    expect([body, last(`model M Real v[2, 3]; ${body} end M;`, ...all('v', 2, 3))]).toEqual([body, wanted]);
});

test('the range of an inner index may ask for the outer one', () => {
  expect(
    last('model M Real v[3]; equation for i in 1:3, j in i:i loop v[j] = j^2; end for; end M;', 'v[1]', 'v[2]', 'v[3]'),
  ).toEqual([1, 4, 9]);
  expect(last('model M Real s; equation s = sum(i*j for j in 1:i, i in 1:3); end M;', 's')).toEqual([
    1 + 2 + 4 + 3 + 6 + 9,
  ]);
});

test('an array of several indices: the last one is the first dimension (Modelica language 3.6, 10.4.1.1)', () => {
  const names = all('v', 2, 3);
  const wanted = table(2, 3, (i, j) => 10 * i + j);
  expect(last('model M Real v[2, 3] = {10*i + j for j in 1:3, i in 1:2}; end M;', ...names)).toEqual(wanted);
  expect(last('model M Real v[2, 3] = {{10*i + j for j in 1:3} for i in 1:2}; end M;', ...names)).toEqual(wanted);
  expect(problemsOf('model M Real v[2, 3] = {10*i + j for i in 1:2, j in 1:3}; end M;', 'M').length).toBeGreaterThan(0);
});

test('ranges go up, down, in steps, over lists, enumerations and truths; empty ones do nothing', () => {
  const sum = (range: string): number =>
    last(`model M Real s; algorithm s := 0; for i in ${range} loop s := 10*s + i; end for; end M;`, 's')[0];
  expect(sum('1:4')).toBe(1234);
  expect(sum('4:-1:1')).toBe(4321);
  expect(sum('1:2:6')).toBe(135);
  expect(sum('{3, 1, 2}')).toBe(312);
  expect(sum('2:1')).toBe(0);
  expect(
    last(
      `type Level = enumeration(low, middle, high);
       model M Real v[Level], s; equation
         for k in Level loop v[k] = if k == Level.high then 7 else 1; end for;
         s = sum(if b then 5 else 2 for b in Boolean);
       end M;`,
      'v[1]',
      'v[3]',
      's',
    ),
  ).toEqual([1, 7, 7]);
});

test('elements have numbers, not truth values', () => {
  expect(problemsOf('model M Real v[2] = {1, 2}, x = v[true]; end M;', 'M')).toEqual([
    'The index true is true or false, not a number',
  ]);
  expect(problemsOf('model M Real v[2] = {1, 2}, x; Boolean b = time > 1; equation x = v[b]; end M;', 'M')).toEqual([
    'The index b is true or false, not a number',
  ]);
  for (const [index, told] of [
    ['b', 'The index b is true or false, not a number'],
    ['true', 'The index true is true or false, not a number'],
  ])
    expect(
      problemsOf(`model M Real v[2]; Boolean b = time > 1; algorithm v := {1, 2}; v[${index}] := 3; end M;`, 'M'),
    ).toContain(told);
  expect(problemsOf('model M Real v[Boolean]; equation v = {1, 2}; end M;', 'M')).toContain(
    'v cannot be counted by truth values: give it 2 elements',
  );
});

test('actions of a when are done for each index', () => {
  expect(
    last(
      `model M Real x[3](each start = 1); equation
         der(x) = zeros(3);
         when time > 0.5 then for i in 1:3 loop reinit(x[i], 10*i); end for; end when;
       end M;`,
      'x[1]',
      'x[2]',
      'x[3]',
    ),
  ).toEqual([10, 20, 30]);
});

test('an index without a range, and a range that is only known during the run, are told wherever they stand', () => {
  const places = (head: string): string[] => [
    `equation for ${head} loop v[i] = i; end for;`,
    `equation when time > 0.5 then for ${head} loop v[i] = i; end for; end when;`,
    `algorithm for ${head} loop v[i] := i; end for;`,
  ];
  const told = (head: string): string[][] =>
    places(head).map((body) =>
      problemsOf(`model M Integer n = if time > 0.2 then 2 else 1; Real v[2]; ${body} end M;`, 'M'),
    );
  for (const problems of told('i in 2')) expect(problems).toContain('The index i needs a range: i in 1:n');
  for (const problems of told('i in 1:n')) expect(problems).toContain('The range 1:n must be known before the run');
  for (const body of places('i in {1, n}').slice(0, 2))
    expect(problemsOf(`model M Integer n = if time > 0.2 then 2 else 1; Real v[2]; ${body} end M;`, 'M')).toContain(
      'The range of i must be known before the run',
    );
});

describe('an index without a range counts what it picks from', () => {
  const text = (body: string): string => `
    function total input Real u[:]; output Real s; algorithm s := 0; for k loop s := s + u[k]; end for; end total;
    model P Real y; Real z[2]; end P;
    model M ${body} end M;`;
  test('in equations, expressions, algorithms, of parts, and in both dimensions', () => {
    const run = simulateText(
      text(`Real x[3]; Real A[2, 3]; P p[2]; Real s; Real t; Real q[3]; Real last; Integer n[3]; equation
        for i loop x[i] = 10*i; end for;
        for i, j loop A[i, j] = 10*i + j; end for;
        for i loop p[i].y = i; for j loop p[i].z[j] = i*j; end for; end for;
        s = sum(x[i]^2 for i); t = total({1, 2, 4}); q = {2*x[k] for k}; last = A[2, 3] + p[2].z[2];
        when initial() then for i loop n[i] = i; end for; end when;`),
      'M',
    );
    expect(['x[3]', 'A[2,3]', 'p[2].y', 's', 't', 'q[2]', 'last', 'n[3]'].map((name) => run.last(name))).toEqual([
      30, 23, 2, 1400, 7, 40, 27, 3,
    ]);
  });
  test('of several, they have as many elements; an inner index of the same name is another', () => {
    expect(problemsOf(text('Real x[3]; Real y[5]; equation for i loop x[i] = 1; y[i] = 2; end for;'), 'M')).toContain(
      'The index i counts 3 of x and 5 of y: give it a range',
    );
    expect(
      problemsOf(text('Real x[3]; Real y[3] = {1, 2, 3}; equation for i loop x[i] = y[i]; end for;'), 'M'),
    ).toEqual([]);
    expect(
      problemsOf(
        text('Real x[2]; Real y[5] = {1, 2, 3, 4, 5}; equation for i loop x[i] = sum(y[i] for i in 1:5); end for;'),
        'M',
      ),
    ).toEqual([]);
    expect(problemsOf(text('Real x[2]; equation for i loop x[i + 0] = 1; end for;'), 'M')).toContain(
      'The index i needs a range: i in 1:n',
    );
  });
});
