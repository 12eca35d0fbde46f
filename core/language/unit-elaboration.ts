import type { Expr } from './ast';
import { checkUnits, sameArgument, type UnitContext } from './unit-check';
import { planSum, settledUnit, type UnitKnowledge } from './unit-sums';
import { convertValue, sameDimension, sameUnit, unitOrUndefined, type Unit } from './units';

/**
 * Replaces numbers with a unit by plain numbers in the unit their context expects (that of the other side of a sum, a
 * comparison or an equation; coherent SI where the context has none), and `convert` by its arithmetic.
 */
export function elaborateUnits(e: Expr, context: UnitContext, expected?: Unit): Expr {
  const quiet = (): void => undefined;
  const knowledgeOf = (x: Expr): UnitKnowledge | undefined => checkUnits(x, context, quiet);
  /** The unit a value is in where none is wanted of it; undefined for numbers with units, which are in coherent ones then. */
  const unitOfExpr = (x: Expr): Unit | undefined => {
    const u = knowledgeOf(x);
    if (!u || !hasUnits(x)) return u?.unit;
    return u.floats ? { ...u.unit, offset: 0 } : settledUnit(u);
  };
  const visit = (x: Expr, want?: Unit): Expr => {
    if (!hasUnits(x)) return x;
    switch (x.kind) {
      case 'number': {
        const own = unitOrUndefined(x.unit);
        if (!own) return { kind: 'number', value: x.value, span: x.span };
        const target = want && sameDimension(want, own) ? want : { ...own, scale: 1, offset: 0 };
        return { kind: 'number', value: roundOff(convertValue(x.value, own, target)), span: x.span };
      }
      case 'unary': {
        // the sign belongs to the number before its scale is looked at: -40 'degF' is 40 below zero
        const number = signed(x);
        return number ? visit(number, want) : { ...x, operand: visit(x.operand, want) };
      }
      case 'binary': {
        if (/^\.?[+-]$/.test(x.op)) {
          const plan = planSum(x.op.endsWith('-'), knowledgeOf(x.left), knowledgeOf(x.right));
          const [left, right] = plan.take(want);
          return { ...x, left: visit(x.left, left), right: visit(x.right, right) };
        }
        if (!/^(<|<=|>|>=|==|<>)$/.test(x.op)) return { ...x, left: visit(x.left), right: visit(x.right) };
        const common = meetingUnit([x.left, x.right]);
        return { ...x, left: visit(x.left, common), right: visit(x.right, common) };
      }
      case 'if': {
        const common = meetingUnit([...x.branches.map((b) => b.value), x.otherwise], want);
        return {
          ...x,
          branches: x.branches.map((b) => ({
            condition: visit(b.condition),
            value: visit(b.value, common),
          })),
          otherwise: visit(x.otherwise, common),
        };
      }
      case 'call': {
        if (x.callee === 'convert' && x.args[1]?.kind === 'string') return conversion(x.args[0], x.args[1].value);
        if (x.callee === 'interpolate' && x.args.length === 3) {
          const [places, values, at] = x.args;
          return {
            ...x,
            args: [visit(places, unitOfExpr(at)), visit(values, want), visit(at, unitOfExpr(places))],
          };
        }
        const keeps = sameArgument.has(x.callee);
        const common = x.callee === 'min' || x.callee === 'max' ? meetingUnit(x.args, want) : keeps ? want : undefined;
        return {
          ...x,
          args: x.args.map((a) => visit(a, common)),
          named: x.named.map((n) => ({ ...n, value: visit(n.value) })),
        };
      }
      case 'array':
        return { ...x, elements: x.elements.map((y) => visit(y, want)) };
      case 'comprehension':
        return { ...x, body: visit(x.body, want) };
      case 'range':
        return { ...x, start: visit(x.start), stop: visit(x.stop), ...(x.step && { step: visit(x.step) }) };
      default:
        return x;
    }
  };
  /** The unit in which values meet: that of one which has it wherever it stands, or else the one that is wanted, as far as the scale is open. */
  const meetingUnit = (all: readonly Expr[], want?: Unit): Unit | undefined => {
    const settled = all.map((x) => (knowledgeOf(x)?.floats ? undefined : unitOfExpr(x))).find((u) => u);
    const scaled = all.map(unitOfExpr).find((u) => u);
    return settled ?? (want && scaled && sameUnit({ ...want, offset: 0 }, scaled) ? want : (scaled ?? want));
  };
  const conversion = (value: Expr, unitName: string): Expr => {
    const to = unitOrUndefined(unitName);
    const from = unitOfExpr(value) ?? (to && { ...to, scale: 1, offset: 0 });
    const inner = visit(value);
    if (!to || !from || !sameDimension(from, to) || sameUnit(from, to)) return inner;
    const span = value.span;
    const scaled: Expr = {
      kind: 'binary',
      op: '*',
      left: inner,
      right: { kind: 'number', value: from.scale / to.scale, span },
      span,
    };
    const shift = (from.offset - to.offset) / to.scale;
    return shift === 0
      ? scaled
      : { kind: 'binary', op: '+', left: scaled, right: { kind: 'number', value: shift, span }, span };
  };
  return visit(e, expected);
}

/** A number with its signs taken into it. */
function signed(e: Expr): Extract<Expr, { kind: 'number' }> | undefined {
  if (e.kind !== 'unary' || e.op === 'not') return e.kind === 'number' ? e : undefined;
  const inner = signed(e.operand);
  return inner && (e.op === '-' ? { ...inner, value: -inner.value } : inner);
}

/** Conversions such as 200 ms to 0.2 s should not show the last bit of a product. */
const roundOff = (value: number): number => Number(value.toPrecision(15));

function hasUnits(e: Expr): boolean {
  switch (e.kind) {
    case 'number':
      return e.unit !== undefined;
    case 'unary':
      return hasUnits(e.operand);
    case 'binary':
      return hasUnits(e.left) || hasUnits(e.right);
    case 'if':
      return hasUnits(e.otherwise) || e.branches.some((b) => hasUnits(b.condition) || hasUnits(b.value));
    case 'call':
      return e.callee === 'convert' || e.args.some(hasUnits) || e.named.some((n) => hasUnits(n.value));
    case 'array':
      return e.elements.some(hasUnits);
    case 'comprehension':
      return hasUnits(e.body);
    case 'range':
      return hasUnits(e.start) || hasUnits(e.stop) || (e.step !== undefined && hasUnits(e.step));
    default:
      return false;
  }
}
