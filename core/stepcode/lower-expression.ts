import type { FlatExpr, PairExpr } from '../flatten/flat-expression';
import type { ValueType } from '../flatten/flat-model';
import type { LibraryName } from './library';
import {
  and,
  not,
  number,
  or,
  pair,
  truth,
  type StepExpr,
  type StepFunctionName,
  type StepPairOp,
  type StepType,
} from './step-program';

/** What names stand for where an expression is lowered. */
export interface Names {
  typeOf(variable: number): ValueType;
  value(variable: number): StepExpr;
  /** What it was in the step before. */
  before(variable: number): StepExpr;
  time(): StepExpr;
  /** A function of mathematics. */
  call(name: LibraryName, args: readonly StepExpr[]): StepExpr;
  table(x: readonly number[], y: readonly number[], slope: boolean, at: StepExpr): StepExpr;
  /** Stops at what a step cannot do. */
  refuse(what: string): never;
}

export const stepType = (type: ValueType): StepType => (type === 'Real' ? 'f32' : type === 'Boolean' ? 'bool' : 'i32');

/** A whole number that may be real as well: constants. */
type Natural = StepType | 'either';

/** Largest single precision number: what lies beyond bounds nothing. */
const largest = 3.4028234663852886e38;

/** An expression in the type that is wanted of it. */
export function lowerExpression(e: FlatExpr, want: StepType, names: Names): StepExpr {
  if (e.op === 'const') {
    if (want === 'bool') return truth(e.value !== 0);
    // whole numbers are meant to the last digit
    if (want === 'f32' && Number.isInteger(e.value) && Math.abs(e.value) < 2 ** 53 && Math.fround(e.value) !== e.value)
      return names.refuse(`${e.value}, which has more digits than single precision,`);
    if (want === 'i32' && !Number.isInteger(e.value)) return names.refuse(`${e.value}, where a whole number is meant,`);
    return number(e.value, want);
  }
  const has = naturalType(e, names);
  const found = lowered(e, has === 'either' ? want : has, names);
  return converted(found, want, names);
}

function converted(e: StepExpr, want: StepType, names: Names): StepExpr {
  if (e.type === want) return e;
  if (e.type === 'i32' && want === 'f32')
    return e.op === 'const' ? number(e.value) : { op: 'toReal', type: 'f32', a: e };
  if (want === 'bool') return pair('ne', e, number(0, e.type));
  if (e.type === 'bool') return { op: 'choose', type: want, c: e, a: number(1, want), b: number(0, want) };
  return names.refuse('A real number where a whole one is meant');
}

function naturalType(e: FlatExpr, names: Names): Natural {
  switch (e.op) {
    case 'const':
      return Number.isInteger(e.value) && Math.abs(e.value) <= 0x7fffffff ? 'either' : 'f32';
    case 'var':
    case 'pre':
      return stepType(names.typeOf(e.index));
    case 'neg':
    case 'noEvent':
    case 'noted':
      return naturalType(e.a, names);
    case 'add':
    case 'sub':
    case 'mul':
      return joined(naturalType(e.a, names), naturalType(e.b, names));
    case 'if':
      return joined(naturalType(e.a, names), naturalType(e.b, names));
    case 'not':
    case 'and':
    case 'or':
    case 'lt':
    case 'le':
    case 'gt':
    case 'ge':
    case 'eq':
    case 'ne':
    case 'initial':
    case 'terminal':
    case 'sample':
      return 'bool';
    case 'fn':
      switch (e.name) {
        case 'integer':
          return 'i32';
        case 'abs':
        case 'min':
        case 'max':
        case 'mod':
        case 'rem':
        case 'div':
          return e.args.map((x) => naturalType(x, names)).reduce(joined);
        case 'sign':
          return 'either';
        default:
          return 'f32';
      }
    default:
      return 'f32';
  }
}

const joined = (a: Natural, b: Natural): Natural =>
  a === b ? a : a === 'either' ? b : b === 'either' ? a : a === 'f32' || b === 'f32' ? 'f32' : 'i32';

function lowered(e: FlatExpr, type: StepType, names: Names): StepExpr {
  const as = (x: FlatExpr, t: StepType = type): StepExpr => lowerExpression(x, t, names);
  const call = (name: StepFunctionName, args: readonly FlatExpr[], t: StepType = type): StepExpr => ({
    op: 'fn',
    type: t,
    name,
    args: args.map((x) => as(x, t)),
  });
  switch (e.op) {
    case 'const':
      return type === 'bool' ? truth(e.value !== 0) : number(e.value, type);
    case 'var':
      return names.value(e.index);
    case 'pre':
      return names.before(e.index);
    case 'time':
      return names.time();
    case 'noEvent':
      return as(e.a);
    case 'noted': {
      const a = as(e.a);
      const conditions = e.conditions.map((x) => as(x, 'bool'));
      return a.op === 'const' ? a : { op: 'noted', type: a.type, decision: e.decision, a, conditions };
    }
    case 'neg':
      return { op: 'neg', type, a: as(e.a) };
    case 'not':
      return not(as(e.a, 'bool'));
    case 'and':
      return and(as(e.a, 'bool'), as(e.b, 'bool'));
    case 'or':
      return or(as(e.a, 'bool'), as(e.b, 'bool'));
    case 'add':
    case 'sub':
    case 'mul':
      return pair(e.op, as(e.a), as(e.b));
    case 'div':
      return pair('div', as(e.a, 'f32'), as(e.b, 'f32'));
    case 'pow':
      return power(e, names);
    case 'lt':
    case 'le':
    case 'gt':
    case 'ge':
    case 'eq':
    case 'ne':
      return compared(e.op, e.a, e.b, names);
    case 'if': {
      const c = as(e.c, 'bool');
      if (c.op === 'const') return as(c.value ? e.a : e.b);
      const [a, b] = [as(e.a), as(e.b)];
      if (type === 'bool') {
        if (a.op === 'const') return a.value ? or(c, b) : and(not(c), b);
        if (b.op === 'const') return b.value ? or(not(c), a) : and(c, a);
      }
      return { op: 'choose', type, c, a, b };
    }
    case 'fn':
      return lowerFunction(e, type, names, call);
    case 'initial':
    case 'terminal':
      return truth(false);
    case 'der':
      return names.refuse('A rate (der)');
    case 'delay':
      return names.refuse('A delay in time');
    case 'table':
      return names.table(e.x, e.y, e.slope, as(e.a, 'f32'));
    case 'sample':
      return names.refuse('A rhythm of its own (sample)');
  }
}

function compared(op: StepPairOp, a: FlatExpr, b: FlatExpr, names: Names): StepExpr {
  const found = joined(naturalType(a, names), naturalType(b, names));
  const type = found === 'either' ? 'i32' : found;
  return pair(op, lowerExpression(a, type, names), lowerExpression(b, type, names));
}

/** Whole powers are products; others need functions that are not there yet. */
function power({ a, b }: PairExpr, names: Names): StepExpr {
  const count = b.op === 'const' ? b.value : NaN;
  const base = lowerExpression(a, 'f32', names);
  if (count === 0.5) return { op: 'fn', type: 'f32', name: 'sqrt', args: [base] };
  if (!Number.isInteger(count) || Math.abs(count) < 1 || Math.abs(count) > 8)
    return names.call('pow', [base, lowerExpression(b, 'f32', names)]);
  let product = base;
  for (let k = 1; k < Math.abs(count); k++) product = pair('mul', product, base);
  return count > 0 ? product : pair('div', number(1), product);
}

function lowerFunction(
  e: Extract<FlatExpr, { op: 'fn' }>,
  type: StepType,
  names: Names,
  call: (name: StepFunctionName, args: readonly FlatExpr[], type?: StepType) => StepExpr,
): StepExpr {
  const t = type === 'bool' ? 'i32' : type;
  switch (e.name) {
    case 'sqrt':
    case 'floor':
    case 'ceil':
      return call(e.name, e.args, 'f32');
    case 'abs':
    case 'sign':
      return call(e.name, e.args, e.name === 'sign' ? (naturalType(e.args[0], names) === 'i32' ? 'i32' : 'f32') : t);
    case 'min':
    case 'max': {
      // a bound that no number reaches is none
      const [x, y] = e.args;
      const isOpen = (z: FlatExpr): boolean =>
        z.op === 'const' && (e.name === 'max' ? z.value < -largest : z.value > largest);
      if (isOpen(x)) return lowerExpression(y, t, names);
      if (isOpen(y)) return lowerExpression(x, t, names);
      return call(e.name, e.args, t);
    }
    case 'div':
      return call('quotient', e.args, t);
    case 'rem':
      return call('remainder', e.args, t);
    case 'mod':
      return call('modulo', e.args, t);
    case 'integer':
      return { op: 'toInteger', type: 'i32', a: lowerExpression(e.args[0], 'f32', names) };
    case 'rootSlope':
      return names.refuse('The slope of a root');
    default:
      return names.call(
        e.name,
        e.args.map((x) => lowerExpression(x, 'f32', names)),
      );
  }
}

/** How many steps pass before so many seconds have. */
export function stepsIn(delay: FlatExpr, period: number, names: Names): StepExpr {
  const value = lowerExpression(delay, 'f32', names);
  if (value.op === 'const') return number(stepsOf(value.value, period), 'i32');
  return { op: 'fn', type: 'i32', name: 'steps', args: [value] };
}

/** The first step at which at least so many seconds have passed; what rounding adds does not count. */
export function stepsOf(seconds: number, period: number): number {
  const exact = Math.fround(Math.fround(seconds) / Math.fround(period));
  if (!(exact > 0)) return 0;
  if (exact >= 2147483520) return 2147483520;
  const whole = Math.floor(exact);
  return Math.fround(exact - whole) > Math.fround(exact * Math.fround(1e-5)) ? whole + 1 : whole;
}
