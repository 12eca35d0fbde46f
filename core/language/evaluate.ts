import type { Expr } from './ast';
import { printExpression } from './print';
import { table } from './table';
import { unitOrUndefined } from './units';

/** Values by how they are written. */
export type Environment = (text: string) => number;

/** A formula over given values, in SI units; no number where it is more than arithmetic of what is given. */
export function evaluate(e: Expr, env: Environment = () => NaN, t = NaN): number {
  const go = (x: Expr): number => evaluate(x, env, t);
  switch (e.kind) {
    case 'number': {
      const unit = unitOrUndefined(e.unit);
      return unit ? e.value * unit.scale + unit.offset : e.value;
    }
    case 'boolean':
      return e.value ? 1 : 0;
    case 'ref':
      return e.parts.at(-1)!.name === 'time' ? t : env(printExpression(e));
    case 'unary':
      return e.op === 'not' ? (go(e.operand) ? 0 : 1) : e.op === '-' ? -go(e.operand) : go(e.operand);
    case 'call': {
      if (e.callee === 'in') return env(printExpression(e));
      const args = e.args.map(go);
      const known: Readonly<Record<string, (...x: number[]) => number>> = table({
        abs: Math.abs,
        min: Math.min,
        max: Math.max,
        sqrt: Math.sqrt,
      });
      return known[e.callee]?.(...args) ?? NaN;
    }
    case 'binary': {
      const [a, b] = [go(e.left), go(e.right)];
      switch (e.op) {
        case '+':
          return a + b;
        case '-':
          return a - b;
        case '*':
          return a * b;
        case '/':
          return a / b;
        case '^':
          return a ** b;
        case '<':
          return Number(a < b);
        case '<=':
          return Number(a <= b);
        case '>':
          return Number(a > b);
        case '>=':
          return Number(a >= b);
        case '==':
          return Number(a === b);
        case '<>':
          return Number(a !== b);
        case 'and':
          return Number(a !== 0 && b !== 0);
        case 'or':
          return Number(a !== 0 || b !== 0);
        default:
          return NaN;
      }
    }
    default:
      return NaN;
  }
}
