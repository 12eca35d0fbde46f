import { table } from '../language/table';
import type { Span } from '../language/diagnostics';

/**
 * Expressions of the flat model: scalar, over variable numbers. Booleans are 0 and 1, enumeration literals count from 1.
 * The constructors fold constants and drop neutral elements, nothing else.
 */
export type FlatExpr =
  | { readonly op: 'const'; readonly value: number }
  | { readonly op: 'var'; readonly index: number }
  | { readonly op: 'der'; readonly index: number }
  | { readonly op: 'pre'; readonly index: number }
  | { readonly op: 'time' }
  | { readonly op: 'initial' }
  | { readonly op: 'terminal' }
  | { readonly op: 'neg' | 'not' | 'noEvent'; readonly a: FlatExpr }
  | PairExpr
  | { readonly op: 'if'; readonly c: FlatExpr; readonly a: FlatExpr; readonly b: FlatExpr }
  | { readonly op: 'fn'; readonly name: FunctionName; readonly args: readonly FlatExpr[] }
  /** A value (or the slope there) of a table of points at `a`, straight between points, level outside. */
  | {
      readonly op: 'table';
      readonly a: FlatExpr;
      readonly x: readonly number[];
      readonly y: readonly number[];
      readonly slope: boolean;
    }
  /** The value of `a`; how its conditions come out is told to whoever counts what a run comes through (`coverage/`). */
  | { readonly op: 'noted'; readonly decision: number; readonly a: FlatExpr; readonly conditions: readonly FlatExpr[] }
  /** The value of `a` some seconds ago. */
  | { readonly op: 'delay'; readonly a: FlatExpr; readonly by: FlatExpr }
  /** True at the instants start + k * interval, k = 0, 1, ... */
  | { readonly op: 'sample'; readonly start: FlatExpr; readonly interval: FlatExpr };

/** Two operands: arithmetic, relations, logic. */
export interface PairExpr {
  readonly op: ArithmeticOp | RelationOp | 'and' | 'or';
  readonly a: FlatExpr;
  readonly b: FlatExpr;
  /** Of a relation, where it was written: it stays with it whatever its operands become. */
  readonly from?: Written;
}

/** A piece of a text, in one part. */
export interface Written {
  readonly part: string;
  readonly place: string;
  readonly span: Span;
}

export type ArithmeticOp = 'add' | 'sub' | 'mul' | 'div' | 'pow';
export type RelationOp = 'lt' | 'le' | 'gt' | 'ge' | 'eq' | 'ne';

/** The numeric functions of the language, with their arity. */
export const functionArity = table({
  sin: 1,
  cos: 1,
  tan: 1,
  asin: 1,
  acos: 1,
  atan: 1,
  atan2: 2,
  sinh: 1,
  cosh: 1,
  tanh: 1,
  exp: 1,
  log: 1,
  log10: 1,
  sqrt: 1,
  abs: 1,
  sign: 1,
  min: 2,
  max: 2,
  floor: 1,
  ceil: 1,
  integer: 1,
  mod: 2,
  rem: 2,
  div: 2,
});
/** `rootSlope` is the derivative of `sqrt`, bounded near zero; nobody writes it. */
export type FunctionName = keyof typeof functionArity | 'rootSlope';
export const rootSlope = (x: number): number => 0.5 / Math.max(Math.sqrt(Math.abs(x)), 1e-8);

export const constant = (value: number): FlatExpr => ({ op: 'const', value });
export const zero = constant(0);
export const one = constant(1);
export const variable = (index: number): FlatExpr => ({ op: 'var', index });
export const isConstant = (e: FlatExpr, value?: number): e is { op: 'const'; value: number } =>
  e.op === 'const' && (value === undefined || e.value === value);

export function negate(a: FlatExpr): FlatExpr {
  if (a.op === 'const') return constant(-a.value);
  if (a.op === 'neg') return a.a;
  return { op: 'neg', a };
}

export function binary(op: ArithmeticOp | RelationOp | 'and' | 'or', a: FlatExpr, b: FlatExpr): FlatExpr {
  if (a.op === 'const' && b.op === 'const') {
    const value = applyBinary(op, a.value, b.value);
    if (Number.isFinite(value)) return constant(value);
  }
  switch (op) {
    case 'add':
      return isConstant(a, 0) ? b : isConstant(b, 0) ? a : { op, a, b };
    case 'sub':
      return isConstant(b, 0) ? a : isConstant(a, 0) ? negate(b) : { op, a, b };
    case 'mul':
      if (isConstant(a, 0) || isConstant(b, 0)) return zero;
      return isConstant(a, 1)
        ? b
        : isConstant(b, 1)
          ? a
          : isConstant(a, -1)
            ? negate(b)
            : isConstant(b, -1)
              ? negate(a)
              : { op, a, b };
    case 'div':
      return isConstant(a, 0) && !isConstant(b, 0) ? zero : isConstant(b, 1) ? a : { op, a, b };
    case 'pow':
      return isConstant(b, 1) ? a : { op, a, b };
    case 'and':
      return isConstant(a, 1) ? b : isConstant(b, 1) ? a : isConstant(a, 0) || isConstant(b, 0) ? zero : { op, a, b };
    case 'or':
      return isConstant(a, 0) ? b : isConstant(b, 0) ? a : isConstant(a, 1) || isConstant(b, 1) ? one : { op, a, b };
    default:
      return { op, a, b };
  }
}

export const add = (a: FlatExpr, b: FlatExpr): FlatExpr => binary('add', a, b);
export const subtract = (a: FlatExpr, b: FlatExpr): FlatExpr => binary('sub', a, b);
export const multiply = (a: FlatExpr, b: FlatExpr): FlatExpr => binary('mul', a, b);
export const divide = (a: FlatExpr, b: FlatExpr): FlatExpr => binary('div', a, b);
export const not = (a: FlatExpr): FlatExpr =>
  a.op === 'const' ? constant(a.value ? 0 : 1) : a.op === 'not' ? a.a : { op: 'not', a };
export const choose = (c: FlatExpr, a: FlatExpr, b: FlatExpr): FlatExpr =>
  c.op === 'const' ? (c.value ? a : b) : sameExpression(a, b) ? a : { op: 'if', c, a, b };

export function applyFunction(name: FunctionName, args: readonly FlatExpr[]): FlatExpr {
  if (args.every((x) => x.op === 'const')) {
    const value = callFunction(
      name,
      args.map((x) => (x.op === 'const' ? x.value : NaN)),
    );
    if (Number.isFinite(value)) return constant(value);
  }
  return { op: 'fn', name, args };
}

function applyBinary(op: ArithmeticOp | RelationOp | 'and' | 'or', a: number, b: number): number {
  switch (op) {
    case 'add':
      return a + b;
    case 'sub':
      return a - b;
    case 'mul':
      return a * b;
    case 'div':
      return a / b;
    case 'pow':
      return a ** b;
    case 'lt':
      return a < b ? 1 : 0;
    case 'le':
      return a <= b ? 1 : 0;
    case 'gt':
      return a > b ? 1 : 0;
    case 'ge':
      return a >= b ? 1 : 0;
    case 'eq':
      return a === b ? 1 : 0;
    case 'ne':
      return a !== b ? 1 : 0;
    case 'and':
      return a && b ? 1 : 0;
    case 'or':
      return a || b ? 1 : 0;
  }
}

function callFunction(name: FunctionName, x: readonly number[]): number {
  switch (name) {
    case 'mod':
      return x[0] - Math.floor(x[0] / x[1]) * x[1];
    case 'rem':
      return x[0] - Math.trunc(x[0] / x[1]) * x[1];
    case 'div':
      return Math.trunc(x[0] / x[1]);
    case 'integer':
      return Math.floor(x[0]);
    case 'atan2':
      return Math.atan2(x[0], x[1]);
    case 'min':
      return Math.min(x[0], x[1]);
    case 'max':
      return Math.max(x[0], x[1]);
    case 'rootSlope':
      return rootSlope(x[0]);
    default:
      return Math[name](x[0]);
  }
}

/** The direct operands of an expression. */
export function operands(e: FlatExpr): readonly FlatExpr[] {
  switch (e.op) {
    case 'const':
    case 'var':
    case 'der':
    case 'pre':
    case 'time':
    case 'initial':
    case 'terminal':
      return [];
    case 'neg':
    case 'not':
    case 'noEvent':
    case 'table':
      return [e.a];
    case 'if':
      return [e.c, e.a, e.b];
    case 'fn':
      return e.args;
    case 'sample':
      return [e.start, e.interval];
    case 'delay':
      return [e.a, e.by];
    case 'noted':
      return [e.a, ...e.conditions];
    default:
      return [e.a, e.b];
  }
}

/** Rebuilds an expression with its operands mapped. */
function mapOperands(e: FlatExpr, f: (x: FlatExpr) => FlatExpr): FlatExpr {
  switch (e.op) {
    case 'const':
    case 'var':
    case 'der':
    case 'pre':
    case 'time':
    case 'initial':
    case 'terminal':
      return e;
    case 'neg':
      return negate(f(e.a));
    case 'not':
      return not(f(e.a));
    case 'noEvent':
      return { op: 'noEvent', a: f(e.a) };
    case 'if':
      return choose(f(e.c), f(e.a), f(e.b));
    case 'fn':
      return applyFunction(e.name, e.args.map(f));
    case 'sample':
      return { op: 'sample', start: f(e.start), interval: f(e.interval) };
    case 'delay':
      return { op: 'delay', a: f(e.a), by: f(e.by) };
    case 'table':
      return { ...e, a: f(e.a) };
    case 'noted': {
      const a = f(e.a);
      // what is known beforehand decides nothing
      return a.op === 'const' ? a : { ...e, a, conditions: e.conditions.map(f) };
    }
    default:
      return writtenAt(binary(e.op, f(e.a), f(e.b)), e.from);
  }
}

/** A relation with where it was written; anything else as it is. */
export const writtenAt = (e: FlatExpr, from: Written | undefined): FlatExpr =>
  from && isRelation(e.op) ? { ...(e as PairExpr), from } : e;

/** An expression with its direct operands changed; the same node where none of them is another. */
export function withOperands(e: FlatExpr, change: (x: FlatExpr) => FlatExpr): FlatExpr {
  let touched = false;
  const after = mapOperands(e, (x) => {
    const y = change(x);
    touched ||= y !== x;
    return y;
  });
  return touched ? after : e;
}

/**
 * A function that rebuilds expressions with some of their nodes replaced. What is shared stays shared, and what does not change stays
 * the same node: conditions are known by theirs.
 */
export function createSubstitution(replace: (x: FlatExpr) => FlatExpr | undefined): (e: FlatExpr) => FlatExpr {
  const known = new Map<FlatExpr, FlatExpr>();
  const visit = (x: FlatExpr): FlatExpr => {
    const before = known.get(x);
    if (before) return before;
    const result = replace(x) ?? withOperands(x, visit);
    known.set(x, result);
    return result;
  };
  return visit;
}

/** Calls `visit` on every node; a visit that returns true stops there. */
export function walk(e: FlatExpr, visit: (x: FlatExpr) => boolean | void): void {
  if (visit(e)) return;
  for (const x of operands(e)) walk(x, visit);
}

export function sameExpression(a: FlatExpr, b: FlatExpr): boolean {
  if (a === b) return true;
  if (a.op !== b.op) return false;
  if (a.op === 'const') return a.value === (b as typeof a).value;
  if (a.op === 'var' || a.op === 'der' || a.op === 'pre') return a.index === (b as typeof a).index;
  if (a.op === 'fn' && a.name !== (b as typeof a).name) return false;
  if (a.op === 'table' && (a.x !== (b as typeof a).x || a.y !== (b as typeof a).y || a.slope !== (b as typeof a).slope))
    return false;
  const xa = operands(a);
  const xb = operands(b);
  return xa.length === xb.length && xa.every((x, k) => sameExpression(x, xb[k]));
}

export const isRelation = (op: FlatExpr['op']): op is RelationOp =>
  op === 'lt' || op === 'le' || op === 'gt' || op === 'ge' || op === 'eq' || op === 'ne';

/** Parts of expressions whose values stand in no table: the time, derivatives, what was before. */
export type Moment = Extract<FlatExpr, { op: 'der' | 'pre' | 'time' | 'initial' | 'terminal' | 'sample' | 'delay' }>;

/** Reads an expression against a table of values, and what is of the moment by `moment`; what is not known gives NaN. */
export function evaluate(
  e: FlatExpr,
  value: (index: number) => number,
  moment: (x: Moment) => number = () => NaN,
): number {
  switch (e.op) {
    case 'const':
      return e.value;
    case 'var':
      return value(e.index);
    case 'neg':
      return -evaluate(e.a, value, moment);
    case 'not':
      return evaluate(e.a, value, moment) ? 0 : 1;
    case 'noEvent':
    case 'noted':
      return evaluate(e.a, value, moment);
    case 'table':
      return lookUp(e.x, e.y, evaluate(e.a, value, moment), e.slope);
    case 'if':
      return evaluate(e.c, value, moment) ? evaluate(e.a, value, moment) : evaluate(e.b, value, moment);
    case 'fn':
      return callFunction(
        e.name,
        e.args.map((x) => evaluate(x, value, moment)),
      );
    case 'der':
    case 'pre':
    case 'time':
    case 'initial':
    case 'terminal':
    case 'sample':
    case 'delay':
      return moment(e);
    default:
      return applyBinary(e.op, evaluate(e.a, value, moment), evaluate(e.b, value, moment));
  }
}

/** Straight between the points of a table, level outside them; or how steep it is there. */
export function lookUp(x: ArrayLike<number>, y: ArrayLike<number>, at: number, slope: boolean): number {
  const n = x.length;
  if (!(at > x[0])) return slope ? 0 : Number.isNaN(at) ? NaN : y[0];
  if (at >= x[n - 1]) return slope ? 0 : y[n - 1];
  let low = 0,
    high = n - 1;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (x[middle] <= at) low = middle;
    else high = middle;
  }
  const steep = (y[high] - y[low]) / (x[high] - x[low]);
  return slope ? steep : y[low] + steep * (at - x[low]);
}

/** A comparison of two values. */
export type FlatRelation = PairExpr & { readonly op: RelationOp };
export const asRelation = (e: FlatExpr): FlatRelation | undefined =>
  isRelation(e.op) ? (e as FlatRelation) : undefined;
