import type { Quantity } from '../project/project';

/** How a number is kept in code: a whole number of so many bits that stands for itself, or for a multiple of a power of two. */
export interface Storage {
  readonly bits: 8 | 16 | 32;
  readonly signed: boolean;
  /** Binary places behind the point: 1 is kept as 2 to the power of this. */
  readonly places: number;
  /** Least and largest number that can be kept, as it is kept. */
  readonly low: number;
  readonly high: number;
  /** What is set follows from other numbers, and cannot be beyond. */
  readonly isProven?: true;
}

export type NumberKind = Quantity['number'];

/** Bits of a kind, and whether it has a sign; that of a fixed point follows from its range. */
const kinds: Readonly<Record<Exclude<NumberKind, 'usual'>, readonly [bits: Storage['bits'], signed?: boolean]>> = {
  int8: [8, true],
  uint8: [8, false],
  int16: [16, true],
  uint16: [16, false],
  fixed8: [8],
  fixed16: [16],
  fixed32: [32],
};
export const isFixedPoint = (kind: NumberKind): boolean => kind.startsWith('fixed');

/** Kinds there are for a quantity. */
export const kindsFor = (type: Quantity['type']): readonly NumberKind[] =>
  type === 'Boolean'
    ? ['usual']
    : [
        'usual',
        ...(Object.keys(kinds) as Exclude<NumberKind, 'usual'>[]).filter((k) => isFixedPoint(k) === (type === 'Real')),
      ];

export const wideLimit = 2 ** 30;
/** Of 32 bits one is left free, so that sums have room. */
const limitsOf = (bits: Storage['bits'], signed: boolean): readonly [low: number, high: number] =>
  bits === 32 ? [-wideLimit, wideLimit] : signed ? [-(2 ** (bits - 1)), 2 ** (bits - 1) - 1] : [0, 2 ** bits - 1];
/** More places than this are of no use beside single precision, and fewer leave nothing. */
const mostPlaces = 30;

/**
 * How a quantity is kept, or why it cannot be. A fixed point has as many places as its limits leave: the trade calls that a binary scaling.
 */
export function storageOf(
  { name, type, number: kind }: Pick<Quantity, 'name' | 'type' | 'number'>,
  min: number | undefined,
  max: number | undefined,
): Storage | string {
  if (kind === 'usual') return `${name} is kept as usual`;
  if (type === 'Boolean') return `${name} is true or false, and kept as such`;
  if (isFixedPoint(kind) !== (type === 'Real'))
    return type === 'Real'
      ? `${name} is a real number: it is kept as float32 or with a fixed point`
      : `${name} is a whole number: it has no point`;
  const [bits, sign] = kinds[kind];
  if (type === 'Integer') {
    const signed = sign === true;
    const [low, high] = limitsOf(bits, signed);
    const wrong = [min, max].filter((x) => x !== undefined && (x < low || x > high));
    if (wrong.length > 0) return `${name} may be ${wrong.join(' and ')}, but ${kind} goes from ${low} to ${high}`;
    return { bits, signed, places: 0, low, high };
  }
  if (min === undefined || max === undefined || !Number.isFinite(min) || !Number.isFinite(max))
    return `${name} needs both limits as numbers: where its point lies follows from them`;
  if (min >= max) return `${name} has nothing between its limits ${min} and ${max}`;
  const signed = bits === 32 || min < 0;
  const [low, high] = limitsOf(bits, signed);
  let places = mostPlaces;
  while (places > -mostPlaces && (min * 2 ** places < low || max * 2 ** places > high)) places--;
  return places === -mostPlaces
    ? `${name} goes from ${min} to ${max}: that is too much for a fixed point`
    : { bits, signed, places, low, high };
}

/** A limit that is a number as it stands. */
export const literal = (text: string): number | undefined =>
  /^\s*[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?\s*$/i.test(text) ? Number(text) : undefined;

/** The difference between one number and the next. */
export const resolutionOf = ({ places }: Storage): number => 2 ** -places;
export const rangeOf = (s: Storage): readonly [low: number, high: number] => [
  s.low * resolutionOf(s),
  s.high * resolutionOf(s),
];
export const cTypeOf = ({ bits, signed }: Storage): string => `${signed ? '' : 'u'}int${bits}_t`;

/** From here on a half is less than the next single precision number. */
const noHalves = 8388608;

/** A real number as it is kept, in single precision throughout; what is none counts as 0. */
export function keptOf(value: number, { places, low, high }: Storage): number {
  const a = Math.fround(Math.fround(value) * 2 ** places);
  if (a >= high) return high;
  if (a <= low) return low;
  if (a >= noHalves || a <= -noHalves) return a;
  // 0 has no sign
  return a >= 0 ? Math.floor(Math.fround(a + 0.5)) : a < 0 ? Math.ceil(Math.fround(a - 0.5)) + 0 : 0;
}
/** A whole number as it is kept: what is beyond becomes the last there is. */
export const clamped = (value: number, { low, high }: Storage): number => Math.max(low, Math.min(high, value));
/** A value of any type in its unit, as it is kept. */
export const keptAs = (value: number, type: 'f32' | 'i32' | 'bool', storage: Storage): number =>
  type === 'f32' ? keptOf(value, storage) : clamped(Math.trunc(value), storage);

/** A number that is kept, as a single precision number in its unit. */
export const valueOf = (kept: number, { places }: Storage): number => Math.fround(Math.fround(kept) * 2 ** -places);
