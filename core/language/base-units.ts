import type { Expr, RefExpr } from './ast';
import { describeUnit, dimensionless, sameUnit, unitOrUndefined, convertValue, type Unit } from './units';

/** The unit of the same dimension in which no factors are needed: kg.m2/s3 for kW. */
export const baseUnit = (unit: Unit): Unit => ({ ...unit, scale: 1, offset: 0 });

/**
 * An expression over quantities in any units, as one over their values in base units: each quantity is converted where it
 * stands, so that formulas can be written as they stand in a book.
 */
export function inBaseUnits(e: Expr, unitOf: (ref: RefExpr) => string | undefined): Expr {
  const visit = (x: Expr): Expr => {
    switch (x.kind) {
      case 'ref': {
        const unit = unitOrUndefined(unitOf(x));
        if (!unit || (unit.scale === 1 && unit.offset === 0)) return x;
        const base = baseUnit(unit);
        const to = sameUnit(base, dimensionless) ? '1' : describeUnit(base);
        return {
          kind: 'call',
          callee: 'convert',
          calleeSpan: x.span,
          args: [x, { kind: 'string', value: to, span: x.span }],
          named: [],
          span: x.span,
        };
      }
      case 'number': {
        const unit = unitOrUndefined(x.unit);
        return unit
          ? { ...x, value: convertValue(x.value, unit, baseUnit(unit)), unit: describeUnit(baseUnit(unit)) }
          : x;
      }
      case 'unary':
        return { ...x, operand: visit(x.operand) };
      case 'binary':
        return { ...x, left: visit(x.left), right: visit(x.right) };
      case 'if':
        return {
          ...x,
          branches: x.branches.map((b) => ({ condition: visit(b.condition), value: visit(b.value) })),
          otherwise: visit(x.otherwise),
        };
      case 'call':
        // a conversion somebody wrote changes the number, not what it stands for
        return x.callee === 'convert' && x.args.length === 2
          ? visit(x.args[0])
          : { ...x, args: x.args.map(visit), named: x.named.map((n) => ({ ...n, value: visit(n.value) })) };
      case 'array':
        return { ...x, elements: x.elements.map(visit) };
      case 'comprehension':
        return { ...x, body: visit(x.body) };
      default:
        return x;
    }
  };
  return visit(e);
}
