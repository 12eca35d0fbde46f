import { printExpression } from '../language/print';
import { parseExpressionText } from '../language/parse';
import { problemsOf, simulateText } from '../testing/simulate-text';

/** Functions given to functions (Modelica language 3.6, 12.4.2), and what of classes is refused with a word. */

const functions = `
partial function Curve input Real x; output Real y; end Curve;
function square extends Curve; algorithm y := x^2; end square;
function line input Real k = 1; input Real x; input Real c = 0; output Real y; algorithm y := k*x + c; end line;
function next input Curve f; input Real x; output Real y; algorithm y := f(x) + 1; end next;
function twice input Curve f; input Real x; output Real y; algorithm y := next(f, f(x)); end twice;
function integral input Curve f; input Real a; input Real b; input Integer n = 200; output Real s;
algorithm s := 0; for i in 1:n loop s := s + f(a + (i - 0.5)*(b - a)/n)*(b - a)/n; end for; end integral;
function root "by Newton's method" input Curve f; input Real start; output Real x; protected Real slope;
algorithm x := start; for i in 1:8 loop slope := (f(x + 1e-6) - f(x - 1e-6))/2e-6; x := x - f(x)/slope; end for; end root;
package Tools function cube extends Curve; algorithm y := x^3; end cube; end Tools;
`;
const valueOf = (call: string): number =>
  simulateText(`${functions} model M Real y; equation y = ${call}; end M;`, 'M', { stop: 1 }).last('y');

test.each([
  ['next(square, 3*time)', 10],
  ['next(function square(), 3*time)', 10],
  ['next(f = square, x = time)', 2],
  ['next(Tools.cube, 2*time)', 9],
  // what is given stands no longer among the inputs that follow in order
  ['next(function line(k = 2), 3*time)', 7],
  ['next(function line(k = 2*time, c = 5), 3)', 12],
  ['next(f = function line(c = 5, k = 1), x = 3*time)', 9],
  // x is the second input of line, and the first that is open
  ['integral(function line(k = 2*time), 0, 2)', 4],
  ['integral(square, 0, 3*time)', 9],
  // handed on
  ['twice(square, 2*time)', 17],
  ['root(function line(k = 2, c = -3), 10*time)', 1.5],
])('%s is %d', (call, value) => expect(valueOf(call)).toBeCloseTo(value, 3));

test.each([
  ['next(none, 1)', /none is not a quantity or part of M/],
  ['next(function none(), 1)', /There is no function none/],
  ['next(function line(z = 2), 1)', /has no input z/],
  ['next(function line(c = 5), 1)', /needs a value for its input x/],
  ['next(2, 1)', /The input f of next is a function, but a value is given/],
  ['next(square, square)', /The input x of next is a value, but the function square is given/],
  ['square + 1', /square is not a quantity or part of M/],
  ['next(function line(2), 1)', /function f\(k = 2\)/],
  ['twice(next, 2)', /is a function, but a value is given|needs a value for its input/],
])('%s is told', (call, why) =>
  expect(problemsOf(`${functions} model M Real y; equation y = ${call}; end M;`, 'M').join('; ')).toMatch(why),
);

test('they are written as they are read', () => {
  const text = 'next(function line(k = 2), x, f = function square())';
  expect(printExpression(parseExpressionText(text).value)).toBe(text);
});

describe('what is not computed is refused at its place', () => {
  test('streams of connectors', () => {
    const text = `connector Port Real p; flow Real m; stream Real h; end Port;
model Source Port port; equation port.p = 1; port.h = 3; end Source;
model M Source s; end M;`;
    expect(problemsOf(text, 'M')[0]).toMatch(/^h is a stream: what streams carry/);
  });
  test('operators of records', () => {
    const text = `operator record Pair Real a; Real b;
operator function '+' input Pair x; input Pair y; output Pair z; algorithm z := Pair(x.a + y.a, x.b + y.b); end '+'; end Pair;
model M Pair p; end M;`;
    expect(problemsOf(text, 'M')[0]).toMatch(/^Pair brings operators of its own/);
  });
});
