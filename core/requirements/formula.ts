import { table } from '../language/table';
import type { BinaryExpr, CallExpr, Expr } from '../language/ast';
import { problem, type Problem, type Span } from '../language/diagnostics';
import { parseExpressionText } from '../language/parse';
import { convertValue, unitOrUndefined } from '../language/units';

/**
 * The formula of a limit as a tree: signal temporal logic (Maler and Nickovic 2004) over conditions of the model, with
 * past-time values such as counts and averages. Times are in seconds. What has no temporal operator in it is a `state`
 * condition, which the model itself watches, exactly at events.
 */
export type Formula =
  | { readonly kind: 'state'; readonly expr: Expr; readonly span: Span }
  | {
      readonly kind: 'compare';
      readonly op: Comparison;
      readonly left: FormulaValue;
      readonly right: FormulaValue;
      readonly expr: Expr;
      readonly span: Span;
    }
  | { readonly kind: 'not' | 'rising' | 'falling'; readonly a: Formula; readonly span: Span }
  | { readonly kind: 'and' | 'or' | 'implies'; readonly a: Formula; readonly b: Formula; readonly span: Span }
  /** From `seconds` after the last moment the event happened on. */
  | { readonly kind: 'after'; readonly seconds: number; readonly event: Formula; readonly span: Span }
  | {
      readonly kind: 'always' | 'eventually';
      readonly from: number;
      readonly to: number;
      readonly a: Formula;
      readonly span: Span;
    }
  | { readonly kind: 'until'; readonly to: number; readonly a: Formula; readonly b: Formula; readonly span: Span }
  | { readonly kind: 'atEnd'; readonly a: Formula; readonly span: Span };

export type Comparison = '<' | '<=' | '>' | '>=' | '==' | '<>';

/** A number at every moment, made of what has been seen so far. */
export type FormulaValue =
  | { readonly kind: 'number'; readonly value: number; readonly unit: string | undefined }
  | { readonly kind: 'signal'; readonly expr: Expr }
  | {
      readonly kind: 'arithmetic';
      readonly op: '+' | '-' | '*' | '/';
      readonly a: FormulaValue;
      readonly b: FormulaValue;
    }
  | { readonly kind: 'abs' | 'negate'; readonly a: FormulaValue }
  | { readonly kind: 'count'; readonly window: number; readonly event: Formula }
  | { readonly kind: 'rate'; readonly event: Formula }
  | {
      readonly kind: Statistic;
      readonly window: number;
      readonly during: Formula | undefined;
      readonly of: FormulaValue;
    }
  | { readonly kind: 'at'; readonly event: Formula | undefined; readonly of: FormulaValue }
  | { readonly kind: 'duration'; readonly of: Formula };

export type Statistic = 'average' | 'rms' | 'highest' | 'lowest';

export interface ReadFormula {
  readonly formula: Formula | undefined;
  readonly problems: readonly Problem[];
}

/** Operators of limits with what stands in their brackets; the documentation and the editor list them from here. */
export const limitOperators: Readonly<Record<string, { readonly forms: readonly string[]; readonly meaning: string }>> =
  table({
    always: {
      forms: ['always(p)', 'always(from, to, p)'],
      meaning: 'p holds at every moment, or at every moment of the span that begins now',
    },
    eventually: {
      forms: ['eventually(p)', 'eventually(from, to, p)'],
      meaning: 'p holds at some moment, or at some moment of the span',
    },
    within: { forms: ['within(T, p)'], meaning: 'p holds at some moment of the next T' },
    throughout: { forms: ['throughout(T, p)'], meaning: 'p holds during all of the next T' },
    until: { forms: ['until(p, q)', 'until(T, p, q)'], meaning: 'q comes to hold (within T), and p holds up to then' },
    implies: { forms: ['implies(p, q)'], meaning: 'where p holds, q holds' },
    rising: { forms: ['rising(p)'], meaning: 'the moment p comes to hold' },
    falling: { forms: ['falling(p)'], meaning: 'the moment p ceases to hold' },
    after: { forms: ['after(T, p)'], meaning: 'p came to hold T ago or earlier; it counts anew each time' },
    atEnd: { forms: ['atEnd(p)'], meaning: 'p holds when the run ends' },
    count: { forms: ['count(p)', 'count(T, p)'], meaning: 'how often p came to hold, in all or in the last T' },
    rate: { forms: ['rate(p)'], meaning: 'how often p came to hold, per time' },
    average: { forms: ['average(x)', 'average(T, x)'], meaning: 'mean over time, of all or of the last T' },
    rms: { forms: ['rms(x)', 'rms(T, x)'], meaning: 'root of the mean square' },
    highest: { forms: ['highest(x)', 'highest(T, x)'], meaning: 'greatest value so far, or of the last T' },
    lowest: { forms: ['lowest(x)', 'lowest(T, x)'], meaning: 'least value so far, or of the last T' },
    averageDuring: { forms: ['averageDuring(p, x)'], meaning: 'mean over the time in which p holds' },
    rmsDuring: { forms: ['rmsDuring(p, x)'], meaning: 'root of the mean square over the time in which p holds' },
    at: { forms: ['at(p, x)', 'at(x)'], meaning: 'value of x when p last came to hold, or at the start' },
    duration: { forms: ['duration(p)'], meaning: 'how long p has held without a break' },
  });

class Wrong extends Error {
  constructor(
    message: string,
    readonly span: Span,
  ) {
    super(message);
  }
}

/** Reads a formula; every operator is told what it lacks at its place. */
export function readFormula(text: string): ReadFormula {
  const parsed = parseExpressionText(text);
  if (parsed.problems.length > 0) return { formula: undefined, problems: parsed.problems };
  try {
    return { formula: formulaOf(parsed.value), problems: [] };
  } catch (error) {
    if (!(error instanceof Wrong)) throw error;
    return { formula: undefined, problems: [problem('error', 'formula', error.message, error.span)] };
  }
}

function hasOperator(e: Expr): boolean {
  switch (e.kind) {
    case 'call':
      return e.callee in limitOperators || e.args.some(hasOperator);
    case 'binary':
      return hasOperator(e.left) || hasOperator(e.right);
    case 'unary':
      return hasOperator(e.operand);
    case 'if':
      return hasOperator(e.otherwise) || e.branches.some((b) => hasOperator(b.condition) || hasOperator(b.value));
    default:
      return false;
  }
}

const relations: ReadonlySet<string> = new Set(['<', '<=', '>', '>=', '==', '<>']);

function formulaOf(e: Expr): Formula {
  const { span } = e;
  if (!hasOperator(e)) return { kind: 'state', expr: e, span };
  if (e.kind === 'unary' && e.op === 'not') return { kind: 'not', a: formulaOf(e.operand), span };
  if (e.kind === 'binary' && (e.op === 'and' || e.op === 'or'))
    return { kind: e.op, a: formulaOf(e.left), b: formulaOf(e.right), span };
  if (e.kind === 'binary' && relations.has(e.op)) {
    return { kind: 'compare', op: e.op as Comparison, left: valueOf(e.left), right: valueOf(e.right), expr: e, span };
  }
  if (e.kind === 'call') return operatorOf(e);
  throw new Wrong('A condition is expected here: something that holds or does not', span);
}

function operatorOf(e: CallExpr): Formula {
  const { callee, args, span } = e;
  const form = limitOperators[callee]?.forms ?? [];
  const wants = (...counts: number[]): void => {
    if (!counts.includes(args.length)) throw new Wrong(`Write ${form.join(' or ')}`, span);
  };
  switch (callee) {
    case 'always':
    case 'eventually':
      wants(1, 3);
      if (args.length === 1) return { kind: callee, from: 0, to: Infinity, a: formulaOf(args[0]), span };
      return { kind: callee, ...spanOfTime(args[0], args[1]), a: formulaOf(args[2]), span };
    case 'within':
    case 'throughout':
      wants(2);
      return {
        kind: callee === 'within' ? 'eventually' : 'always',
        from: 0,
        to: timeOf(args[0]),
        a: formulaOf(args[1]),
        span,
      };
    case 'until': {
      wants(2, 3);
      const [a, b] = args.slice(-2).map(formulaOf);
      return { kind: 'until', to: args.length === 3 ? timeOf(args[0]) : Infinity, a, b, span };
    }
    case 'implies':
      wants(2);
      return { kind: 'implies', a: formulaOf(args[0]), b: formulaOf(args[1]), span };
    case 'rising':
    case 'falling':
      wants(1);
      return { kind: callee, a: pastOf(args[0]), span };
    case 'after':
      wants(2);
      return { kind: 'after', seconds: timeOf(args[0]), event: pastOf(args[1]), span };
    case 'atEnd':
      wants(1);
      return { kind: 'atEnd', a: pastOf(args[0]), span };
    default:
      throw new Wrong(
        callee in limitOperators
          ? `${callee} is a number: compare it with a limit, as in ${form[0]} <= 3`
          : `${callee} cannot be used around always, within and the like`,
        span,
      );
  }
}

/** What counts and averages look at must be known at once: nothing about the time to come. */
function pastOf(e: Expr): Formula {
  const formula = formulaOf(e);
  const ahead = findAhead(formula);
  if (ahead)
    throw new Wrong('This looks ahead in time and cannot stand here: only what is known at the moment can', ahead.span);
  return formula;
}

function findAhead(f: Formula): Formula | undefined {
  switch (f.kind) {
    case 'always':
    case 'eventually':
    case 'until':
    case 'atEnd':
      return f;
    case 'not':
    case 'rising':
    case 'falling':
      return findAhead(f.a);
    case 'and':
    case 'or':
    case 'implies':
      return findAhead(f.a) ?? findAhead(f.b);
    default:
      return undefined;
  }
}

function valueOf(e: Expr): FormulaValue {
  if (e.kind === 'number') return { kind: 'number', value: e.value, unit: e.unit };
  if (!hasOperator(e)) return { kind: 'signal', expr: e };
  if (e.kind === 'unary' && e.op === '-') return { kind: 'negate', a: valueOf(e.operand) };
  if (e.kind === 'binary' && ['+', '-', '*', '/'].includes(e.op))
    return { kind: 'arithmetic', op: e.op as '+', a: valueOf(e.left), b: valueOf(e.right) };
  if (e.kind !== 'call') throw new Wrong('This cannot be computed from what has been seen', e.span);
  const { callee, args, span } = e;
  const wants = (...counts: number[]): void => {
    if (!counts.includes(args.length)) throw new Wrong(`Write ${limitOperators[callee]!.forms.join(' or ')}`, span);
  };
  const window =
    args.length === 2 && !callee.endsWith('During') ? (): number => timeOf(args[0]) : (): number => Infinity;
  switch (callee) {
    case 'abs':
      return { kind: 'abs', a: valueOf(args[0]) };
    case 'count':
      wants(1, 2);
      return { kind: 'count', window: window(), event: pastOf(args.at(-1)!) };
    case 'rate':
      wants(1);
      return { kind: 'rate', event: pastOf(args[0]) };
    case 'average':
    case 'rms':
    case 'highest':
    case 'lowest':
      wants(1, 2);
      return { kind: callee, window: window(), during: undefined, of: valueOf(args.at(-1)!) };
    case 'averageDuring':
    case 'rmsDuring':
      wants(2);
      return {
        kind: callee === 'rmsDuring' ? 'rms' : 'average',
        window: Infinity,
        during: pastOf(args[0]),
        of: valueOf(args[1]),
      };
    case 'at':
      wants(1, 2);
      return { kind: 'at', event: args.length === 2 ? pastOf(args[0]) : undefined, of: valueOf(args.at(-1)!) };
    case 'duration':
      wants(1);
      return { kind: 'duration', of: pastOf(args[0]) };
    default:
      throw new Wrong(
        callee in limitOperators
          ? `${callee} is a condition, not a number`
          : `${callee} cannot be used around counts and averages`,
        span,
      );
  }
}

const second = unitOrUndefined('s')!;

function timeOf(e: Expr): number {
  const unit = e.kind === 'number' ? unitOrUndefined(e.unit) : undefined;
  if (
    e.kind !== 'number' ||
    (e.unit !== undefined && (!unit || unit.dimension.some((x, k) => x !== second.dimension[k])))
  ) {
    throw new Wrong("A time is expected here, such as 200 'ms'", e.span);
  }
  const seconds = unit ? Number(convertValue(e.value, unit, second).toPrecision(15)) : e.value;
  if (seconds < 0) throw new Wrong('A time of 0 s or more is expected here', e.span);
  return seconds;
}

function spanOfTime(a: Expr, b: Expr): { from: number; to: number } {
  const [from, to] = [timeOf(a), timeOf(b)];
  if (to < from) throw new Wrong('This span of time ends before it begins', b.span);
  return { from, to };
}

/** Every condition of the model in a formula, and every value that is compared or counted. */
export function eachExpression(f: Formula, take: (expr: Expr, isCondition: boolean) => void): void {
  const inside = (x: Formula): void => eachExpression(x, take);
  const value = (v: FormulaValue): void => {
    switch (v.kind) {
      case 'number':
        return;
      case 'signal':
        return take(v.expr, false);
      case 'arithmetic':
        value(v.a);
        return value(v.b);
      case 'abs':
      case 'negate':
        return value(v.a);
      case 'count':
      case 'rate':
        return inside(v.event);
      case 'average':
      case 'rms':
      case 'highest':
      case 'lowest':
        if (v.during) inside(v.during);
        return value(v.of);
      case 'at':
        if (v.event) inside(v.event);
        return value(v.of);
      case 'duration':
        return inside(v.of);
    }
  };
  switch (f.kind) {
    case 'state':
      return take(f.expr, true);
    case 'compare':
      value(f.left);
      return value(f.right);
    case 'and':
    case 'or':
    case 'implies':
    case 'until':
      inside(f.a);
      return inside(f.b);
    case 'after':
      return inside(f.event);
    default:
      return inside(f.a);
  }
}

export interface MarginTerm {
  readonly expr: Expr;
  readonly unit: string;
}

/** The signed distance of a state condition to its limit (Donze and Maler 2010); undefined where it has none. */
export function marginOf(e: Expr): MarginTerm | undefined {
  const { span } = e;
  if (e.kind === 'unary' && e.op === 'not') {
    const inner = marginOf(e.operand);
    return inner && { expr: { kind: 'unary', op: '-', operand: inner.expr, span }, unit: inner.unit };
  }
  if (e.kind !== 'binary') return undefined;
  const difference = (left: Expr, right: Expr): Expr => ({ kind: 'binary', op: '-', left, right, span });
  switch (e.op) {
    case '<':
    case '<=':
      return { expr: difference(e.right, e.left), unit: unitOfRelation(e) };
    case '>':
    case '>=':
      return { expr: difference(e.left, e.right), unit: unitOfRelation(e) };
    case 'and':
    case 'or': {
      const [a, b] = [marginOf(e.left), marginOf(e.right)];
      if (!a || !b) return undefined;
      return {
        expr: {
          kind: 'call',
          callee: e.op === 'and' ? 'min' : 'max',
          calleeSpan: span,
          args: [a.expr, b.expr],
          named: [],
          span,
        },
        unit: a.unit || b.unit,
      };
    }
    default:
      return undefined;
  }
}

/** The unit in which the limit of a comparison is written. */
export const unitOfRelation = (x: BinaryExpr): string => literalUnit(x.right) ?? literalUnit(x.left) ?? '';

function literalUnit(e: Expr): string | undefined {
  if (e.kind === 'number') return e.unit;
  if (e.kind === 'unary') return literalUnit(e.operand);
  if (e.kind === 'binary' && (e.op === '+' || e.op === '-' || e.op === '*'))
    return literalUnit(e.left) ?? literalUnit(e.right);
  return undefined;
}

/** How a whole formula is decided over a run. */
export interface Obligation {
  /** `always`: at every moment; `eventually`: at some; `start`: as seen from the start; `end`: when the run ends. */
  readonly mode: 'always' | 'eventually' | 'start' | 'end';
  readonly body: Formula;
}

/** The parts of a formula that are decided on their own; a condition without any operator is meant at every moment. */
export function obligations(f: Formula): Obligation[] {
  if (f.kind === 'and') return [...obligations(f.a), ...obligations(f.b)];
  if (f.kind === 'always' && f.to === Infinity && f.from === 0)
    return f.a.kind === 'always' && f.a.to === Infinity ? obligations(f.a) : [{ mode: 'always', body: f.a }];
  if (f.kind === 'eventually' && f.to === Infinity && f.from === 0) return [{ mode: 'eventually', body: f.a }];
  if (f.kind === 'atEnd') return [{ mode: 'end', body: f.a }];
  if (f.kind === 'always' || f.kind === 'eventually' || f.kind === 'until') return [{ mode: 'start', body: f }];
  if (f.kind === 'compare' && (isSummary(f.left) || isSummary(f.right))) return [{ mode: 'end', body: f }];
  return [{ mode: 'always', body: f }];
}

/** A mean or rate over the whole run says something only when the run has ended. */
function isSummary(v: FormulaValue): boolean {
  switch (v.kind) {
    case 'rate':
      return true;
    case 'average':
    case 'rms':
      return v.window === Infinity;
    case 'arithmetic':
      return isSummary(v.a) || isSummary(v.b);
    case 'abs':
    case 'negate':
      return isSummary(v.a);
    default:
      return false;
  }
}
