import { problemsOf, simulateText } from '../testing/simulate-text';

/** Forms of the language that are seldom written, and mean what they say. */

const values = (text: string, names: readonly string[], at = 1): number[] => {
  const run = simulateText(text, 'M', { stop: 1 });
  if (run.simulation.problem) throw new Error(run.simulation.problem.message);
  return names.map((n) => run.at(n, at));
};

test('a whole number may be all that a Real is', () => {
  const text = `model M Integer n = 3; Real x = n; Integer k(start = 0); Real y; Real z;
    equation k = if time > 0.5 then 2 else 1; y = k; k = -z; end M;`;
  expect(values(text, ['x', 'y', 'z'])).toEqual([3, 2, -2]);
  expect(values(text, ['y', 'z'], 0.25)).toEqual([1, -1]);
});
test('a whole number still follows from a step, and from no number that moves', () => {
  expect(values('model M Integer n; Real x; equation x = 3*time; n = floor(x + 0.1); end M;', ['n'])).toEqual([3]);
  expect(problemsOf('model M Integer n; Real x; equation x = 3*time; n = x; end M;', 'M')).not.toEqual([]);
});
test('a protected input is given by its own class', () => {
  const text =
    'model P protected input Real u; Real z; equation u = 2*time; z = u; end P; model M P p; Real y = p.z; end M;';
  expect(values(text, ['y'])).toEqual([2]);
});
test('results that nobody wants are left out', () => {
  const three =
    'function f input Real x; output Real a; output Real b; output Real c; algorithm a := x; b := 2*x; c := 3*x; end f;';
  const two =
    'function g input Real x; output Real y; protected Real p; Real q; algorithm (p, , q) := f(x); y := p + q; end g;';
  expect(values(`${three} model M Real a; Real c; equation (a, , c) = f(time); end M;`, ['a', 'c'])).toEqual([1, 3]);
  expect(values(`${three} model M Real c; equation (, , c) = f(time); end M;`, ['c'])).toEqual([3]);
  expect(values(`${three} model M Real a; Real c; algorithm (a, , c) := f(time); end M;`, ['a', 'c'])).toEqual([1, 3]);
  expect(values(`${three} ${two} model M Real z = g(time); end M;`, ['z'])).toEqual([4]);
});
test('a value of an enumeration by its number', () => {
  const text = (n: string): string =>
    `type E = enumeration(p, q, r); model M E e = E(${n}); Boolean b = e == E.q; end M;`;
  expect(values(text('2'), ['b'])).toEqual([1]);
  expect(problemsOf(text('4'), 'M')).toContain('E has 3 values, and none with the number 4');
  expect(problemsOf(text('0'), 'M')).toContain('E has 3 values, and none with the number 0');
});
test('symmetric takes what is on and above the diagonal', () => {
  expect(
    values('model M Real A[2, 2] = symmetric([1, 2; 3, 4]); end M;', ['A[1,1]', 'A[1,2]', 'A[2,1]', 'A[2,2]']),
  ).toEqual([1, 2, 2, 4]);
  expect(problemsOf('model M Real A[2, 3] = symmetric([1, 2, 3; 3, 4, 5]); end M;', 'M').join()).toMatch(
    /as many columns as rows, not 2 by 3/,
  );
});
test('the size of parts is how many there are', () => {
  const text = 'model P Real y = 1; end P; model M P p[3]; parameter Integer n = size(p, 1); Real x = n; end M;';
  expect(values(text, ['x'])).toEqual([3]);
  expect(problemsOf('model M Real x = size(q, 1); end M;', 'M')).toHaveLength(1);
});

describe('what is inherited can be left out', () => {
  const text = (own: string): string => `
    connector C Real v; flow Real i; end C;
    model R C p; C n; parameter Real R = 1; equation p.v - n.v = R*p.i; p.i + n.i = 0; end R;
    model Source C p; equation p.v = 6; end Source; model Ground C p; equation p.v = 0; end Ground;
    model Base R a(R = 1); R b(R = 2); Source s; Ground g;
      equation connect(s.p, a.p); connect(a.n, b.p); connect(b.n, g.p); end Base;
    model M ${own} end M;`;
  test('with all that connects it, so that something else can stand there', () => {
    const whole = simulateText(text('extends Base;'), 'M');
    expect(whole.last('a.p.i')).toBeCloseTo(2, 9);
    const other = simulateText(
      text('extends Base(break b); R c(R = 5); equation connect(a.n, c.p); connect(c.n, g.p);'),
      'M',
    );
    expect(other.last('a.p.i')).toBeCloseTo(1, 9);
    const same = simulateText(
      text('extends Base(break b, a(R = 4)); R b(R = 8); equation connect(a.n, b.p); connect(b.n, g.p);'),
      'M',
    );
    expect(same.last('a.p.i')).toBeCloseTo(0.5, 9);
  });
  test('what is not there, or is used elsewhere, is told', () => {
    expect(problemsOf(text('extends Base(break q);'), 'M')).toContain(
      'There is no q to leave out of what is inherited',
    );
    expect(
      problemsOf('model B Real z; Real w; equation z = 1; w = 2*z; end B; model M extends B(break z); end M;', 'M'),
    ).toContain('z is not a quantity or part of M; did you mean w?');
    expect(
      problemsOf('model B Real z; Real w; equation w = 2; end B; model M extends B(break z); Real z = 3; end M;', 'M'),
    ).toEqual([]);
  });
});
