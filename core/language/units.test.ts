import fc from 'fast-check';
import { parseExpressionText } from './parse';
import type { Problem } from './diagnostics';
import { checkUnits, relaxUnits } from './unit-check';
import { elaborateUnits } from './unit-elaboration';
import {
  commonUnits,
  convertValue,
  describeUnit,
  divideUnits,
  multiplyUnits,
  parseUnit,
  powerUnit,
  sameDimension,
  sameUnit,
  unitOrUndefined,
  type Unit,
} from './units';

const unit = (text: string): Unit => {
  const u = parseUnit(text);
  if (typeof u !== 'object') throw new Error(`${text}: ${u}`);
  return u;
};
const convert = (value: number, from: string, to: string): number => convertValue(value, unit(from), unit(to));

test('conversions agree with the SI brochure and ISO 80000', () => {
  expect(convert(330, 'rpm', 'rad/s')).toBeCloseTo(34.5575191894877, 12);
  expect(convert(90, 'degC', 'K')).toBeCloseTo(363.15, 12);
  expect(convert(212, 'degF', 'degC')).toBeCloseTo(100, 9);
  expect(convert(1, 'bar', 'Pa')).toBe(1e5);
  expect(convert(6, 'L/min', 'm3/s')).toBeCloseTo(1e-4, 15);
  expect(convert(1, 'N.m', 'kg.m2/s2')).toBe(1);
  expect(convert(45, '%', '1')).toBeCloseTo(0.45, 12);
  expect(convert(1, 'kW.h', 'J')).toBeCloseTo(3.6e6, 6);
  expect(convert(1, 'V.s/rad', 'N.m/A')).toBe(1);
  expect(convert(72, 'km/h', 'm/s')).toBeCloseTo(20, 12);
});

test('a quotient takes one factor, as in ISO 80000: J/(kg.K) is not J/kg.K', () => {
  expect(sameUnit(unit('J/(kg.K)'), unit('m2/(s2.K)'))).toBe(true);
  expect(sameDimension(unit('J/kg.K'), unit('J/(kg.K)'))).toBe(false);
  expect(sameUnit(unit('s-1'), unit('Hz'))).toBe(true);
  expect(sameUnit(unit('m/s2'), unit('m.s-2'))).toBe(true);
});

test('what is not a unit is told by name', () => {
  expect(parseUnit('Nm')).toMatch(/"Nm" is not a known unit/);
  expect(parseUnit('kg..m')).toMatch(/not part of a unit/);
  expect(parseUnit('N.(m')).toMatch(/not closed/);
  expect(parseUnit('  ')).toBeUndefined();
});

test('converting there and back gives the value again', () => {
  const known = commonUnits.filter((u) => typeof parseUnit(u) === 'object');
  expect(known).toHaveLength(commonUnits.length);
  fc.assert(
    fc.property(
      fc.constantFrom(...known),
      fc.constantFrom(...known),
      fc.double({ min: -1e6, max: 1e6, noNaN: true }),
      (a, b, x) => {
        if (!sameDimension(unit(a), unit(b))) return;
        expect(convertValue(convertValue(x, unit(a), unit(b)), unit(b), unit(a))).toBeCloseTo(x, 5);
      },
    ),
  );
});

describe('checking expressions', () => {
  const units: Record<string, string> = {
    w: 'rad/s',
    n: 'rpm',
    T: 'degC',
    Tk: 'K',
    i: 'A',
    R: 'Ohm',
    u: 'V',
    m: 'kg',
    v: 'm/s',
    E: 'J',
    p: 'bar',
    k: '1',
    x: '',
  };
  const context = { unitOf: (ref: { parts: readonly { name: string }[] }) => units[ref.parts[0].name] };
  const check = (text: string): string[] => {
    const found: string[] = [];
    checkUnits(parseExpressionText(text).value, context, (p) => found.push(p.message));
    return found;
  };
  test('sound formulas pass', () => {
    for (const text of [
      'u - R*i',
      '0.5*m*v^2 + E',
      'T - 20',
      "w <= 330 'rpm'",
      'sin(w*time)',
      'max(u, 0)',
      'if w > 1 then u else R*i',
      'sqrt(v^2) + v',
      'x + w',
      'u/(R*i) + k',
      'convert(n, "rad/s") - w',
    ])
      expect([text, check(text)]).toEqual([text, []]);
  });
  test('clashes are told with both units', () => {
    expect(check('u + i')[0]).toBe('This adds u in V and i in A');
    expect(check('w > n')[0]).toMatch(/same kind, different scale/);
    expect(check('m*v + E')[0]).toMatch(/kg\.m\/s.*J/);
    expect(check('sin(v)')[0]).toMatch(/sin needs a plain number/);
    expect(check("i < 3 's'")[0]).toMatch(/compares i in A/);
    expect(check('convert(n, "V")')[0]).toMatch(/cannot be converted/);
  });
  test('texts from elsewhere: what does not fit is a warning, seconds in a sine are nothing', () => {
    const found: Problem[] = [];
    for (const text of ['u + i', 'sin(time)', 'exp(-2*time)', 'sin(v)'])
      checkUnits(parseExpressionText(text).value, context, (p) => found.push(p));
    expect(found.every((p) => p.severity === 'error')).toBe(true);
    expect(found).toHaveLength(4);
    expect(relaxUnits(found).map((p) => [p.severity, p.message.slice(0, 9)])).toEqual([
      ['warning', 'This adds'],
      ['warning', 'sin needs'],
    ]);
  });
  test('numbers with units take the scale of what they meet', () => {
    const value = (text: string): unknown => {
      const e = elaborateUnits(parseExpressionText(text).value, context);
      return e.kind === 'binary' && e.right.kind === 'number' ? e.right.value : e;
    };
    expect(value("w <= 330 'rpm'")).toBeCloseTo(34.5575191894877, 12);
    expect(value("n <= 330 'rpm'")).toBe(330);
    expect(value("T < 363.15 'K'")).toBe(90);
    expect(value("time > 200 'ms'")).toBe(0.2);
    expect(elaborateUnits(parseExpressionText("200 'mA'").value, context)).toMatchObject({ value: 0.2 });
  });
});

test('unitOrUndefined is silent about nonsense', () => {
  expect(unitOrUndefined('nonsense')).toBeUndefined();
  expect(unitOrUndefined(undefined)).toBeUndefined();
});

test('within a compound a temperature is a difference: the offset of its scale does not take part', () => {
  for (const [text, same] of [
    ['J/degC', 'J/K'],
    ['W/(m2.degC)', 'W/(m2.K)'],
    ['degC/min', 'K/min'],
    ['degC.m', 'K.m'],
    ['1/degC', 'K-1'],
    ['degC2', 'K2'],
    ['m.degC-1', 'm/K'],
  ])
    expect([text, sameUnit(unit(text), unit(same)), unit(text).offset]).toEqual([text, true, 0]);
  expect(unit('J/degF').scale).toBeCloseTo(9 / 5, 12);
  expect(unit('degF/s').offset).toBe(0);
  // alone it is a point on its scale, in brackets too
  expect(unit('degC').offset).toBe(273.15);
  expect(unit('(degF)').offset).toBeCloseTo(459.67 / 1.8, 9);
  expect(convert(10, 'degF/min', 'K/h')).toBeCloseTo((10 * 60) / 1.8, 9);
});

test('products, quotients and powers of units multiply scales and add exponents', () => {
  fc.assert(
    fc.property(
      fc.constantFrom(...commonUnits),
      fc.constantFrom(...commonUnits),
      fc.integer({ min: -3, max: 3 }),
      (a, b, n) => {
        const [ua, ub] = [unit(a), unit(b)];
        const product = multiplyUnits(ua, ub);
        expect(divideUnits(product, ub).dimension).toEqual(ua.dimension);
        expect(divideUnits(product, ub).scale / ua.scale).toBeCloseTo(1, 12);
        expect(powerUnit(ua, n).scale).toBe(ua.scale ** n);
        expect(sameDimension(powerUnit(ua, n), unit(`(${a})${n}`))).toBe(true);
        expect(unit(`(${a}).(${b})`).scale / product.scale).toBeCloseTo(1, 12);
        expect(unit(`(${a})/(${b})`).scale / divideUnits(ua, ub).scale).toBeCloseTo(1, 12);
      },
    ),
  );
});

test('a unit is described by a text that stands for it', () => {
  for (const text of [...commonUnits, 'kg.m2/s3', 'A.s', 'm-1', 'mol/m3']) {
    const described = describeUnit(unit(text));
    const factor = /^[\d.e+-]+ /.exec(described);
    const read = unit(described.slice(factor?.[0].length ?? 0));
    expect([text, sameDimension(read, unit(text))]).toEqual([text, true]);
    expect((read.scale * Number(factor?.[0] ?? 1)) / unit(text).scale).toBeCloseTo(1, 3);
  }
});
