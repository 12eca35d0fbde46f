import type { Span } from '../language/diagnostics';
import { parseUnit } from '../language/units';
import type { Word } from './phrases';

/**
 * What a text says that could not be read, with its place. It is thrown out of the grammar for every other way of reading a sentence, so it
 * is no Error: the calls that led to it would be written down each time.
 */
export class Unread {
  constructor(
    readonly message: string,
    readonly span: Span,
    /** `unknown-phrase` where the glossary lacks one. */
    readonly code: 'unread-limit' | 'unknown-phrase' = 'unread-limit',
  ) {}
}

/** A number with its unit as the text has it. */
export interface Amount {
  readonly value: number;
  readonly unit: string;
  readonly span: Span;
  readonly isTime: boolean;
}

const isTimeDimension = (dimension: readonly number[]): boolean => dimension.every((x, k) => x === (k === 2 ? 1 : 0));
/** Words that are units only by accident. */
const notUnits: ReadonlySet<string> = new Set([
  'in',
  'a',
  'and',
  'at',
  'to',
  'of',
  'while',
  'times',
  'per',
  'within',
  'or',
  'h.',
]);
const longUnits = new Map<string, string>(
  Object.entries({
    second: 's',
    seconds: 's',
    millisecond: 'ms',
    milliseconds: 'ms',
    minute: 'min',
    minutes: 'min',
    hour: 'h',
    hours: 'h',
    percent: '%',
    volt: 'V',
    volts: 'V',
    ampere: 'A',
    amperes: 'A',
    newton: 'N',
    newtons: 'N',
    metre: 'm',
    metres: 'm',
    millimetre: 'mm',
    millimetres: 'mm',
    kelvin: 'K',
    watt: 'W',
    watts: 'W',
    hertz: 'Hz',
    kilogram: 'kg',
    kilograms: 'kg',
    degrees: 'deg',
    pascal: 'Pa',
    Nm: 'N.m',
    mNm: 'mN.m',
    kNm: 'kN.m',
    Ncm: 'cN.m',
    RPM: 'rpm',
    sec: 's',
    secs: 's',
    msec: 'ms',
    mins: 'min',
    hrs: 'h',
    amp: 'A',
    amps: 'A',
    pascals: 'Pa',
    joule: 'J',
    joules: 'J',
    ohm: 'Ohm',
    ohms: 'Ohm',
    degree: 'deg',
    turns: 'rev',
    revolutions: 'rev',
  }),
);
const numberWords = new Map<string, number>(
  Object.entries({
    zero: 0,
    one: 1,
    once: 1,
    two: 2,
    twice: 2,
    three: 3,
    four: 4,
    five: 5,
    six: 6,
    seven: 7,
    eight: 8,
    nine: 9,
    ten: 10,
  }),
);

/** A number with its unit, in one word or two: `330 rpm`, `500mN.m`, `two`. */
export function readAmount(words: readonly Word[], at: number): { amount: Amount; next: number } | undefined {
  const w = words[at];
  if (!w) return undefined;
  const glued = /^([-+−]?\d+(?:\.\d+)?(?:[eE][-+]?\d+)?)(.*)$/u.exec(w.text);
  if (!glued) {
    const value = numberWords.get(w.norm);
    return value === undefined ? undefined : { amount: { value, unit: '', span: w.span, isTime: false }, next: at + 1 };
  }
  let unit = longUnits.get(glued[2]) ?? glued[2];
  let next = at + 1;
  let end = w.span.end;
  const candidate = words[at + 1];
  if (unit === '' && candidate && !w.comma && !notUnits.has(candidate.text)) {
    const named = longUnits.get(candidate.text) ?? longUnits.get(candidate.norm) ?? candidate.text;
    if (typeof parseUnit(named) === 'object') {
      unit = named;
      end = candidate.span.end;
      next++;
    }
  }
  const parsed = parseUnit(unit);
  if (typeof parsed === 'string') throw new Unread(`"${unit}" is not understood as a unit: ${parsed}`, w.span);
  return {
    amount: {
      value: Number(glued[1].replace('−', '-')),
      unit,
      span: { start: w.span.start, end },
      isTime: typeof parsed === 'object' && isTimeDimension(parsed.dimension),
    },
    next,
  };
}

/** As the formula language writes it. */
export const amountText = (a: { readonly value: number; readonly unit: string }): string =>
  a.unit ? `${a.value} '${a.unit}'` : String(a.value);

/** The unit of a difference of two values: 1.2 K between temperatures in degC. */
export const differenceUnit = (unit: string): string => (unit === 'degC' ? 'K' : unit);
