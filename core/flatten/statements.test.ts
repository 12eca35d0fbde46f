import { problemsOf, simulateText } from '../testing/simulate-text';

const last = (text: string, name: string, wanted: string, stop = 1): number =>
  simulateText(text, name, { stop }).last(wanted);
const close = (actual: number, expected: number): void =>
  expect(Math.abs(actual - expected)).toBeLessThan(1e-7 * Math.max(1, Math.abs(expected)));

describe('functions', () => {
  test('are carried out with expressions: ifs, loops, locals, defaults, named arguments, several results', () => {
    const text = `
function clamp input Real x; input Real lo = -1; input Real hi = 1; output Real y; algorithm if x < lo then y := lo; elseif x > hi then y := hi; else y := x; end if; end clamp;
function horner input Real c[:]; input Real x; output Real y; algorithm y := 0; for i in size(c, 1):-1:1 loop y := y*x + c[i]; end for; end horner;
function meanAndSpread input Real x[:]; output Real m; output Real s; protected Integer n = size(x, 1); algorithm m := sum(x)/n; s := 0; for k in 1:n loop s := s + (x[k] - m)^2; end for; s := sqrt(s/n); end meanAndSpread;
model M Real a, b, c, m, s; equation a = clamp(3*time); b = clamp(-5, hi = 2); c = horner({1, 2, 3}, time); (m, s) = meanAndSpread({time, 2*time, 3*time}); end M;`;
    const run = simulateText(text, 'M', { stop: 1 });
    close(run.last('a'), 1);
    close(run.at('a', 0.2), 0.6);
    close(run.last('b'), -1);
    close(run.last('c'), 6);
    close(run.last('m'), 2);
    close(run.last('s'), Math.sqrt(2 / 3));
  });
  test('can be solved for their arguments and differentiated', () => {
    const text = `function cube input Real x; output Real y; algorithm y := x*x*x; end cube;
model M Real x(start = 1), v, y; equation cube(x) = 8 + time; v = der(x); y = der(cube(x)); end M;`;
    const run = simulateText(text, 'M', { stop: 1 });
    close(run.last('x'), Math.cbrt(9));
    close(run.last('v'), 1 / (3 * 9 ** (2 / 3)));
    close(run.last('y'), 1);
  });
  test('iterate, recurse and return early where that is decided before the run, and under a condition where it is not', () => {
    const text = `
function root input Real a; output Real x; algorithm x := a; for k in 1:8 loop x := (x + a/x)/2; end for; end root;
function factorial input Integer n; output Integer f; algorithm if n <= 1 then f := 1; else f := n*factorial(n - 1); end if; end factorial;
function sgn input Real x; output Real y; algorithm if x > 0 then y := 1; return; end if; y := -1; end sgn;
function count input Integer n; output Integer k; protected Integer m; algorithm m := n; k := 0; while m > 1 loop m := div(m, 2); k := k + 1; end while; end count;
model M Real r, s; Integer f, c; equation r = root(2 + time); f = factorial(5); s = sgn(time - 0.5); c = count(40); end M;`;
    const run = simulateText(text, 'M', { stop: 1 });
    close(run.last('r'), Math.sqrt(3));
    expect(run.last('f')).toBe(120);
    expect([run.at('s', 0.2), run.at('s', 0.8)]).toEqual([-1, 1]);
    expect(run.last('c')).toBe(5);
  });
  describe('loops whose turns are counted during the run', () => {
    const text = `
function first input Real t[:]; input Real u; output Integer k; algorithm k := 0; for i in 1:size(t, 1) loop if t[i] > u then k := i; return; end if; end for; k := -1; end first;
function reached input Real t[:]; input Real u; output Integer k; algorithm k := 0; for i in 1:size(t, 1) loop k := i; if t[i] > u then break; end if; end for; k := 10*k; end reached;
function flights input Real n; output Integer c; protected Real m; algorithm m := n; c := 0; while m > 1.5 loop if mod(m, 2) < 0.5 then m := m/2; else m := 3*m + 1; end if; c := c + 1; if c >= 30 then break; end if; end while; end flights;
function root input Real a; output Real x; protected Real old; algorithm x := a; old := 0; while abs(x - old) > 1e-13 loop old := x; x := 0.5*(x + a/x); end while; end root;
function pairs input Real u; output Real s; algorithm s := 0; for i in 1:3 loop for j in 1:4 loop if i*j > u then break; end if; s := s + 1; end for; end for; end pairs;
function early input Real u; output Real s; algorithm s := 0; for i in 1:3 loop for j in 1:4 loop if i*j > u then return; end if; s := s + 1; end for; s := s + 100; end for; s := -1; end early;
function halve input Real x; output Real y; algorithm y := x; while y > 1 loop y := y + 1; end while; end halve;
model M Real a = first({1, 2, 3, 4}, time), b = reached({1, 2, 3, 4}, time), c = flights(floor(2*time) + 6), d = root(time + 1), e = pairs(time + 1.5), f = early(time + 1.5); Real z[2] = {root(time + 4), 3}; end M;
model T parameter Real x[:] = {0, 1, 2}, v[:] = {0, 2, 3}; Real y; Integer k; algorithm k := 1; while k < size(x, 1) and time > x[k + 1] loop k := k + 1; end while; y := if k >= size(x, 1) then v[end] else v[k] + (time - x[k])*(v[k + 1] - v[k])/(x[k + 1] - x[k]); end T;
model Endless Real y = halve(time + 2); end Endless;`;
    test.each([
      [0.2, [1, 10, 8, Math.sqrt(1.2), 1, 1]],
      [2.75, [3, 30, 14, Math.sqrt(3.75), 7, 106]],
      [20, [-1, 40, 16, Math.sqrt(21), 12, -1]],
    ])('search, leave and return as a program would, at %f s', (stop, wanted) => {
      const run = simulateText(text, 'M', { stop });
      wanted.forEach((x, k) => close(run.last('abcdef'[k]), x));
      close(run.last('z[1]'), Math.sqrt(stop + 4));
    });
    test('follow a table in an algorithm of a part', () => {
      const run = simulateText(text, 'T', { stop: 3 });
      for (const [t, y, k] of [
        [0.5, 1, 1],
        [1.5, 2.5, 2],
        [2.9, 3, 3],
      ]) {
        close(run.at('y', t), y);
        expect(run.at('k', t)).toBe(k);
      }
    });
    test('that do not end are told', () => {
      const run = simulateText(text, 'Endless', { stop: 1 });
      expect(run.simulation.status).toBe('failed');
      expect(run.simulation.problem?.message).toMatch(/"while y > 1" took more than 200 turns/);
    });
  });
  test('single-valued functions take arrays element by element; inherited and renamed ones are found', () => {
    const text = `
partial function Base input Real x; output Real y; end Base;
function twice extends Base; algorithm y := 2*x; end twice;
function double = twice;
package P function inner1 input Real x; output Real y; algorithm y := x + k; end inner1; constant Real k = 10; end P;
model M Real a[3], b; equation a = double({1, 2, time}); b = P.inner1(time); end M;`;
    const run = simulateText(text, 'M', { stop: 1 });
    expect([run.last('a[1]'), run.last('a[2]'), run.last('a[3]')]).toEqual([2, 4, 2]);
    close(run.last('b'), 11);
  });
  test('what cannot be carried out is told', () => {
    expect(
      problemsOf(
        'function f input Real x; output Real y; algorithm y := x; while y > 0 loop y := y + 1; end while; end f; model M parameter Real p(fixed = false); Real a[2] = {time, time}; initial equation p = f(time); end M;',
        'M',
      ).join(),
    ).toMatch(/How often "while y > 0" runs depends on values that are not known yet/);
    expect(
      problemsOf(
        'function f input Real x; output Real y; algorithm y := x; break; end f; model M Real a = f(time); end M;',
        'M',
      ).join(),
    ).toMatch(/Only a loop can be left/);
    expect(
      problemsOf(
        'function f input Real x; output Real y; algorithm y := x; end f; model M Real a = f(1, 2); end M;',
        'M',
      ).join(),
    ).toMatch(/f takes 1 argument, but 2 are given/);
    expect(
      problemsOf(
        'function f input Real x; output Real y; algorithm y := x; end f; model M Real a = f(z = 2); end M;',
        'M',
      ).join(),
    ).toMatch(/f has no input z/);
    expect(
      problemsOf(
        'function f input Real x; output Real y; algorithm y := f(x); end f; model M Real a = f(time); end M;',
        'M',
      ).join(),
    ).toMatch(/calls itself without end/);
    expect(
      problemsOf(
        'function f input Real x; output Real y; external "C"; end f; model M Real a = f(time); end M;',
        'M',
      ).join(),
    ).toMatch(/external function/);
  });
});

describe('records', () => {
  const text = `
record Point Real x; Real y; end Point;
record Pair parameter Real a; parameter Real b = 2; end Pair;
function add input Point a; input Point b; output Point c; algorithm c.x := a.x + b.x; c.y := a.y + b.y; end add;
model M parameter Point p(x = 3); Point q, r, s; Point list[2] = {Point(1, 2), Point(x = 5, y = 0)}; parameter Pair pair = Pair(1); Real n;
equation q = Point(time, 2*time); r = add(p, q); s.x = r.x; s.y = -r.y; n = sum(list.x) + pair.b; end M;`;
  test('have constructors, fields, equality, arrays, and pass through functions', () => {
    const run = simulateText(text, 'M', { stop: 1 });
    expect([run.last('r.x'), run.last('r.y')]).toEqual([4, 2]);
    expect([run.last('s.x'), run.last('s.y')]).toEqual([4, -2]);
    expect(run.last('n')).toBe(8);
  });
  test('a binding of a whole record reaches its fields; unequal ones are told', () => {
    expect(
      last(
        'record R Real a; Real b[2]; end R; model M parameter R r = R(1, {2, 3}); Real x = r.a + r.b[2]; end M;',
        'M',
        'x',
      ),
    ).toBe(4);
    expect(
      problemsOf(
        'record A Real a; end A; record B Real b; end B; model M A a; B b; equation a = b; b.b = 1; end M;',
        'M',
      ).join(),
    ).toMatch(/do not have the same fields/);
  });
});

describe('algorithms of parts', () => {
  test('statements follow each other; the last value counts', () => {
    const run = simulateText(
      'model M Real x, y; Real z[3]; algorithm x := time; x := x + 1; y := 2*x; for i in 1:3 loop z[i] := y*i; end for; if y > 3 then y := 0; end if; end M;',
      'M',
      { stop: 1 },
    );
    expect([run.last('x'), run.last('y'), run.last('z[3]')]).toEqual([2, 0, 12]);
    close(run.at('y', 0.25), 2.5);
  });
  test('a when keeps values in between, counts, restarts and branches', () => {
    const text = `model M Real h(start = 1, fixed = true), v(start = 0, fixed = true); Integer n(start = 0); discrete Real top(start = 0); Boolean even(start = true);
equation der(h) = v; der(v) = -9.81;
algorithm when h < 0 then n := pre(n) + 1; even := mod(n, 2) == 0; if even then top := 2; else top := 1; end if; reinit(v, -0.8*pre(v)); end when; end M;`;
    const run = simulateText(text, 'M', { stop: 1.5 });
    // falls for sqrt(2h/g), then flies 2*0.8*v/g, and so on
    const v = Math.sqrt(2 * 9.81),
      first = v / 9.81;
    const hits = [first, first + (2 * 0.8 * v) / 9.81];
    expect(run.last('n')).toBe(hits.filter((t) => t < 1.5).length);
    expect(run.at('top', hits[0] + 0.05)).toBe(1);
    expect(run.last('top')).toBe(hits[1] < 1.5 ? 2 : 1);
  });
  test('sampled algorithms: a filter of the past values', () => {
    const text =
      'model M discrete Real x(start = 0), y(start = 0); algorithm when sample(0, 0.1) then y := 0.5*pre(y) + 0.5*time; x := y + pre(x); end when; end M;';
    const run = simulateText(text, 'M', { stop: 0.35 });
    let y = 0,
      x = 0;
    for (const t of [0, 0.1, 0.2, 0.30000000000000004]) {
      y = 0.5 * y + 0.5 * t;
      x += y;
    }
    close(run.last('y'), y);
    close(run.last('x'), x);
  });
  test('an index may move: reading and writing elements by number', () => {
    const text =
      'model M Integer k; Real table[3] = {10, 20, 30}, picked, marks[3]; equation k = integer(2.999*time) + 1; picked = table[k]; algorithm for i in 1:3 loop marks[i] := 0; end for; marks[k] := 1; end M;';
    const run = simulateText(text, 'M', { stop: 1 });
    expect([run.at('picked', 0.1), run.at('picked', 0.5), run.last('picked')]).toEqual([10, 20, 30]);
    expect([run.last('marks[1]'), run.last('marks[3]')]).toEqual([0, 1]);
  });
});

describe('tables', () => {
  test('run straight between their points, level outside, and can be differentiated', () => {
    const run = simulateText(
      'model M Real y, v, s(start = 0, fixed = true); equation y = interpolate({0, 0.2, 0.5}, {1, 3, 0}, time); v = der(y); der(s) = y; end M;',
      'M',
      { stop: 1, recordEvery: 0.05 },
    );
    close(run.at('y', 0.1), 2);
    close(run.at('y', 0.35), 1.5);
    expect(run.last('y')).toBe(0);
    expect(run.at('v', 0.1)).toBeCloseTo(10, 9);
    expect(run.at('v', 0.35)).toBeCloseTo(-10, 9);
    expect(run.last('s')).toBeCloseTo(0.2 * 2 + 0.3 * 1.5, 4);
  });
  test('points out of order and uneven lists are told', () => {
    expect(problemsOf('model M Real y = interpolate({0, 2, 1}, {1, 2, 3}, time); end M;', 'M').join()).toMatch(
      /1 follows 2/,
    );
    expect(problemsOf('model M Real y = interpolate({0, 2}, {1, 2, 3}, time); end M;', 'M').join()).toMatch(
      /2 places, but 3 values/,
    );
  });
});

test('a sampled value drives a derivative, and can be given another name', () => {
  const text =
    'model M discrete Real u(start = 1); Real x(start = 0, fixed = true), z, w; equation der(x) = u; z = u; w = 2*u + x; when sample(0.5, 0.5) then u = pre(u) + 1; end when; end M;';
  const run = simulateText(text, 'M', { stop: 1.25 });
  close(run.last('x'), 0.5 * 1 + 0.5 * 2 + 0.25 * 3);
  expect([run.at('z', 0.2), run.at('z', 0.7), run.last('z')]).toEqual([1, 2, 3]);
  close(run.last('w'), 6 + 2.25);
});

test('what happens at the start happens once, from the start values', () => {
  const text =
    'model M discrete Real x(start = 10); Real s(start = 0, fixed = true); Boolean late; equation late = time > 0.5; der(s) = x; when {initial(), late} then x = 0.5*pre(x); end when; end M;';
  const run = simulateText(text, 'M', { stop: 1 });
  expect([run.at('x', 0.2), run.last('x')]).toEqual([5, 2.5]);
  close(run.last('s'), 2.5 + 1.25);
});
