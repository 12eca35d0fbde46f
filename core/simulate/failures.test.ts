import { simulateText } from '../testing/simulate-text';

/** What is said of a value that is none: the reason, the equation, its part, the values in it and the time. */

const problemOf = (text: string, name = 'M', stop = 2): string => {
  const { simulation } = simulateText(text, name, { stop });
  expect(simulation.status).toBe('failed');
  expect(simulation.problem!.code).toBe('not-finite');
  return simulation.problem!.message;
};
const model = (formula: string): string =>
  `model M Real x(start = 1, fixed = true), y; equation der(x) = -1; y = ${formula}; end M;`;

test.each([
  ['log(x)', /^Logarithm of zero or of a negative number in "y = log\(x\);"/],
  ['log10(x)', /^Logarithm of zero or of a negative number/],
  ['sqrt(x)', /^Square root of a negative number/],
  ['2 + 3*sqrt(x - 0.5)', /^Square root of a negative number/],
  ['log(x*x - x - 1)', /^Logarithm of zero or of a negative number/],
  ['log(-x)', /^Logarithm of zero or of a negative number.*\(x = 1\), at t = 0 s$/],
  ['sqrt(-(x^2)/4)', /^Square root of a negative number/],
  ['1/(x - x)', /^Division by zero/],
  ['x/(2*x - x - x)', /^Division by zero/],
  // another reason than those that can be named: none is made up, though there is a logarithm of something sound beside it
  ['log(5 + x) + asin(3 - x)', /^No finite value in/],
  ['sqrt(5 + x)*acos(3 - x)', /^No finite value in/],
])('%s', (formula, message) => expect(problemOf(model(formula))).toMatch(message));

test('the part, the names and the time are those of the value that is none', () => {
  const message = problemOf(`model Cell Real u, y; equation y = sqrt(u); end Cell;
model M Real x(start = 1, fixed = true); Cell a; Cell b; equation der(x) = -1; a.u = x + 4; b.u = x; end M;`);
  const told =
    /^Square root of a negative number: x in "y = sqrt\(u\);" in b \(x = (-[\d.]+)\), at t = ([\d.]+) s$/.exec(
      message,
    )!;
  const [x, at] = [Number(told[1]), Number(told[2])];
  expect(x).toBeCloseTo(1 - at, 4);
  // it is met a little after the value has become negative
  expect(at).toBeGreaterThanOrEqual(1);
  expect(at).toBeLessThan(1.2);
});

test('a derivative that is none is named as one', () => {
  expect(problemOf('model M Real x(start = 0, fixed = true); equation der(x) = 1/x; end M;')).toMatch(
    /^Division by zero in .*: der\(x\) would be infinite \(x = 0\), at t = 0 s$/,
  );
});

test('values are given with their names, at most eight of them', () => {
  const names = Array.from({ length: 12 }, (_, k) => `a${k}`);
  const message = problemOf(
    `model M ${names.map((n, k) => `Real ${n} = ${k} + time;`).join(' ')} Real y; equation y = sqrt(-1 - (${names.join(' + ')})); end M;`,
  );
  const told = /\((a0 = .*)\), at t/.exec(message)![1].split(', ');
  expect(told).toHaveLength(8);
  told.forEach((x, k) => expect(x).toBe(`a${k} = ${k}`));
});
