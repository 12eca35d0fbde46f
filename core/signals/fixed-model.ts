import type { CallExpr, Expr } from '../language/ast';
import { printExpression } from '../language/print';
import { mapParts } from '../language/walk';
import { nowhere } from '../language/make';
import type { PartType } from '../project/document';
import { eachName, type Estimator } from './estimators';
import { readLines, type BlockLine } from './sheet-lines';

/**
 * What an estimator has learnt by a moment as a model of its own: the sum that it fits, solved for one of the quantities in it. It is fed
 * what it gave itself at earlier ticks in place of what was measured of that quantity (simulation instead of prediction: Ljung 1999,
 * section 3.2), so that a model that only follows because it is told the truth at each tick does not look right.
 */
export interface FixedModel {
  readonly name: string;
  /** The line: `name = formula`. */
  readonly text: string;
}

/** A formula as a times a quantity plus b; numbers that are 0 or 1 fall away when it is put together. */
interface Linear {
  readonly a: Expr;
  readonly b: Expr;
}

class NotLinear extends Error {}

export function fixedModel(
  type: PartType,
  estimator: Estimator,
  values: readonly { readonly value: number; readonly unit: string }[],
  output: string,
  name: string,
): FixedModel | { readonly why: string } {
  const { measured, regressors, line } = estimator;
  if (estimator.kind !== 'leastSquares') return { why: 'Only what least squares found is kept as a model' };
  if (!measured || !regressors || regressors.length !== values.length)
    return { why: `The regressors of ${estimator.name} are not written as a list: {a, b}` };
  const lines = new Map(readLines(type, line.sheet, []).map((l) => [l.name, l]));
  try {
    const of = (e: Expr): Linear => linearIn(e, output, name, lines, []);
    const sum = values.reduce<Linear>(
      (s, { value, unit }, k) => {
        const x = of(regressors[k]);
        const by = number(Number(value.toPrecision(7)), unit);
        return { a: plus(s.a, times(by, x.a)), b: plus(s.b, times(by, x.b)) };
      },
      { a: number(0), b: number(0) },
    );
    const y = of(measured);
    const [top, bottom] = isZero(y.a)
      ? [minus(y.b, sum.b), sum.a]
      : isZero(sum.a)
        ? [minus(sum.b, y.b), y.a]
        : [minus(y.b, sum.b), minus(sum.a, y.a)];
    if (isZero(bottom))
      return { why: `${output} is not in ${estimator.name} at the tick itself: nothing to solve for` };
    return { name, text: `${name} = ${printExpression(over(top, bottom))}` };
  } catch (e) {
    if (e instanceof NotLinear) return { why: e.message };
    throw e;
  }
}

/** What a model of a quantity is called; by that it is known again. Further ones have a number behind it. */
export const ownName = (output: string): string => `${output.replace(/\W+/g, '_')}Fixed`;
export const isModelOf = (output: string, line: string): boolean =>
  line.startsWith(ownName(output)) && /^\d*$/.test(line.slice(ownName(output).length));

function linearIn(
  e: Expr,
  output: string,
  own: string,
  lines: ReadonlyMap<string, BlockLine>,
  inside: readonly string[],
): Linear {
  const again = (x: Expr): Linear => linearIn(x, output, own, lines, inside);
  if (!dependsOn(e, output, lines)) return { a: number(0), b: e };
  switch (e.kind) {
    case 'ref': {
      const name = nameOf(e);
      if (name === output) return { a: number(1), b: number(0) };
      const l = lines.get(name);
      if (!l) break;
      if (inside.includes(name)) throw new NotLinear(`${name} goes round through itself`);
      return linearIn(l.expr, output, own, lines, [...inside, name]);
    }
    case 'unary':
      if (e.op === 'not') break;
      return e.op === '+' ? again(e.operand) : scaled(again(e.operand), number(-1));
    case 'binary': {
      if (e.op === '+' || e.op === '-') {
        const [l, r] = [again(e.left), again(e.right)];
        const put = e.op === '+' ? plus : minus;
        return { a: put(l.a, r.a), b: put(l.b, r.b) };
      }
      const [inLeft, inRight] = [e.left, e.right].map((x) => dependsOn(x, output, lines));
      if (e.op === '*' && !(inLeft && inRight))
        return inLeft ? scaled(again(e.left), e.right) : scaled(again(e.right), e.left);
      if (e.op === '/' && !inRight) {
        const { a, b } = again(e.left);
        return { a: over(a, e.right), b: over(b, e.right) };
      }
      break;
    }
    case 'call': {
      if (e.callee === 'delayBy' && isBack(e)) return { a: number(0), b: withOwn(e, output, own, lines, inside) };
      if (e.callee === 'difference' && e.args.length === 1 && e.named.length === 0) {
        const u = again(e.args[0]);
        const before = call('delayBy', withOwn(e.args[0], output, own, lines, inside));
        return { a: u.a, b: minus(u.b, before) };
      }
      break;
    }
    default:
  }
  throw new NotLinear(
    `${printExpression(e).slice(0, 60)} cannot be solved for ${output}: sums, products by what does not depend on it, difference and delayBy can`,
  );
}

/** A delay of one tick or more, as a number. */
function isBack(e: CallExpr): boolean {
  const n = e.args[1] ?? e.named.find((x) => x.name === 'n')?.value;
  return n === undefined || (n.kind === 'number' && n.value >= 1);
}

const nameOf = (e: Expr & { kind: 'ref' }): string => e.parts.map((p) => p.name).join('.');

function dependsOn(
  e: Expr,
  output: string,
  lines: ReadonlyMap<string, BlockLine>,
  seen: Set<string> = new Set(),
): boolean {
  let found = false;
  eachName(e, (name) => {
    if (name === output) found = true;
    const l = lines.get(name);
    if (!l || found || seen.has(name)) return;
    seen.add(name);
    found = dependsOn(l.expr, output, lines, seen);
  });
  return found;
}

/** With the model's own output in place of what was measured; lines on the way are written out. */
function withOwn(
  e: Expr,
  output: string,
  own: string,
  lines: ReadonlyMap<string, BlockLine>,
  inside: readonly string[],
): Expr {
  if (!dependsOn(e, output, lines)) return e;
  if (e.kind === 'ref') {
    const name = nameOf(e);
    if (name === output) return { ...e, parts: [{ name: own, subscripts: [], span: nowhere }] };
    if (inside.includes(name)) throw new NotLinear(`${name} goes round through itself`);
    return withOwn(lines.get(name)!.expr, output, own, lines, [...inside, name]);
  }
  return mapParts(e, (x) => withOwn(x, output, own, lines, inside));
}

const number = (value: number, unit = ''): Expr => ({
  kind: 'number',
  value,
  span: nowhere,
  ...(unit !== '' && { unit }),
});
const call = (callee: string, ...args: Expr[]): Expr => ({
  kind: 'call',
  callee,
  calleeSpan: nowhere,
  args,
  named: [],
  span: nowhere,
});
const isNumber = (e: Expr, value: number): boolean =>
  e.kind === 'number' && e.value === value && (value === 0 || e.unit === undefined);
const isZero = (e: Expr): boolean => isNumber(e, 0);
const binary = (op: '+' | '-' | '*' | '/', left: Expr, right: Expr): Expr => {
  if (left.kind === 'number' && right.kind === 'number' && left.unit === undefined && right.unit === undefined) {
    const [x, y] = [left.value, right.value];
    return number(op === '+' ? x + y : op === '-' ? x - y : op === '*' ? x * y : x / y);
  }
  return { kind: 'binary', op, left, right, span: nowhere };
};
/** `a + -2*b` is written `a - 2*b`. */
const opposite = (e: Expr): Expr | undefined =>
  e.kind === 'number' && e.value < 0
    ? { ...e, value: -e.value }
    : e.kind === 'unary' && e.op === '-'
      ? e.operand
      : e.kind === 'binary' && (e.op === '*' || e.op === '/')
        ? ((l) => l && { ...e, left: l })(opposite(e.left))
        : undefined;
const plus = (x: Expr, y: Expr): Expr => {
  if (isZero(x) || isZero(y)) return isZero(x) ? y : x;
  const less = opposite(y);
  return less ? binary('-', x, less) : binary('+', x, y);
};
const minus = (x: Expr, y: Expr): Expr =>
  isZero(y) ? x : isZero(x) ? negated(y) : opposite(y) ? binary('+', x, opposite(y)!) : binary('-', x, y);
const negated = (e: Expr): Expr => opposite(e) ?? { kind: 'unary', op: '-', operand: e, span: nowhere };
function times(x: Expr, y: Expr): Expr {
  if (isZero(x) || isZero(y)) return number(0);
  if (isNumber(x, 1)) return y;
  if (isNumber(y, 1)) return x;
  if (isNumber(x, -1)) return negated(y);
  if (y.kind === 'unary' && y.op === '-') return negated(times(x, y.operand));
  // a number times (1/T)
  if (x.kind === 'number' && y.kind === 'binary' && y.op === '/' && isNumber(y.left, 1)) return over(x, y.right);
  return binary('*', x, y);
}
function over(x: Expr, y: Expr): Expr {
  if (isZero(x)) return number(0);
  if (isNumber(y, 1)) return x;
  if (x.kind === 'unary' && x.op === '-') return negated(over(x.operand, y));
  return binary('/', x, y);
}
const scaled = ({ a, b }: Linear, by: Expr): Linear => ({ a: times(by, a), b: times(by, b) });
