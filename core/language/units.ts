/**
 * Units: SI dimensions with scaled and offset units. The notation is that of the Modelica language (section 19) and
 * ISO 80000: products with `.`, quotients with `/`, exponents as `m2` or `s-1`; radians count as 1.
 */

/** Exponents of m, kg, s, A, K, mol, cd. */
export type Dimension = readonly [number, number, number, number, number, number, number];

/** value in coherent SI = value * scale + offset */
export interface Unit {
  readonly dimension: Dimension;
  readonly scale: number;
  readonly offset: number;
}

export const dimensionless: Unit = { dimension: [0, 0, 0, 0, 0, 0, 0], scale: 1, offset: 0 };

const baseSymbols = ['m', 'kg', 's', 'A', 'K', 'mol', 'cd'];

interface Symbol {
  readonly dimension: Dimension;
  readonly scale: number;
  readonly offset: number;
  readonly prefixed: boolean;
}

const symbols = new Map<string, Symbol>();
const define = (
  names: string,
  dimension: Dimension,
  scale = 1,
  options: { prefixed?: boolean; offset?: number } = {},
): void => {
  for (const name of names.split(' '))
    symbols.set(name, { dimension, scale, offset: options.offset ?? 0, prefixed: options.prefixed ?? false });
};
const prefixed = { prefixed: true };
const none: Dimension = [0, 0, 0, 0, 0, 0, 0];

define('m', [1, 0, 0, 0, 0, 0, 0], 1, prefixed);
define('g', [0, 1, 0, 0, 0, 0, 0], 1e-3, prefixed);
define('s', [0, 0, 1, 0, 0, 0, 0], 1, prefixed);
define('A', [0, 0, 0, 1, 0, 0, 0], 1, prefixed);
define('K', [0, 0, 0, 0, 1, 0, 0], 1, prefixed);
define('mol', [0, 0, 0, 0, 0, 1, 0], 1, prefixed);
define('cd', [0, 0, 0, 0, 0, 0, 1], 1, prefixed);
define('1', none);
define('rad sr', none, 1, prefixed);
define('deg °', none, Math.PI / 180);
define('rev turn', none, 2 * Math.PI);
define('%', none, 0.01);
define('ppm', none, 1e-6);
define('Hz', [0, 0, -1, 0, 0, 0, 0], 1, prefixed);
define('Bq', [0, 0, -1, 0, 0, 0, 0], 1, prefixed);
define('rpm r/min', [0, 0, -1, 0, 0, 0, 0], (2 * Math.PI) / 60);
define('min', [0, 0, 1, 0, 0, 0, 0], 60);
define('h', [0, 0, 1, 0, 0, 0, 0], 3600);
define('d', [0, 0, 1, 0, 0, 0, 0], 86400);
define('N', [1, 1, -2, 0, 0, 0, 0], 1, prefixed);
define('Pa', [-1, 1, -2, 0, 0, 0, 0], 1, prefixed);
define('bar', [-1, 1, -2, 0, 0, 0, 0], 1e5, prefixed);
define('atm', [-1, 1, -2, 0, 0, 0, 0], 101325);
define('J', [2, 1, -2, 0, 0, 0, 0], 1, prefixed);
define('Wh', [2, 1, -2, 0, 0, 0, 0], 3600, prefixed);
define('W', [2, 1, -3, 0, 0, 0, 0], 1, prefixed);
define('C', [0, 0, 1, 1, 0, 0, 0], 1, prefixed);
define('Ah', [0, 0, 1, 1, 0, 0, 0], 3600, prefixed);
define('V', [2, 1, -3, -1, 0, 0, 0], 1, prefixed);
define('Ohm ohm Ω', [2, 1, -3, -2, 0, 0, 0], 1, prefixed);
define('S', [-2, -1, 3, 2, 0, 0, 0], 1, prefixed);
define('F', [-2, -1, 4, 2, 0, 0, 0], 1, prefixed);
define('H', [2, 1, -2, -2, 0, 0, 0], 1, prefixed);
define('Wb', [2, 1, -2, -1, 0, 0, 0], 1, prefixed);
define('T', [0, 1, -2, -1, 0, 0, 0], 1, prefixed);
define('l L', [3, 0, 0, 0, 0, 0, 0], 1e-3, prefixed);
define('t', [0, 1, 0, 0, 0, 0, 0], 1000);
define('degC °C', [0, 0, 0, 0, 1, 0, 0], 1, { offset: 273.15 });
define('degF °F', [0, 0, 0, 0, 1, 0, 0], 5 / 9, { offset: 273.15 - (32 * 5) / 9 });
define('in inch', [1, 0, 0, 0, 0, 0, 0], 0.0254);
define('ft', [1, 0, 0, 0, 0, 0, 0], 0.3048);
define('lb', [0, 1, 0, 0, 0, 0, 0], 0.45359237);
define('lbf', [1, 1, -2, 0, 0, 0, 0], 4.4482216152605);
define('psi', [-1, 1, -2, 0, 0, 0, 0], 6894.757293168361);
define('lx', [-2, 0, 0, 0, 0, 0, 1], 1, prefixed);
define('lm', [0, 0, 0, 0, 0, 0, 1], 1, prefixed);
define('eV', [2, 1, -2, 0, 0, 0, 0], 1.602176634e-19, prefixed);

const prefixes: Record<string, number> = {
  Y: 1e24,
  Z: 1e21,
  E: 1e18,
  P: 1e15,
  T: 1e12,
  G: 1e9,
  M: 1e6,
  k: 1e3,
  h: 1e2,
  da: 1e1,
  d: 1e-1,
  c: 1e-2,
  m: 1e-3,
  u: 1e-6,
  µ: 1e-6,
  μ: 1e-6,
  n: 1e-9,
  p: 1e-12,
  f: 1e-15,
  a: 1e-18,
  z: 1e-21,
  y: 1e-24,
};

function symbolOf(name: string): Symbol | undefined {
  const direct = symbols.get(name);
  if (direct) return direct;
  for (const length of [1, 2]) {
    const factor = prefixes[name.slice(0, length)];
    const rest = symbols.get(name.slice(length));
    if (factor !== undefined && rest?.prefixed) return { ...rest, scale: rest.scale * factor };
  }
  return undefined;
}

export const multiplyUnits = (a: Unit, b: Unit): Unit => ({
  dimension: a.dimension.map((x, k) => x + b.dimension[k]) as unknown as Dimension,
  scale: a.scale * b.scale,
  offset: 0,
});

export const powerUnit = (a: Unit, exponent: number): Unit => ({
  dimension: a.dimension.map((x) => x * exponent) as unknown as Dimension,
  scale: a.scale ** exponent,
  offset: 0,
});

export const divideUnits = (a: Unit, b: Unit): Unit => multiplyUnits(a, powerUnit(b, -1));

const cache = new Map<string, Unit | string>();

/** The unit a text stands for, or a sentence that says what is wrong with it. Empty text: undefined (no unit given). */
export function parseUnit(text: string): Unit | string | undefined {
  const trimmed = text.trim();
  if (trimmed === '') return undefined;
  let known = cache.get(trimmed);
  if (known === undefined) {
    known = readUnit(trimmed);
    if (cache.size < 5000) cache.set(trimmed, known);
  }
  return known;
}

/** Like parseUnit, but undefined for texts that are not units. */
export function unitOrUndefined(text: string | undefined): Unit | undefined {
  const unit = text === undefined ? undefined : parseUnit(text);
  return typeof unit === 'object' ? unit : undefined;
}

function readUnit(text: string): Unit | string {
  let i = 0;
  let failure: string | undefined;
  let offsetUnit: Symbol | undefined;
  let factors = 0;
  const space = (): void => {
    while (text[i] === ' ') i++;
  };
  const exponent = (): number => {
    const match = /^(\^?\(?([+-]?\d+)(?:\/(\d+))?\)?|[²³])/.exec(text.slice(i));
    if (!match || match[0] === '') return 1;
    if (match[0].startsWith('^(') !== match[0].endsWith(')')) {
      // a bracket that belongs to the surrounding group
      const plain = /^\^?([+-]?\d+)/.exec(text.slice(i));
      if (!plain) return 1;
      i += plain[0].length;
      return Number(plain[1]);
    }
    i += match[0].length;
    if (match[0] === '²') return 2;
    if (match[0] === '³') return 3;
    return Number(match[2]) / (match[3] ? Number(match[3]) : 1);
  };
  const factor = (): Unit => {
    space();
    if (text[i] === '(') {
      i++;
      const inner = product();
      space();
      if (text[i] === ')') i++;
      else failure ??= `the bracket in "${text}" is not closed`;
      return powerUnit(inner, exponent());
    }
    const match = /^(1(?![\d])|%|[\p{L}°Ωµμ]+)/u.exec(text.slice(i));
    if (!match) {
      failure ??= i >= text.length ? `"${text}" ends too early` : `"${text[i]}" in "${text}" is not part of a unit`;
      i = text.length;
      return dimensionless;
    }
    i += match[0].length;
    const symbol = symbolOf(match[0]);
    if (!symbol) {
      failure ??= `"${match[0]}" is not a known unit`;
      return dimensionless;
    }
    factors++;
    if (symbol.offset !== 0) offsetUnit = symbol;
    const power = match[0] === '1' ? 1 : exponent();
    if (power !== 1) factors++;
    return powerUnit({ dimension: symbol.dimension, scale: symbol.scale, offset: 0 }, power);
  };
  const product = (): Unit => {
    let unit = factor();
    for (;;) {
      space();
      const c = text[i];
      if (c === '.' || c === '*' || c === '·') {
        i++;
        unit = multiplyUnits(unit, factor());
      } else if (c === '/') {
        i++;
        unit = divideUnits(unit, factor());
      } else return unit;
    }
  };
  const unit = product();
  space();
  if (failure) return failure;
  if (i < text.length) return `"${text.slice(i)}" in "${text}" is not part of a unit`;
  return offsetUnit && factors === 1 ? { ...unit, offset: offsetUnit.offset } : unit;
}

export const sameDimension = (a: Unit, b: Unit): boolean =>
  a.dimension.every((x, k) => Math.abs(x - b.dimension[k]) < 1e-9);

export const sameUnit = (a: Unit, b: Unit): boolean =>
  sameDimension(a, b) && Math.abs(a.scale / b.scale - 1) < 1e-9 && Math.abs(a.offset - b.offset) < 1e-9;

/** Converts a value between units of one dimension. */
export const convertValue = (value: number, from: Unit, to: Unit): number =>
  (value * from.scale + from.offset - to.offset) / to.scale;

/** Converts a difference of values: offsets do not take part. */
export const convertDifference = (value: number, from: Unit, to: Unit): number => (value * from.scale) / to.scale;

/** A readable name of a dimension, e.g. `kg.m2/s3`, for messages. */
export function describeUnit(unit: Unit): string {
  const power = (symbol: string, x: number): string =>
    symbol + (x === 1 ? '' : Number.isInteger(x) ? String(x) : `^(${x})`);
  for (const name of ['rpm', 'N', 'Pa', 'J', 'W', 'V', 'A', 'Ohm', 'F', 'H', 'C', 'degC', 'bar', '%']) {
    const known = unitOrUndefined(name);
    if (known && sameUnit(known, unit) && !(name === '%' && unit.scale === 1)) return name;
  }
  // mass first, as in kg.m2/s2
  const order = [1, 0, 2, 3, 4, 5, 6];
  const up = order.flatMap((k) => (unit.dimension[k] > 0 ? [power(baseSymbols[k], unit.dimension[k])] : []));
  const down = order.flatMap((k) => (unit.dimension[k] < 0 ? [power(baseSymbols[k], -unit.dimension[k])] : []));
  const below = down.length > 1 ? `(${down.join('.')})` : down[0];
  const text = (up.join('.') || '1') + (below ? `/${below}` : '');
  const exact = Math.abs(unit.scale - 1) < 1e-9;
  return exact ? text : `${Number(unit.scale.toPrecision(4))} ${text}`;
}

/** Every unit name offered in fields, most used first. */
export const commonUnits: readonly string[] = [
  '1',
  '%',
  's',
  'ms',
  'min',
  'h',
  'm',
  'mm',
  'm/s',
  'm/s2',
  'rad',
  'deg',
  'rad/s',
  'rpm',
  'rad/s2',
  'Hz',
  '1/min',
  'kg',
  'g',
  'kg.m2',
  'N',
  'N.m',
  'N.m/rad',
  'N.m.s/rad',
  'N.m/A',
  'N/m',
  'N.s/m',
  'J',
  'W',
  'kW',
  'V',
  'mV',
  'A',
  'mA',
  'Ohm',
  'mH',
  'H',
  'F',
  'uF',
  'C',
  'V.s/rad',
  'K',
  'degC',
  'J/K',
  'K/W',
  'W/K',
  'J/(kg.K)',
  'Pa',
  'kPa',
  'bar',
  'L',
  'mL',
  'm3',
  'L/min',
  'm3/s',
  'kg/m3',
  'kg/s',
];
