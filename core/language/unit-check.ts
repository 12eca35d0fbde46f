import type { Expr, RefExpr } from './ast';
import { problem, type Fix, type Problem, type Span } from './diagnostics';
import { printExpression } from './print';
import { walkExpression } from './walk';
import {
  describeUnit,
  dimensionless,
  divideUnits,
  multiplyUnits,
  parseUnit,
  powerUnit,
  sameDimension,
  unitOrUndefined,
  type Unit,
} from './units';

/**
 * What is known about the unit of a value. `free` units carry a number somebody wrote by hand (`60 * f`), so that only
 * their dimension can be checked, not their scale. `undefined`: any unit.
 */
export interface UnitKnowledge {
  readonly unit: Unit;
  readonly free: boolean;
  /** The unit as written, where the value is a single quantity. */
  readonly name?: string;
}

export interface UnitContext {
  /** The declared unit of a quantity, or undefined when it has none (or is unknown). */
  unitOf(ref: RefExpr): string | undefined;
}

/** Functions whose result is in the unit of their first argument. */
export const sameArgument = new Set([
  'abs',
  'pre',
  'min',
  'max',
  'mod',
  'rem',
  'noEvent',
  'smooth',
  'sum',
  'delay',
  'previous',
  'hold',
  'fill',
  'integer',
  'floor',
  'ceil',
  'homotopy',
]);
const pureNumber = new Set([
  'exp',
  'log',
  'log10',
  'sinh',
  'cosh',
  'tanh',
  'sin',
  'cos',
  'tan',
  'asin',
  'acos',
  'atan',
]);

/** The units of an expression and every clash inside it. */
export function checkUnits(root: Expr, context: UnitContext, report: (p: Problem) => void): UnitKnowledge | undefined {
  const second: Unit = { dimension: [0, 0, 1, 0, 0, 0, 0], scale: 1, offset: 0 };
  const known = (unit: Unit, free = false, name?: string): UnitKnowledge => ({ unit, free, ...(name && { name }) });

  const meet = (a: Expr, b: Expr, verb: string, span: Span): UnitKnowledge | undefined => {
    const ua = visit(a);
    const ub = visit(b);
    if (!ua || !ub) return ua ?? ub;
    const p = clash(ua, ub, a, b, verb, span);
    if (p) report(p);
    return ua.free ? ub : ua;
  };

  /** A factor of a product, or the base of a power: a number with a unit is in coherent SI there, as nothing says another scale. */
  const factor = (e: Expr): UnitKnowledge | undefined => {
    const found = visit(e);
    if (!found || !isQuantity(e)) return found;
    if (found.unit.offset !== 0)
      report(
        problem(
          'error',
          'unit-offset',
          `${printExpression(e)} counts from a zero of its own and cannot be a factor; write a difference in K`,
          e.span,
        ),
      );
    return known({ ...found.unit, scale: 1, offset: 0 });
  };

  const visit = (e: Expr): UnitKnowledge | undefined => {
    switch (e.kind) {
      case 'number': {
        if (e.unit === undefined) return undefined;
        const unit = parseUnit(e.unit);
        if (typeof unit === 'string') report(problem('error', 'unknown-unit', `The unit '${e.unit}': ${unit}`, e.span));
        // a number with a unit takes the scale its context needs (see elaborateUnits)
        return typeof unit === 'object' ? known(unit, true) : undefined;
      }
      case 'ref': {
        if (e.parts.length === 1 && e.parts[0].name === 'time') return known(second, false, 's');
        e.parts.forEach((p) => p.subscripts.forEach(visit));
        const name = context.unitOf(e);
        const unit = unitOrUndefined(name);
        return unit ? known(unit, false, name) : undefined;
      }
      case 'unary':
        return visit(e.operand);
      case 'binary':
        return binary(e);
      case 'if': {
        e.branches.forEach((b) => visit(b.condition));
        const values = [...e.branches.map((b) => b.value), e.otherwise];
        return values.slice(1).reduce<UnitKnowledge | undefined>((u, value, k) => {
          const uv = visit(value);
          if (!u || !uv) return u ?? uv;
          const p = clash(u, uv, values[k], value, 'chooses between', value.span);
          if (p) report(p);
          return u;
        }, visit(values[0]));
      }
      case 'call':
        return call(e);
      case 'array':
        return e.elements.map(visit).find((u) => u !== undefined);
      case 'comprehension':
        return visit(e.body);
      case 'range':
        [e.start, e.step, e.stop].forEach((x) => x && visit(x));
        return undefined;
      default:
        return undefined;
    }
  };

  const binary = (e: Extract<Expr, { kind: 'binary' }>): UnitKnowledge | undefined => {
    switch (e.op) {
      case '+':
      case '.+':
      case '-':
      case '.-': {
        const result = meet(e.left, e.right, e.op.endsWith('+') ? 'adds' : 'subtracts', e.span);
        if (!result || result.unit.offset === 0) return result;
        // the difference of two temperatures has no offset any more; a number added by hand leaves it open
        const plain = [e.left, e.right].some((x) => visitQuiet(x) === undefined);
        return { ...result, unit: { ...result.unit, offset: 0 }, free: result.free || plain };
      }
      case '<':
      case '<=':
      case '>':
      case '>=':
      case '==':
      case '<>':
        meet(e.left, e.right, 'compares', e.span);
        return undefined;
      case 'and':
      case 'or':
        visit(e.left);
        visit(e.right);
        return undefined;
      case '*':
      case '.*':
      case '/':
      case './': {
        const left = factor(e.left);
        const right = factor(e.right);
        const divide = e.op.endsWith('/');
        const literal = (x: Expr): boolean => x.kind === 'number' && x.unit === undefined;
        const number = (x: Expr): UnitKnowledge | undefined =>
          isNumber(x) ? known(dimensionless, true) : isTable(x) ? known(dimensionless) : undefined;
        const ul = left ?? number(e.left);
        const ur = right ?? number(e.right);
        if (!ul || !ur) return undefined;
        const unit = divide ? divideUnits(ul.unit, ur.unit) : multiplyUnits(ul.unit, ur.unit);
        const halves = [e.left, e.right].some(
          (x) => literal(x) && x.kind === 'number' && (x.value === 0.5 || x.value === 2),
        );
        // numbers and numbers with units: nothing is converted by hand
        if (isConstant(e)) return known(unit);
        return known(
          unit,
          (ul.free || ur.free) && !(halves && (left ? !left.free : true) && (right ? !right.free : true)),
        );
      }
      case '^':
      case '.^': {
        const base = factor(e.left);
        visit(e.right);
        if (!base) return undefined;
        const exponent = constantOf(e.right);
        if (exponent === undefined) return sameDimension(base.unit, dimensionless) ? base : undefined;
        return known(powerUnit(base.unit, exponent), base.free);
      }
    }
  };

  const call = (e: Extract<Expr, { kind: 'call' }>): UnitKnowledge | undefined => {
    const args = e.args.map(e.callee === 'sqrt' ? factor : visit);
    e.named.forEach((n) => visit(n.value));
    if (e.callee === 'der') return args[0] && known(divideUnits(args[0].unit, second), args[0].free);
    if (e.callee === 'sqrt') return args[0] && known(powerUnit(args[0].unit, 0.5), args[0].free);
    if (e.callee === 'convert' && e.args[1]?.kind === 'string') {
      if (e.args.length > 2)
        report(problem('error', 'arguments', `convert takes 2 arguments, but ${e.args.length} are given`, e.span));
      const to = parseUnit(e.args[1].value);
      if (typeof to !== 'object') {
        report(problem('error', 'unknown-unit', `convert needs a unit: ${to ?? 'none is given'}`, e.args[1].span));
        return undefined;
      }
      if (args[0] && !sameDimension(args[0].unit, to)) {
        report(
          problem(
            'error',
            'unit-clash',
            `${printExpression(e.args[0])} is in ${nameOf(args[0])} and cannot be converted to ${e.args[1].value}`,
            e.span,
          ),
        );
      }
      return known(to, false, e.args[1].value);
    }
    if (e.callee === 'atan2') {
      if (args[0] && args[1]) {
        const p = clash(args[0], args[1], e.args[0], e.args[1], 'compares', e.span);
        if (p) report(p);
      }
      return known(dimensionless);
    }
    if (pureNumber.has(e.callee)) {
      if (args[0] && !sameDimension(args[0].unit, dimensionless)) {
        report(
          problem(
            'error',
            mentionsTime(e.args[0]) ? 'unit-of-time' : 'unit-clash',
            `${e.callee} needs a plain number, but ${printExpression(e.args[0])} is in ${nameOf(args[0])}`,
            e.args[0].span,
          ),
        );
      }
      return known(dimensionless);
    }
    if (e.callee === 'min' || e.callee === 'max') {
      if (args.length === 2 && args[0] && args[1]) {
        const p = clash(args[0], args[1], e.args[0], e.args[1], 'compares', e.span);
        if (p) report(p);
      }
      return args.find((u) => u && !u.free) ?? args.find((u) => u);
    }
    if (e.callee === 'interpolate' && e.args.length === 3) {
      const p = args[0] && args[2] && clash(args[2], args[0], e.args[2], e.args[0], 'compares', e.span);
      if (p) report(p);
      return args[1];
    }
    if (e.callee === 'smooth') return args[1];
    if (sameArgument.has(e.callee)) return args[0];
    return undefined;
  };

  const visitQuiet = (e: Expr): UnitKnowledge | undefined => checkUnits(e, context, () => undefined);
  return visit(root);
}

const nameOf = (u: UnitKnowledge): string => u.name ?? describeUnit(u.unit);

/** A number with a unit. */
const isQuantity = (e: Expr): boolean =>
  e.kind === 'number' ? e.unit !== undefined : e.kind === 'unary' && isQuantity(e.operand);

/** A table of plain numbers, such as a file gives. */
const isTable = (e: Expr): boolean =>
  e.kind === 'call' && e.callee === 'interpolate' && e.args[1]?.kind === 'array' && e.args[1].elements.every(isNumber);

/** A value made of numbers with and without units. */
const isConstant = (e: Expr): boolean =>
  isNumber(e) ||
  isQuantity(e) ||
  (e.kind === 'unary' && isConstant(e.operand)) ||
  (e.kind === 'binary' && isConstant(e.left) && isConstant(e.right));

/** A value made of numbers only. */
const isNumber = (e: Expr): boolean =>
  e.kind === 'number'
    ? e.unit === undefined
    : e.kind === 'unary'
      ? isNumber(e.operand)
      : e.kind === 'binary'
        ? isNumber(e.left) && isNumber(e.right)
        : e.kind === 'ref' && e.parts.at(-1)!.name === 'pi';

function constantOf(e: Expr): number | undefined {
  if (e.kind === 'number') return e.value;
  if (e.kind === 'unary' && e.op !== 'not') {
    const v = constantOf(e.operand);
    return v === undefined ? undefined : e.op === '-' ? -v : v;
  }
  if (e.kind === 'binary' && e.op === '/') {
    const a = constantOf(e.left);
    const b = constantOf(e.right);
    return a === undefined || b === undefined ? undefined : a / b;
  }
  return undefined;
}

/** The problem of bringing two units together, if there is one. */
function clash(ua: UnitKnowledge, ub: UnitKnowledge, a: Expr, b: Expr, verb: string, span: Span): Problem | undefined {
  if (!sameDimension(ua.unit, ub.unit)) {
    return problem(
      'error',
      'unit-clash',
      `This ${verb} ${printExpression(a)} in ${nameOf(ua)} and ${printExpression(b)} in ${nameOf(ub)}`,
      span,
    );
  }
  if (ua.free || ub.free) return undefined;
  const offsetsMatter = verb === 'compares' || verb === 'equates' || verb === 'assigns';
  const scaleDiffers = Math.abs(ua.unit.scale / ub.unit.scale - 1) > 1e-9;
  const offsetDiffers = offsetsMatter && Math.abs(ua.unit.offset - ub.unit.offset) > 1e-9;
  if (!scaleDiffers && !offsetDiffers) return undefined;
  const fixes: Fix[] = ua.name
    ? [{ title: `Convert to ${ua.name}`, span: b.span, text: `convert(${printExpression(b)}, "${ua.name}")` }]
    : [];
  return problem(
    'error',
    'unit-scale',
    `This ${verb} ${printExpression(a)} in ${nameOf(ua)} and ${printExpression(b)} in ${nameOf(ub)}: same kind, different scale`,
    span,
    fixes,
  );
}

/** Checks both sides of an equation or an assignment against each other. */
export function checkSides(
  left: Expr,
  right: Expr,
  verb: 'equates' | 'assigns',
  span: Span,
  context: UnitContext,
  report: (p: Problem) => void,
): void {
  const ul = checkUnits(left, context, report);
  const ur = checkUnits(right, context, report);
  if (!ul || !ur) return;
  const p = clash(ul, ur, left, right, verb, span);
  if (p) report(p);
}

/** Checks a value against the declared unit of the quantity it is given to. */
export function checkAgainstUnit(
  value: Expr,
  name: string,
  unitName: string,
  context: UnitContext,
  report: (p: Problem) => void,
): void {
  const found = checkUnits(value, context, report);
  const declared = unitOrUndefined(unitName);
  if (!found || !declared) return;
  const target: Expr = {
    kind: 'ref',
    parts: [{ name, subscripts: [], span: value.span }],
    global: false,
    span: value.span,
  };
  const p = clash({ unit: declared, free: false, name: unitName }, found, target, value, 'assigns', value.span);
  if (p) report(p);
}

function mentionsTime(e: Expr): boolean {
  let found = false;
  walkExpression(e, (x) => void (found ||= x.kind === 'ref' && x.parts.length === 1 && x.parts[0].name === 'time'));
  return found;
}

/** Texts that come from elsewhere mostly have numbers without units: what does not fit there is worth a warning, and seconds in a sine nothing. */
export const relaxUnits = (problems: readonly Problem[]): Problem[] =>
  problems
    .filter((p) => p.code !== 'unit-of-time')
    .map((p) => (p.code.startsWith('unit') && p.severity === 'error' ? { ...p, severity: 'warning' } : p));
