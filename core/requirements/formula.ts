import type { BinaryExpr, CallExpr, Expr } from '../language/ast';
import { problem, type Problem } from '../language/diagnostics';
import { parseExpressionText } from '../language/parse';
import { convertValue, unitOrUndefined } from '../language/units';

/**
 * The formula of a limit, taken apart into what a monitor watches:
 * `always(p)`, `always(implies(c, p))` and `always(implies(rising(e), within(T, p)))`.
 */
export interface LimitFormula {
  readonly kind: 'invariant' | 'response';
  /** While this holds the predicate must hold; undefined: always. For a response, what starts the clock. */
  readonly condition?: Expr;
  readonly predicate: Expr;
  /** Distance to the limit, positive where the predicate holds; undefined where it has none. */
  readonly margin?: Expr;
  /** Unit in which the margin is told: that of the limit. */
  readonly unit: string;
  readonly strict: boolean;
  /** Seconds a response may take. */
  readonly within: number;
  readonly withinUnit: string;
}

export interface ReadFormula {
  readonly formula: LimitFormula | undefined;
  readonly problems: readonly Problem[];
}

const isCall = (e: Expr, name: string, count: number): e is CallExpr => e.kind === 'call' && e.callee === name && e.args.length === count;

export function readFormula(text: string): ReadFormula {
  const parsed = parseExpressionText(text);
  if (parsed.problems.length > 0) return { formula: undefined, problems: parsed.problems };
  const problems: Problem[] = [];
  const wrong = (e: Expr, message: string): undefined => {
    problems.push(problem('error', 'formula', message, e.span));
    return undefined;
  };
  const body = isCall(parsed.value, 'always', 1) ? parsed.value.args[0] : parsed.value;
  const formula = readBody(body, wrong);
  return { formula: problems.length > 0 ? undefined : formula, problems };
}

function readBody(e: Expr, wrong: (e: Expr, message: string) => undefined): LimitFormula | undefined {
  if (!isCall(e, 'implies', 2)) {
    if (isCall(e, 'within', 2)) return wrong(e, 'within counts from a moment: write implies(rising(event), within(time, condition))');
    return predicateFormula(e, { kind: 'invariant', within: 0, withinUnit: '' }, wrong);
  }
  const [condition, consequence] = e.args;
  if (isCall(consequence, 'within', 2)) {
    if (!isCall(condition, 'rising', 1)) return wrong(condition, 'Before within stands the moment that starts the clock: rising(event)');
    const time = consequence.args[0];
    const unit = time.kind === 'number' ? unitOrUndefined(time.unit) : undefined;
    const second = unitOrUndefined('s')!;
    if (time.kind !== 'number' || (time.unit !== undefined && (!unit || unit.dimension.some((x, k) => x !== second.dimension[k])))) {
      return wrong(time, "within needs a time, such as 200 'ms'");
    }
    const within = unit ? convertValue(time.value, unit, second) : time.value;
    return predicateFormula(consequence.args[1], { kind: 'response', condition: condition.args[0], within, withinUnit: time.unit ?? 's' }, wrong);
  }
  if (isCall(condition, 'rising', 1)) return wrong(e, 'After rising(event) stands within(time, condition)');
  return predicateFormula(consequence, { kind: 'invariant', condition, within: 0, withinUnit: '' }, wrong);
}

const temporal = new Set(['always', 'eventually', 'implies', 'within', 'until', 'throughout']);

function predicateFormula(
  predicate: Expr, base: Pick<LimitFormula, 'kind' | 'condition' | 'within' | 'withinUnit'>, wrong: (e: Expr, message: string) => undefined,
): LimitFormula | undefined {
  const nested = findTemporal(predicate);
  if (nested) return wrong(nested, `${nested.callee} cannot stand inside a condition yet`);
  const margin = marginOf(predicate);
  return { ...base, predicate, ...(margin && { margin: margin.expr }), unit: margin?.unit ?? '', strict: margin?.strict ?? false };
}

function findTemporal(e: Expr): CallExpr | undefined {
  if (e.kind === 'call') return temporal.has(e.callee) ? e : e.args.map(findTemporal).find((x) => x);
  if (e.kind === 'binary') return findTemporal(e.left) ?? findTemporal(e.right);
  if (e.kind === 'unary') return findTemporal(e.operand);
  return undefined;
}

/** The signed distance to a limit (the quantitative semantics of signal temporal logic; Donze and Maler 2010). */
function marginOf(e: Expr): { expr: Expr; unit: string; strict: boolean } | undefined {
  if (e.kind !== 'binary') return undefined;
  const { span } = e;
  const unitOf = (x: BinaryExpr): string =>
    (x.right.kind === 'number' ? x.right.unit : undefined) ?? (x.left.kind === 'number' ? x.left.unit : undefined) ?? '';
  const difference = (left: Expr, right: Expr): Expr => ({ kind: 'binary', op: '-', left, right, span });
  switch (e.op) {
    case '<': case '<=':
      return { expr: difference(e.right, e.left), unit: unitOf(e), strict: e.op === '<' };
    case '>': case '>=':
      return { expr: difference(e.left, e.right), unit: unitOf(e), strict: e.op === '>' };
    case 'and': case 'or': {
      const [a, b] = [marginOf(e.left), marginOf(e.right)];
      if (!a || !b) return undefined;
      const callee = e.op === 'and' ? 'min' : 'max';
      return { expr: { kind: 'call', callee, calleeSpan: span, args: [a.expr, b.expr], named: [], span }, unit: a.unit || b.unit, strict: a.strict || b.strict };
    }
    default:
      return undefined;
  }
}
