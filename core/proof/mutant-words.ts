import type { BinaryExpr, Expr } from '../language/ast';
import type { Span } from '../language/diagnostics';

/** Where the sign of an operation stands between its two sides; undefined where more than it stands there, such as a remark. */
export function operandOf(whole: string, { op, left, right }: BinaryExpr): Span | undefined {
  const from = wholeSpan(whole, left).end;
  const between = whole.slice(from, wholeSpan(whole, right).start);
  if (between.trim() !== op) return undefined;
  const start = from + between.indexOf(op);
  return { start, end: start + op.length };
}

/** Where an operand stands, with the brackets that are its own: its node begins and ends inside them. */
export function wholeSpan(whole: string, e: Expr): Span {
  let { start, end } = e.span;
  if (e.kind === 'binary') {
    start = wholeSpan(whole, e.left).start;
    end = wholeSpan(whole, e.right).end;
  } else if (e.kind === 'unary') end = wholeSpan(whole, e.operand).end;
  for (;;) {
    const before = /\(\s*$/.exec(whole.slice(0, start));
    const after = /^\s*\)/.exec(whole.slice(end));
    if (!before || !after) return { start, end };
    start = before.index;
    end += after[0].length;
  }
}

/** Digits of a number that is counted, not measured. */
export const isWhole = (digits: string): boolean => /^\d+$/.test(digits);
