import type { Expr } from '../language/ast';
import { problem } from '../language/diagnostics';
import { printExpression } from '../language/print';
import type { Builder } from './builder';
import { isRelation, operands, type FlatExpr } from './flat-expression';
import type { Scope } from './instance';
import { isArray, isRecord, type Value } from './values';

type Kind = 'truth' | 'number';

/** Whether an expression is a truth value or a number; undefined where it may be either. */
export function kindOf(b: Builder, e: FlatExpr, source: Expr | undefined): Kind | undefined {
  if (isRelation(e.op)) return 'truth';
  switch (e.op) {
    case 'const':
      return source?.kind === 'number' ? 'number' : source?.kind === 'boolean' ? 'truth' : undefined;
    case 'var':
    case 'pre': {
      const { type } = b.variables[e.index];
      return type === 'Boolean' ? 'truth' : type === 'enumeration' || type === 'String' ? undefined : 'number';
    }
    case 'and':
    case 'or':
    case 'not':
    case 'initial':
    case 'terminal':
    case 'sample':
      return 'truth';
    case 'noEvent':
      return kindOf(b, e.a, undefined);
    case 'if':
      return kindOf(b, e.a, undefined) ?? kindOf(b, e.b, undefined);
    default:
      return 'number';
  }
}

const wholes = new Set(['floor', 'ceil', 'integer', 'sign', 'div']);

/** Whether a number may lie between whole ones. */
function mayBeBroken(b: Builder, e: FlatExpr): boolean {
  switch (e.op) {
    case 'const':
      return Number.isFinite(e.value) && !Number.isInteger(e.value);
    case 'var':
    case 'pre':
      return b.variables[e.index].type === 'Real';
    case 'time':
    case 'der':
    case 'div':
    case 'table':
    case 'delay':
      return true;
    case 'if':
      return mayBeBroken(b, e.a) || mayBeBroken(b, e.b);
    case 'fn':
      return (
        !wholes.has(e.name) &&
        (e.args.some((x) => mayBeBroken(b, x)) || !['abs', 'min', 'max', 'mod', 'rem'].includes(e.name))
      );
    default:
      return operands(e).some((x) => mayBeBroken(b, x));
  }
}

const named: Record<Kind, string> = { truth: 'true or false', number: 'a number' };
const first = (v: Value): FlatExpr | undefined =>
  isRecord(v) ? undefined : isArray(v) ? (v.length > 0 ? first(v[0]) : undefined) : v;

/** Tells where truth values and numbers are set equal, and where a whole number is given what need not be one. */
export function checkKinds(
  b: Builder,
  left: Value,
  leftSource: Expr | undefined,
  right: Value,
  rightSource: Expr,
  scope: Scope,
  name = leftSource ? printExpression(leftSource) : '',
): void {
  const [l, r] = [first(left), first(right)];
  if (!l || !r) return;
  const [kl, kr] = [kindOf(b, l, leftSource), kindOf(b, r, rightSource)];
  if (kl && kr && kl !== kr) {
    b.report(
      scope.place,
      problem(
        'error',
        'kind',
        `${name} is ${named[kl]}, but ${printExpression(rightSource)} is ${named[kr]}`,
        rightSource.span,
      ),
    );
  } else if (l.op === 'var' && b.variables[l.index].type === 'Integer' && mayBeBroken(b, r)) {
    b.report(
      scope.place,
      problem(
        'warning',
        'kind',
        `${name} is a whole number, but ${printExpression(rightSource)} need not be one: integer(...) makes it one`,
        rightSource.span,
      ),
    );
  }
}

/** Tells where a number stands in place of a condition. */
export function checkCondition(b: Builder, condition: FlatExpr, source: Expr, scope: Scope): void {
  if (kindOf(b, condition, source) === 'number')
    b.report(
      scope.place,
      problem('error', 'kind', `${printExpression(source)} is a number, but a condition is true or false`, source.span),
    );
}
