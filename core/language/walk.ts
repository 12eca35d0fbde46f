import type { Expr } from './ast';

/** The expressions directly inside an expression. */
export function partsOf(e: Expr): readonly Expr[] {
  switch (e.kind) {
    case 'ref':
      return e.parts.flatMap((p) => p.subscripts);
    case 'call':
      return [...e.args, ...e.named.map((n) => n.value)];
    case 'unary':
      return [e.operand];
    case 'binary':
      return [e.left, e.right];
    case 'if':
      return [...e.branches.flatMap((b) => [b.condition, b.value]), e.otherwise];
    case 'array':
    case 'tuple':
      return e.elements;
    case 'comprehension':
      return [e.body, ...e.iterators.flatMap((i) => (i.range ? [i.range] : []))];
    case 'range':
      return e.step ? [e.start, e.step, e.stop] : [e.start, e.stop];
    default:
      return [];
  }
}

/** Calls `visit` on an expression and everything in it. */
export function walkExpression(e: Expr, visit: (x: Expr) => void): void {
  visit(e);
  for (const x of partsOf(e)) walkExpression(x, visit);
}
