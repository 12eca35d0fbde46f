import fc from 'fast-check';
import { checkUnits } from './unit-check';
import { parseExpressionText } from './parse';
import { parseUnit, sameDimension, type Unit } from './units';

/** Variables in coherent units, with the exponents of m, kg, s, A, K their units have. */
const variables: Record<string, { readonly unit: string; readonly powers: readonly number[] }> = {
  len: { unit: 'm', powers: [1, 0, 0, 0, 0] },
  speed: { unit: 'm/s', powers: [1, 0, -1, 0, 0] },
  mass: { unit: 'kg', powers: [0, 1, 0, 0, 0] },
  force: { unit: 'N', powers: [1, 1, -2, 0, 0] },
  energy: { unit: 'J', powers: [2, 1, -2, 0, 0] },
  current: { unit: 'A', powers: [0, 0, 0, 1, 0] },
  volt: { unit: 'V', powers: [2, 1, -3, -1, 0] },
  ratio: { unit: '1', powers: [0, 0, 0, 0, 0] },
  kelvin: { unit: 'K', powers: [0, 0, 0, 0, 1] },
};
const others: Record<string, string> = {
  celsius: 'degC',
  room: 'degC',
  fahrenheit: 'degF',
  turns: 'rpm',
  omega: 'rad/s',
};
const context = {
  unitOf: (ref: { parts: readonly { name: string }[] }) =>
    variables[ref.parts[0].name]?.unit ?? others[ref.parts[0].name],
};
const look = (text: string) => {
  const problems: string[] = [];
  const { value, problems: unread } = parseExpressionText(text);
  expect([text, unread]).toEqual([text, []]);
  const found = checkUnits(value, context, (p) => problems.push(p.message));
  return { found, problems };
};
const unit = (text: string): Unit => parseUnit(text) as Unit;

interface Term {
  readonly text: string;
  readonly powers: readonly number[];
}
const sum = (a: readonly number[], b: readonly number[], sign = 1): readonly number[] =>
  a.map((x, k) => x + sign * b[k]);
const scaled = (a: readonly number[], n: number): readonly number[] => a.map((x) => x * n);
const same = (a: Term, b: Term): boolean => a.powers.every((x, k) => x === b.powers[k]);

const leaf = fc.constantFrom(...Object.keys(variables)).map((text): Term => ({ text, powers: variables[text].powers }));
/** Formulas whose units fit, with the powers they come to. */
const { term } = fc.letrec<{ term: Term }>((tie) => ({
  term: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    leaf,
    fc
      .tuple(tie('term'), tie('term'))
      .map(([a, b]) => ({ text: `(${a.text})*(${b.text})`, powers: sum(a.powers, b.powers) })),
    fc
      .tuple(tie('term'), tie('term'))
      .map(([a, b]) => ({ text: `(${a.text})/(${b.text})`, powers: sum(a.powers, b.powers, -1) })),
    fc
      .tuple(tie('term'), fc.integer({ min: 1, max: 3 }))
      .map(([a, n]) => ({ text: `(${a.text})^${n}`, powers: scaled(a.powers, n) })),
    tie('term').map((a) => ({ text: `sqrt((${a.text})^2)`, powers: a.powers })),
    tie('term').map((a) => ({ text: `abs(${a.text})`, powers: a.powers })),
    tie('term').map((a) => ({ text: `-(${a.text})`, powers: a.powers })),
    tie('term').map((a) => ({ text: `((${a.text}) + (${a.text}))`, powers: a.powers })),
    tie('term').map((a) => ({ text: `max(${a.text}, 0)`, powers: a.powers })),
    tie('term').map((a) => ({ text: `(if len > speed*time then ${a.text} else -(${a.text}))`, powers: a.powers })),
    tie('term').map((a) => ({ text: `der(${a.text})*time`, powers: a.powers })),
  ),
}));
const dimensionOf = ({ powers: [m, kg, s, A, K] }: Term): readonly number[] => {
  const base = ['m', 'kg', 's', 'A', 'K'].map((u) => unit(u).dimension);
  return base[0].map((_, k) => m * base[0][k] + kg * base[1][k] + s * base[2][k] + A * base[3][k] + K * base[4][k]);
};

test('the unit of any formula that fits is the product of the powers in it, and nothing is told', () => {
  fc.assert(
    fc.property(term, (t) => {
      const { found, problems } = look(t.text);
      expect([t.text, problems]).toEqual([t.text, []]);
      found!.unit.dimension.forEach((x, k) => expect(x).toBeCloseTo(dimensionOf(t)[k], 9));
      expect([found!.unit.scale, found!.unit.offset]).toEqual([1, 0]);
    }),
    { numRuns: 300 },
  );
});

test('two formulas are added, compared, chosen between or met in a function only where their units are the same', () => {
  const ways = [
    '({a}) + ({b})',
    '({a}) - ({b})',
    '({a}) <= ({b})',
    'max({a}, {b})',
    'atan2({a}, {b})',
    'if time > len/speed then {a} else {b}',
  ];
  fc.assert(
    fc.property(term, term, fc.constantFrom(...ways), (a, b, way) => {
      const text = way.replace('{a}', a.text).replace('{b}', b.text);
      expect([text, look(text).problems.length === 0]).toEqual([text, same(a, b)]);
    }),
    { numRuns: 300 },
  );
});

test('functions of plain numbers take what comes to one, whatever it is made of', () => {
  fc.assert(
    fc.property(term, fc.constantFrom('sin', 'exp', 'log', 'tanh', 'asin'), (a, f) => {
      expect(look(`${f}((${a.text})/(${a.text}))`).problems).toEqual([]);
      const isPlain = a.powers.every((x) => x === 0);
      expect([a.text, look(`${f}(${a.text})`).problems.length === 0]).toEqual([a.text, isPlain]);
    }),
  );
});

describe('temperatures', () => {
  test('a difference is one in K, a point with a number added is open, and no point is a factor', () => {
    const difference = look('celsius - room');
    expect(difference.problems).toEqual([]);
    expect([difference.found!.unit.offset, difference.found!.free]).toEqual([0, false]);
    expect(sameDimension(difference.found!.unit, unit('K'))).toBe(true);
    expect(look('celsius + 5').found).toMatchObject({ free: true, unit: { offset: 0 } });
    expect(look('celsius + 5').problems).toEqual([]);
    expect(look('len + 5').found).toMatchObject({ free: false });
    expect(look("(celsius - 20 'degC')*mass").problems).toEqual([]);
    for (const text of ["20 'degC'*mass", "mass/(20 'degC')", "(20 'degC')^2"])
      expect([text, look(text).problems[0]]).toEqual([text, expect.stringMatching(/zero of its own/)]);
  });
  test('scales are not mixed by hand', () => {
    expect(look('celsius > kelvin').problems).toHaveLength(1);
    expect(look('celsius > fahrenheit').problems).toHaveLength(1);
    expect(look("celsius > 300 'K'").problems).toEqual([]);
    expect(look('turns > omega').problems[0]).toMatch(/same kind, different scale/);
    expect(look("turns > 3 'rad/s'").problems).toEqual([]);
  });
});

test('what is told stands where it is', () => {
  const text = 'speed*time + (energy - (force + mass)*len)';
  const places: string[] = [];
  checkUnits(parseExpressionText(text).value, context, (p) => places.push(text.slice(p.span!.start, p.span!.end)));
  // the innermost first; what is around it is not blamed for it
  expect(places[0]).toBe('force + mass');
});
