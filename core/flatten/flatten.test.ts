import { parseFile } from '../language/parse';
import { problemsOf, simulateText } from '../testing/simulate-text';
import { flatten } from './flatten';
import { libraryOfFile } from './library';

const names = (text: string, name: string): string[] => {
  const { value } = parseFile(text);
  return flatten(libraryOfFile(value, 'text'), name)
    .model.variables.filter((v) => !v.hidden)
    .map((v) => v.name);
};

test('parts, arrays of parts and inherited quantities have full names', () => {
  const text = `
model Base parameter Real m = 1; Real x(start = 1); end Base;
model Mass extends Base(m = 2); Real v; equation der(x) = v; m*der(v) = -x; end Mass;
model Pair Mass c[2](each m = 3, x(start = {5, 6})); Real total; equation total = sum(c.x); end Pair;`;
  expect(names(text, 'Pair')).toEqual(['c[1].m', 'c[1].x', 'c[1].v', 'c[2].m', 'c[2].x', 'c[2].v', 'total']);
  const run = simulateText(text, 'Pair', { stop: 1 });
  // x = x0 cos(t / sqrt(3))
  expect(run.last('c[1].x')).toBeCloseTo(5 * Math.cos(1 / Math.sqrt(3)), 7);
  expect(run.last('total')).toBeCloseTo(11 * Math.cos(1 / Math.sqrt(3)), 6);
});

test('connectors: potentials are equal, flows add up to zero', () => {
  const text = `
connector Pin Real v; flow Real i; end Pin;
partial model TwoPin Pin p, n; Real v, i; equation v = p.v - n.v; 0 = p.i + n.i; i = p.i; end TwoPin;
model Resistor extends TwoPin; parameter Real R = 1; equation v = R*i; end Resistor;
model Capacitor extends TwoPin; parameter Real C = 1; equation C*der(v) = i; end Capacitor;
model Source extends TwoPin; parameter Real V = 1; equation v = V; end Source;
model Ground Pin p; equation p.v = 0; end Ground;
model Charge Source s(V = 10); Resistor r(R = 2); Capacitor c(C = 0.5); Ground g;
equation connect(s.p, r.p); connect(r.n, c.p); connect(c.n, s.n); connect(s.n, g.p); end Charge;`;
  const run = simulateText(text, 'Charge', { stop: 2 });
  for (const t of [0.5, 1, 2]) expect(run.at('c.v', t)).toBeCloseTo(10 * (1 - Math.exp(-t)), 6);
  expect(run.last('g.p.i')).toBeCloseTo(0, 12);
});

test('vectors, matrices, ranges and comprehensions', () => {
  const text = `model Vectors parameter Integer n = 3; parameter Real A[2, 2] = {{1, 2}, {3, 4}}; Real b[2], q[n] = {i^2 for i in 1:n}, s;
equation b = A*{1, 1} + linspace(0, 1, 2); s = q*q + max(q) + size(A, 1); end Vectors;`;
  const run = simulateText(text, 'Vectors');
  expect([run.last('b[1]'), run.last('b[2]'), run.last('q[3]'), run.last('s')]).toEqual([3, 8, 9, 98 + 9 + 2]);
});

test('each gives all parts the same value, arrays too; values without it are told apart by part, also two levels down', () => {
  const text = `model T parameter Real r[2] = {1, 0}; Real y = r[1] + 10*r[2]; end T; model U T t[2]; end U;
model Same T t[3](each r = {2, 3}); end Same; model Own T t[2](r = {{1, 2}, {3, 4}}); end Own; model Deep U u[2](t(each r = {{1, 2}, {3, 4}})); end Deep;`;
  const end = (name: string) => simulateText(text, name, { stop: 1 });
  const same = end('Same'),
    own = end('Own'),
    deep = end('Deep');
  expect(['t[1].y', 't[2].y', 't[3].y'].map((x) => same.last(x))).toEqual([32, 32, 32]);
  expect(['t[1].y', 't[2].y'].map((x) => own.last(x))).toEqual([21, 43]);
  expect(['u[1].t[1].y', 'u[1].t[2].y', 'u[2].t[1].y', 'u[2].t[2].y'].map((x) => deep.last(x))).toEqual([
    21, 21, 43, 43,
  ]);
});
test('an outer name finds the nearest inner one, declared before or after; whether a start is fixed may follow from a parameter', () => {
  const text = `model S outer parameter Real g; Real y = g; end S; model Near S s; inner parameter Real g = 2; end Near; model Top inner parameter Real g = 9; S s; Near near; end Top;
model F parameter Boolean known = false; Real x(start = 3, fixed = known); initial equation if not known then x = 5; end if; equation der(x) = 0; end F;`;
  const top = simulateText(text, 'Top', { stop: 1 });
  expect([top.last('s.y'), top.last('near.s.y')]).toEqual([9, 2]);
  expect(simulateText(text, 'F', { stop: 1 }).last('x')).toBe(5);
  expect(simulateText(`${text} model G extends F(known = true); end G;`, 'G', { stop: 1 }).last('x')).toBe(3);
});
test('changed values reach nested parts, parameters may depend on each other', () => {
  const text = `model In parameter Real a = 1; parameter Real b = 2*a; Real y = a + b; end In;
model Mid parameter Real k = 5; In x(a = k); end Mid; model Top Mid m(k = 7, x(b = 1)); end Top;`;
  const run = simulateText(text, 'Top');
  expect(run.last('m.x.y')).toBe(8);
});

test('types with units, enumerations, constants of packages, conditional parts', () => {
  const text = `package P constant Real g = 9.81; type Speed = Real(unit = "m/s"); type Way = enumeration(up, down); end P;
model M import Modelica.Constants.pi; P.Speed v = 2*P.g; parameter P.Way w = P.Way.down; Real y = if w == P.Way.down then pi else 0; parameter Boolean more = false; Real z if more; end M;`;
  const run = simulateText(text, 'M');
  expect(run.last('v')).toBeCloseTo(19.62, 12);
  expect(run.last('y')).toBe(Math.PI);
  expect(run.recording.columns.find((c) => c.name === 'v')?.unit).toBe('m/s');
  expect(names(text, 'M')).not.toContain('z');
});

describe('problems', () => {
  test('misspelt names, types and units come with the nearest right one', () => {
    expect(problemsOf('model A Real speed; equation sped = 1; end A;', 'A')[0]).toMatch(
      /sped is not a quantity or part of A; did you mean speed\?/,
    );
    expect(problemsOf('model A Rael x; equation x = 1; end A;', 'A')[0]).toMatch(/no type Rael; did you mean Real\?/);
    expect(problemsOf('model A Real x(unit = "Nm"); equation x = 1; end A;', 'A')[0]).toMatch(
      /"Nm" is not a known unit/,
    );
    expect(problemsOf('model A Real x; equation x = sinn(1); end A;', 'A')[0]).toMatch(
      /no function sinn; did you mean sin\?/,
    );
  });
  test('shapes, subscripts, circular values and endless parts', () => {
    expect(problemsOf('model A Real x[2]; equation x = {1, 2, 3}; end A;', 'A')[0]).toMatch(
      /size \[2\] and size \[3\]/,
    );
    expect(problemsOf('model A Real x[2]; equation x[3] = 1; end A;', 'A')[0]).toMatch(/index 3 is outside 1 to 2/);
    expect(problemsOf('model A parameter Real a = b; parameter Real b = a; end A;', 'A').join()).toMatch(
      /depend on each other/,
    );
    expect(problemsOf('model A A a; end A;', 'A')[0]).toMatch(/contains itself/);
    expect(problemsOf('model B Real x; equation x = 1; end B; model A B b(y = 2); end A;', 'A').join()).toMatch(
      /B has no y to change/,
    );
  });
  test('units are checked once per text, at the place', () => {
    const found = problemsOf(
      'model B Real v(unit = "V"), i(unit = "A"); equation v = 2; i = v; end B; model A B b1, b2; end A;',
      'A',
    );
    expect(found).toEqual(['This equates i in A and v in V']);
  });
  test('values outside their limits', () => {
    expect(problemsOf('model A parameter Real p(min = 0, max = 1) = 2; Real x = p; end A;', 'A')).toEqual([
      'p is 2, outside its limits 0 .. 1',
    ]);
    expect(problemsOf('model A parameter Real p(min = 3, max = 1) = 2; Real x = p; end A;', 'A')[0]).toMatch(
      /leave nothing/,
    );
    expect(problemsOf('model A parameter Real p(min = 0, max = 1) = 1; Real x = p; end A;', 'A')).toEqual([]);
  });
  test('two outputs linked to one input', () => {
    const text = `model S output Real y = 1; end S; model T input Real u; end T; model A S s1, s2; T t; equation connect(s1.y, t.u); connect(s2.y, t.u); end A;`;
    expect(problemsOf(text, 'A')[0]).toMatch(/s1\.y and s2\.y both write the same signal/);
  });
});

describe('classes in place of replaceable ones', () => {
  const text = `partial model Any parameter Real k = 1; Real y; end Any; model One extends Any; equation y = k; end One; model Two extends Any; equation y = 2*k; end Two;
model Holder replaceable model Part = One constrainedby Any; Part p; Part q[2](each k = 5); end Holder; model Wider extends Holder; Part r(k = 10); end Wider;
function plus input Real x; output Real y; algorithm y := x + 1; end plus; function minus input Real x; output Real y; algorithm y := x - 1; end minus;
model Calls replaceable function f = plus; Real y = f(10); end Calls;`;
  const values = (model: string, names: readonly string[]): number[] => {
    const run = simulateText(`${text} ${model}`, 'M', { stop: 1 });
    return names.map((n) => run.last(n));
  };
  test.each([
    ['model M extends Holder; end M;', [1, 5]],
    ['model M extends Holder(redeclare model Part = Two(k = 4)); end M;', [8, 10]],
    ['model M extends Holder; redeclare model Part = Two(k = 7); end M;', [14, 10]],
  ])('in bases: %s', (model, wanted) => expect(values(model, ['p.y', 'q[2].y'])).toEqual(wanted));
  test('in parts, two bases up, with values of where they are given, and functions', () => {
    expect(values('model M Holder a(redeclare model Part = Two), b; end M;', ['a.p.y', 'a.q[1].y', 'b.p.y'])).toEqual([
      2, 10, 1,
    ]);
    expect(values('model M extends Wider(redeclare model Part = Two(k = 3)); end M;', ['p.y', 'r.y'])).toEqual([6, 20]);
    expect(
      values('model M parameter Real c = 6; Holder a(redeclare model Part = Two(k = c)); end M;', ['a.p.y']),
    ).toEqual([12]);
    expect(values('model M Calls a, b(redeclare function f = minus); end M;', ['a.y', 'b.y'])).toEqual([11, 9]);
  });
});
test('matrices are put together from values, vectors and matrices', () => {
  const run = simulateText(
    'model M Real x[2] = {time, 2*time}; Real A[2, 2] = [x, {3, 4}]; Real B[2, 3] = [A, x]; Real C[3, 2] = [A; 7, 8]; Real D[1, 2] = [transpose([x])]; end M;',
    'M',
    { stop: 1 },
  );
  const row = (name: string, n: number, m: number): number[][] =>
    Array.from({ length: n }, (_, i) => Array.from({ length: m }, (_, j) => run.last(`${name}[${i + 1},${j + 1}]`)));
  expect(row('A', 2, 2)).toEqual([
    [1, 3],
    [2, 4],
  ]);
  expect(row('B', 2, 3)).toEqual([
    [1, 3, 1],
    [2, 4, 2],
  ]);
  expect(row('C', 3, 2)).toEqual([
    [1, 3],
    [2, 4],
    [7, 8],
  ]);
  expect(row('D', 1, 2)).toEqual([[1, 2]]);
  expect(problemsOf('model M Real A[2, 2] = [{1, 2}, {1, 2, 3}]; end M;', 'M').join()).toMatch(/same number of rows/);
});
test('what holds from the start does not rise there: only initial() starts a when', () => {
  const run = simulateText(
    `model M Boolean b = time < 0.5; Integer i = if b then 2 else 1; Real e(start = 0, fixed = true), f(start = 0, fixed = true), g(start = 0, fixed = true), h(start = 0, fixed = true);
equation when b then e = pre(e) + 1; end when; when change(i) then f = pre(f) + 1; end when; when {initial(), not b} then g = pre(g) + 1; end when; algorithm when b then h := pre(h) + 1; end when; end M;`,
    'M',
    { stop: 1 },
  );
  expect(['e', 'f', 'g', 'h'].map((n) => run.last(n))).toEqual([0, 1, 2, 0]);
});
