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

/** The same expression with those directly inside it made anew. */
export function mapParts(e: Expr, f: (x: Expr) => Expr): Expr {
  switch (e.kind) {
    case 'ref':
      return { ...e, parts: e.parts.map((p) => ({ ...p, subscripts: p.subscripts.map(f) })) };
    case 'call':
      return { ...e, args: e.args.map(f), named: e.named.map((n) => ({ ...n, value: f(n.value) })) };
    case 'unary':
      return { ...e, operand: f(e.operand) };
    case 'binary':
      return { ...e, left: f(e.left), right: f(e.right) };
    case 'if':
      return {
        ...e,
        branches: e.branches.map((b) => ({ condition: f(b.condition), value: f(b.value) })),
        otherwise: f(e.otherwise),
      };
    case 'array':
    case 'tuple':
      return { ...e, elements: e.elements.map(f) };
    case 'comprehension':
      return {
        ...e,
        body: f(e.body),
        iterators: e.iterators.map((i) => (i.range ? { ...i, range: f(i.range) } : i)),
      };
    case 'range':
      return { ...e, start: f(e.start), ...(e.step && { step: f(e.step) }), stop: f(e.stop) };
    default:
      return e;
  }
}
