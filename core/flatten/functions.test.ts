import fc from 'fast-check';
import { problemsOf, simulateText } from '../testing/simulate-text';

/** Functions of the language against the same ones written here, for any numbers. */

const list = (xs: readonly number[]): string => `{${xs.map((x) => (x < 0 ? `(${x})` : String(x))).join(', ')}}`;
const numbers = (from = 1, to = 6) =>
  fc.array(
    fc.integer({ min: -50, max: 50 }).map((n) => n / 4),
    { minLength: from, maxLength: to },
  );

/** The values of `y` (a vector of so many) in a model that adds `time - time`, so that nothing is known before the run. */
function valuesOf(functions: string, call: string, count: number): number[] {
  const run = simulateText(`${functions} model M Real y[${count}] = ${call}; end M;`, 'M', { stop: 0.1 });
  return Array.from({ length: count }, (_, k) => run.last(`y[${k + 1}]`));
}
const near = (actual: readonly number[], expected: readonly number[]): void =>
  actual.forEach((x, k) => expect(x).toBeCloseTo(expected[k], 9));
/** As numbers that are known before the run, and as ones that are not. */
const both = (xs: readonly number[]): readonly string[] => [list(xs), `(${list(xs)} .+ (time - time))`];

test('sorting by exchanges, in a copy', () => {
  const text = `function sorted input Real x[:]; output Real y[size(x, 1)]; protected Real kept;
algorithm y := x; for i in 1:size(x, 1) - 1 loop for j in 1:size(x, 1) - i loop
if y[j] > y[j + 1] then kept := y[j]; y[j] := y[j + 1]; y[j + 1] := kept; end if; end for; end for; end sorted;`;
  fc.assert(
    fc.property(numbers(1, 5), (xs) => {
      for (const given of both(xs))
        near(
          valuesOf(text, `sorted(${given})`, xs.length),
          [...xs].sort((a, b) => a - b),
        );
    }),
    { numRuns: 12 },
  );
});

test('running sums, and the same from the other end by ranges that go down', () => {
  const text = `function sums input Real x[:]; output Real y[size(x, 1)];
algorithm y[1] := x[1]; for k in 2:size(x, 1) loop y[k] := y[k - 1] + x[k]; end for; end sums;
function back input Real x[:]; output Real y[size(x, 1)]; protected Real s = 0;
algorithm for k in size(x, 1):-1:1 loop s := s + x[k]; y[k] := s; end for; end back;
function turned input Real x[:]; output Real y[size(x, 1)]; algorithm y := x[size(x, 1):-1:1]; end turned;`;
  fc.assert(
    fc.property(numbers(), (xs) => {
      const sums = (all: readonly number[]): number[] => all.map((_, k) => all.slice(0, k + 1).reduce((a, b) => a + b));
      for (const given of both(xs)) {
        near(valuesOf(text, `sums(${given})`, xs.length), sums(xs));
        near(valuesOf(text, `back(${given})`, xs.length), sums([...xs].reverse()).reverse());
        near(valuesOf(text, `turned(${given})`, xs.length), [...xs].reverse());
      }
    }),
    { numRuns: 12 },
  );
});

test('a matrix is filled by elements, rows, columns and pieces, and multiplied by hand', () => {
  const text = `function filled input Real x[:]; output Real y[9]; protected Real m[3, 3];
algorithm for i in 1:3 loop for j in 1:3 loop m[i, j] := 10*i + j; end for; end for;
m[2, :] := {x[1], x[2], x[3]}; m[:, 3] := {-1, -2, -3}; m[3, 1:2] := {x[2], x[1]};
y := {m[1, 1], m[1, 2], m[1, 3], m[2, 1], m[2, 2], m[2, 3], m[3, 1], m[3, 2], m[3, 3]}; end filled;
function times input Real a[:, :]; input Real b[:, :]; output Real c[size(a, 1), size(b, 2)];
algorithm for i in 1:size(a, 1) loop for j in 1:size(b, 2) loop c[i, j] := 0;
for k in 1:size(a, 2) loop c[i, j] := c[i, j] + a[i, k]*b[k, j]; end for; end for; end for; end times;`;
  fc.assert(
    fc.property(numbers(3, 3), numbers(6, 6), numbers(6, 6), ([p, q, r], a, b) => {
      near(valuesOf(text, `filled(${list([p, q, r])})`, 9), [11, 12, -1, p, q, -2, q, p, -3]);
      const rows = (xs: readonly number[], width: number): string =>
        list([]).replace(
          '{}',
          `{${Array.from({ length: 6 / width }, (_, i) => list(xs.slice(i * width, (i + 1) * width))).join(', ')}}`,
        );
      const run = simulateText(
        `${text} model M Real c[2, 2] = times(${rows(a, 3)}, ${rows(b, 2)}); Real d[2, 2] = ${rows(a, 3)}*${rows(b, 2)}; end M;`,
        'M',
        { stop: 0.1 },
      );
      for (const [i, j] of [
        [0, 0],
        [0, 1],
        [1, 0],
        [1, 1],
      ]) {
        const sum = [0, 1, 2].reduce((s, k) => s + a[3 * i + k] * b[2 * k + j], 0);
        for (const name of ['c', 'd']) expect(run.last(`${name}[${i + 1},${j + 1}]`)).toBeCloseTo(sum, 9);
      }
    }),
    { numRuns: 12 },
  );
});

test('an element whose number is found during the run is read and written', () => {
  const text = `function put input Real x[:]; input Real at; input Real v; output Real y[size(x, 1)];
protected Integer k; algorithm k := integer(at); y := x; y[k] := v + y[k]; end put;`;
  fc.assert(
    fc.property(numbers(2, 5), fc.nat(4), fc.integer({ min: -9, max: 9 }), (xs, n, v) => {
      const k = n % xs.length;
      near(
        valuesOf(text, `put(${list(xs)}, ${k + 1.5} + (time - time), ${v < 0 ? `(${v})` : v})`, xs.length),
        xs.map((x, j) => (j === k ? x + v : x)),
      );
    }),
    { numRuns: 15 },
  );
});

test('records: made, changed field by field, in arrays, handed on', () => {
  const text = `record Point Real x; Real y; Real w[2]; end Point;
function moved input Point p; input Real by; output Point q; algorithm q := p; q.x := p.x + by; q.w[2] := by; end moved;
function middle input Point p[:]; output Point m; algorithm m.x := sum(p.x)/size(p, 1); m.y := sum(p.y)/size(p, 1); m.w := p[1].w; end middle;
model M Point a = Point(1, 2, {3, 4}); Point b = moved(a, 5 + time); Point c = middle({a, b, Point(0, 0, {0, 0})}); end M;`;
  const run = simulateText(text, 'M', { stop: 1 });
  const point = (name: string): number[] => ['x', 'y', 'w[1]', 'w[2]'].map((f) => run.last(`${name}.${f}`));
  near(point('b'), [7, 2, 3, 6]);
  near(point('c'), [8 / 3, 4 / 3, 3, 4]);
});

test.each([
  ['y[4] := 1', /index 4 is outside 1 to 3/],
  ['y[0] := 1', /index 0 is outside 1 to 3/],
  ['y[1, 2] := 1', /fewer dimensions than subscripts/],
  ['z := 1', /z is not declared in this function/],
])('%s in a function is refused at its place', (statement, message) => {
  const text = `function f input Real x; output Real y[3]; algorithm y := {x, x, x}; ${statement}; end f; model M Real y[3] = f(time); end M;`;
  expect(problemsOf(text, 'M').join('\n')).toMatch(message);
});

test('what has no such field, part or value is told by its name', () => {
  const text = `record Point Real x; Real y; end Point;
function f input Point p; output Point q; algorithm q := p; q.z := 1; end f;
model Sub Real speed = 1; end Sub; model M Sub s; Point p = f(Point(1, 2)); Real a = s.sped; Real b = s.speed.rate; constant Real c; end M;`;
  const told = problemsOf(text, 'M').join('\n');
  for (const part of [
    /Point has no z/,
    /Sub has no quantity or part named sped; did you mean speed\?/,
    /speed is a single value and has no rate/,
    /The constant c has no value/,
  ])
    expect(told).toMatch(part);
});

test('everything of a package is found by an import of all of it, and nothing else is', () => {
  const text = `package P package Inner constant Real k = 3; function twice input Real x; output Real y; algorithm y := 2*x; end twice; end Inner; end P;
model A import P.Inner.*; Real a = twice(k); end A;
model B import I = P.Inner; Real a = I.twice(I.k); end B;
model C import P.Inner.k; Real a = twice(k); end C;`;
  expect(simulateText(text, 'A').last('a')).toBe(6);
  expect(simulateText(text, 'B').last('a')).toBe(6);
  expect(problemsOf(text, 'C').join()).toMatch(/twice/);
});

test('links to a part that is left out are left out with it; links to what is not there are told', () => {
  const text = `connector Pin Real v; flow Real i; end Pin;
model Ground Pin p; equation p.v = 0; end Ground;
model Source Pin p; equation p.v = 5; end Source;
model Load Pin p; parameter Real R = 2; equation p.v = R*p.i; end Load;
model M parameter Boolean has = false; Source s; Load a; Load b if has; Load c[2] if has;
equation connect(s.p, a.p); connect(b.p, s.p); connect(c[1].p, s.p); end M;
model N extends M(has = true); equation connect(c[2].p, a.p); end N;
model Wrong Source s; equation connect(s.p, nobody.p); end Wrong;`;
  expect(simulateText(text, 'M').last('s.p.i')).toBeCloseTo(-2.5, 9);
  expect(simulateText(text, 'N').last('s.p.i')).toBeCloseTo(-10, 9);
  expect(problemsOf(text, 'Wrong').join()).toMatch(/nobody/);
});

test('an algorithm remembers what a when in a loop or a branch gave', () => {
  const text = `model M Integer n[2](each start = 0); Real r; discrete Real kept(start = 7);
algorithm for k in 1:2 loop when time > 0.3*k then n[k] := pre(n[k]) + k; end when; end for;
r := n[1] + 10*n[2];
algorithm if true then when time > 0.5 then kept := time; end when; end if; end M;`;
  const problems = problemsOf(text, 'M');
  if (problems.length > 0) throw new Error(problems.join());
  const run = simulateText(text, 'M', { stop: 1 });
  expect([run.at('r', 0.2), run.at('r', 0.4), run.at('r', 0.9)]).toEqual([0, 1, 21]);
  expect(run.at('kept', 0.4)).toBe(7);
  expect(run.last('kept')).toBeCloseTo(0.5, 6);
});

test.each(['max', 'sin', 'sum', 'product', 'delay', 'floor'])(
  'a function called %s, as one of the language, is refused where it is called by that name alone',
  (name) => {
    const text = `function ${name} input Real x; output Real y; algorithm y := 7*x; end ${name};
package P function ${name} input Real x; output Real y; algorithm y := 7*x; end ${name}; end P;
model M Real y = ${name}(time); end M; model N Real y = P.${name}(time); end N;`;
    expect(problemsOf(text, 'M').join()).toMatch(/is a function of the language, and one of the same name is declared/);
    expect(simulateText(text, 'N').last('y')).toBeCloseTo(7, 9);
  },
);

test('arrays of unlike lengths are not met element by element', () => {
  const text = `function f input Real x; input Real y; output Real z; algorithm z := x + y; end f;`;
  expect(problemsOf(`${text} model M Real z[3] = f({1, 2, 3}, {1, 2}); end M;`, 'M').join()).toMatch(/3 and 2/);
  const run = simulateText(`${text} model M Real z[2] = f({1, 2}, 10*time); end M;`, 'M');
  near([run.last('z[1]'), run.last('z[2]')], [11, 12]);
});

describe('other values for what a function or a record has of its base', () => {
  const text = `function g input Real x; input Real k = 2; output Real y = 100; protected Real half = 0.5; algorithm y := k*x + half; end g;
    function short = g(k = 5); function longer extends g(k = 7, half = 0); end longer; function again = longer(k = 8);
    record R Real a = 1; Real b = 2; end R; record S = R(b = 20); record T extends R(a = 10); end T;
    package P function inside = g(k = 30); end P;
    model A replaceable function r = g; Real d = r(1.0); end A;`;
  test('are taken, wherever they were given, and arguments win', () => {
    const run = simulateText(
      `${text} model M Real a = short(1); Real b = longer(1); Real c = again(1); Real d = again(1, 3); Real e = g(1);
        S s = S(); T t = T(); R r = R(); Real inside = P.inside(1); A changed(redeclare function r = g(k = 9)); A plain; end M;`,
      'M',
    );
    near(
      ['a', 'b', 'c', 'd', 'e', 's.a', 's.b', 't.a', 't.b', 'r.b', 'inside', 'changed.d', 'plain.d'].map((n) =>
        run.last(n),
      ),
      [5.5, 7, 8, 3, 2.5, 1, 20, 10, 2, 2, 30.5, 9.5, 2.5],
    );
  });
  test('names it does not have are told', () => {
    expect(problemsOf(`${text} function h = g(q = 1); model M Real x = h(1); end M;`, 'M')).toContain(
      'There is no q to change',
    );
    expect(problemsOf(`${text} function h = g(x(min = 1)); model M Real x = h(1); end M;`, 'M')).toEqual([]);
  });
});

describe('partial derivatives of functions (Modelica language 3.6, 12.7.2)', () => {
  const g = `function g input Real x; input Real y = 2; output Real z; output Real w;
algorithm z := x^2*y + sin(x); w := if x > y then x*y else exp(-y); end g;`;
  const at = (declared: string, call: string, x: number, y: number): number => {
    const run = simulateText(
      `${g} ${declared} model M Real a(start = ${x}, fixed = true), b(start = ${y}, fixed = true), r; equation der(a) = 0; der(b) = 0; r = ${call}; end M;`,
      'M',
      { stop: 0.1 },
    );
    return run.last('r');
  };
  test('for one input, for another, twice, and for both', () => {
    const cases: readonly (readonly [string, (x: number, y: number) => number])[] = [
      ['x', (x, y) => 2 * x * y + Math.cos(x)],
      ['y', (x) => x ** 2],
      ['x, x', (x, y) => 2 * y - Math.sin(x)],
      ['x, y', (x) => 2 * x],
      ['y, x', (x) => 2 * x],
      ['y, y', () => 0],
    ];
    for (const [inputs, expected] of cases)
      for (const [x, y] of [
        [0.7, 1.5],
        [-2, 3],
      ])
        expect([inputs, at(`function d = der(g, ${inputs});`, 'd(a, b)', x, y)]).toEqual([
          inputs,
          expect.closeTo(expected(x, y), 9),
        ]);
  });
  test('by name, with the usual value, and of a function with changed values', () => {
    expect(at('function d = der(g, x);', 'd(y = b, x = a)', 0.5, 4)).toBeCloseTo(4 + Math.cos(0.5), 9);
    expect(at('function d = der(g, x);', 'd(a)', 0.5, 4)).toBeCloseTo(2 + Math.cos(0.5), 9);
    expect(at('function h = g(y = 5); function d = der(h, x);', 'd(a)', 0.5, 4)).toBeCloseTo(5 + Math.cos(0.5), 9);
    expect(at('function d = der(g, x); function e = der(d, x);', 'e(a, b)', 0.5, 4)).toBeCloseTo(8 - Math.sin(0.5), 9);
  });
  test('through loops and branches, as the quotient of differences says', () => {
    const text = `function p input Real x; input Real c[:]; output Real y; protected Real s; algorithm
y := 0; for k in size(c, 1):-1:1 loop y := y*x + c[k]; end for; if x < 0 then s := -1; else s := 1; end if; y := s*y; end p;
function dp = der(p, x);`;
    fc.assert(
      fc.property(numbers(1, 5), fc.constantFrom(-1.5, -0.25, 0.5, 2), (c, x) => {
        const run = simulateText(
          `${text} model M Real a(start = ${x}, fixed = true), lo, hi, d; equation der(a) = 0; d = dp(a, ${list(c)}); lo = p(a - 1e-5, ${list(c)}); hi = p(a + 1e-5, ${list(c)}); end M;`,
          'M',
          { stop: 0.1 },
        );
        expect(run.last('d')).toBeCloseTo((run.last('hi') - run.last('lo')) / 2e-5, 4);
      }),
      { numRuns: 12 },
    );
  });
  test('in an equation that is solved for its argument', () => {
    // d/dx of x^2*y + sin(x) is 2 x y + cos(x)
    const x = at('function d = der(g, x);', 'a + 0*d(r, b)', 1, 2);
    expect(Number.isFinite(x)).toBe(true);
    const run = simulateText(
      `${g} function d = der(g, x); model M Real u(start = 1); equation d(u, 3) = 4 + time; end M;`,
      'M',
      { stop: 1 },
    );
    const u = run.last('u');
    expect(6 * u + Math.cos(u)).toBeCloseTo(5, 7);
  });
  test.each([
    ['function d = der(g, q);', 'd(1, 2)', /g has no input q/],
    ['function d = der(f, x);', 'd(1, 2)', /There is no function f to differentiate/],
    [
      'function k input Real c[2]; output Real y; algorithm y := c[1]; end k; function d = der(k, c);',
      'd({1, 2})',
      /c of k is no single Real/,
    ],
    [
      'function k input Integer n; output Real y; algorithm y := n; end k; function d = der(k, n);',
      'd(1)',
      /n of k is no single Real/,
    ],
    ['function d = der(d, x);', 'd(1, 2)', /d has no input x/],
    ['function d = der(g);', 'd(1, 2)', /names the input it is for/],
    ['function d = der(g, x);', 'd(y = 2)', /d needs a value for its input x/],
  ])('%s', (declared, call, why) => {
    expect(problemsOf(`${g} ${declared} model M Real r = ${call}; end M;`, 'M').join('\n')).toMatch(why);
  });
});
