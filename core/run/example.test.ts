import { exampleOf } from './example';

test.each([
  "always(x <= 330 'rpm')",
  'always(not a)',
  "always(implies(in(c.On), x < 10 'A'))",
  "always(x >= 0.55 'N.m' and x <= 0.65 'N.m')",
  "always(implies(rising(a), within(200 'ms', x < 5 'rpm')))",
  "always(implies(rising(a), throughout(0.3 's', b)))",
  "always(implies(after(5 's', a), abs(T - 60 'degC') <= 1.2 'K'))",
  "always(implies(rising(x >= 0.1*250 'rpm'), within(0.3 's', x >= 0.9*250 'rpm')))",
  "always(count(1 'min', a) <= 2)",
  "atEnd(average(x) <= 3 'A')",
  'always(implies(rising(a), until(b, c)))',
  "eventually(x >= 200 'rpm')",
])('%s has signals that hold and signals that fail', (formula) => {
  const example = exampleOf(formula);
  const drawn = example!.signals.filter((s) => s.holds && (s.fails || formula.includes('count')));
  expect(drawn.length).toBe(example!.signals.length);
  for (const s of example!.signals)
    for (const shape of [s.holds, s.fails]) if (shape) expect(shape.at(-1)![0]).toBeCloseTo(example!.end, 12);
});

test('a response is shown by the same course sooner and later', () => {
  const [a, x] = exampleOf("always(implies(rising(a), within(200 'ms', x < 5 'rpm')))")!.signals;
  expect(a.holds).toEqual(a.fails);
  const [high, low] = [x.holds![0][1], x.holds!.at(-1)![1]];
  expect(high).toBeGreaterThan(low);
  expect([x.fails![0][1], x.fails!.at(-1)![1]]).toEqual([high, low]);
  expect(x.fails![1][0]).toBeGreaterThan(x.holds![1][0]);
});

test('the limit is among the levels, in SI units', () => {
  expect(exampleOf("always(x <= 60 'rpm')")!.signals[0]).toMatchObject({
    name: 'x',
    isBoolean: false,
    levels: [2 * Math.PI],
  });
});

test('there is none for what cannot be read or has too many names', () => {
  expect(exampleOf('always(x <')).toBeUndefined();
  expect(exampleOf('always(a or b or c or d or e)')).toBeUndefined();
});
