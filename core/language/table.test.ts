import { problemsOf, simulateText } from '../testing/simulate-text';
import { table } from './table';

/** Names that every object knows of are names like any other. */

const names = ['toString', 'constructor', 'valueOf', 'hasOwnProperty', '__proto__', 'isPrototypeOf'];

test('a table knows its own entries, and no others', () => {
  const t: Readonly<Record<string, number>> = table({ a: 1, constructor: 2 });
  expect([t.a, t.constructor, Object.keys(t)]).toEqual([1, 2, ['a', 'constructor']]);
  for (const name of names.filter((n) => n !== 'constructor'))
    expect([name, t[name], name in t]).toEqual([name, undefined, false]);
});

test.each(names)('%s is a quantity where it is declared, and nothing where it is not', (name) => {
  const declared = `function f input Real ${name}; output Real y; algorithm y := 2*${name}; end f;
    model P Real ${name} = 3; end P; model M Real ${name} = 4; P p; Real x = ${name} + 10*p.${name} + 100*f(${name} = 1); end M;`;
  expect(simulateText(declared, 'M').last('x')).toBeCloseTo(234, 9);
  expect(problemsOf(`model M Real x = ${name}; end M;`, 'M')).toEqual([
    expect.stringContaining(`${name} is not a quantity`),
  ]);
  expect(problemsOf(`model M Real x = ${name}(1); end M;`, 'M')).toEqual([
    expect.stringContaining(`There is no function ${name}`),
  ]);
  expect(problemsOf(`model M Real x(unit = "${name}") = 1; end M;`, 'M')).toEqual([
    expect.stringMatching(/not a known unit|not part of a unit/),
  ]);
  expect(problemsOf(`model M ${name} x; end M;`, 'M')).toEqual([expect.stringContaining(`There is no type ${name}`)]);
});
