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

/** What an expression is looked at with. */
interface Look {
  readonly context: UnitContext;
  readonly report: (p: Problem) => void;
}
type Of<K extends Expr['kind']> = Extract<Expr, { kind: K }>;

const second: Unit = { dimension: [0, 0, 1, 0, 0, 0, 0], scale: 1, offset: 0 };
const known = (unit: Unit, free = false, name?: string): UnitKnowledge => ({ unit, free, ...(name && { name }) });

/** The units of an expression and every clash inside it. */
export const checkUnits = (root: Expr, context: UnitContext, report: (p: Problem) => void): UnitKnowledge | undefined =>
  visit({ context, report }, root);

function visit(look: Look, e: Expr): UnitKnowledge | undefined {
  switch (e.kind) {
    case 'number': {
      if (e.unit === undefined) return undefined;
      const unit = parseUnit(e.unit);
      if (typeof unit === 'string')
        look.report(problem('error', 'unknown-unit', `The unit '${e.unit}': ${unit}`, e.span));
      // a number with a unit takes the scale its context needs (see elaborateUnits)
      return typeof unit === 'object' ? known(unit, true) : undefined;
    }
    case 'ref': {
      if (e.parts.length === 1 && e.parts[0].name === 'time') return known(second, false, 's');
      e.parts.forEach((p) => p.subscripts.forEach((x) => visit(look, x)));
      const name = look.context.unitOf(e);
      const unit = unitOrUndefined(name);
      return unit ? known(unit, false, name) : undefined;
    }
    case 'unary':
      return visit(look, e.operand);
    case 'binary':
      return unitOfPair(look, e);
    case 'if': {
      e.branches.forEach((b) => visit(look, b.condition));
      return alike(look, [...e.branches.map((b) => b.value), e.otherwise], 'chooses between');
    }
    case 'call':
      return unitOfCall(look, e);
    case 'array':
      return e.elements.map((x) => visit(look, x)).find((u) => u !== undefined);
    case 'comprehension':
      return visit(look, e.body);
    case 'range':
      [e.start, e.step, e.stop].forEach((x) => x && visit(look, x));
      return undefined;
    default:
      return undefined;
  }
}

/** The unit that some values have together: each has to be that of the first. */
function alike(look: Look, values: readonly Expr[], verb: string): UnitKnowledge | undefined {
  return values.slice(1).reduce<UnitKnowledge | undefined>(
    (u, value, k) => {
      const own = visit(look, value);
      if (!u || !own) return u ?? own;
      const p = clash(u, own, values[k], value, verb, value.span);
      if (p) look.report(p);
      return u;
    },
    visit(look, values[0]),
  );
}

function meet(look: Look, a: Expr, b: Expr, verb: string, span: Span): UnitKnowledge | undefined {
  const ua = visit(look, a);
  const ub = visit(look, b);
  if (!ua || !ub) return ua ?? ub;
  const p = clash(ua, ub, a, b, verb, span);
  if (p) look.report(p);
  return ua.free ? ub : ua;
}

/** A factor of a product, or the base of a power: a number with a unit is in coherent SI there, as nothing says another scale. */
function factor(look: Look, e: Expr): UnitKnowledge | undefined {
  const found = visit(look, e);
  if (!found || !isQuantity(e)) return found;
  if (found.unit.offset !== 0)
    look.report(
      problem(
        'error',
        'unit-offset',
        `${printExpression(e)} counts from a zero of its own and cannot be a factor; write a difference in K`,
        e.span,
      ),
    );
  return known({ ...found.unit, scale: 1, offset: 0 });
}

function unitOfPair(look: Look, e: Of<'binary'>): UnitKnowledge | undefined {
  switch (e.op) {
    case '+':
    case '.+':
    case '-':
    case '.-': {
      const result = meet(look, e.left, e.right, e.op.endsWith('+') ? 'adds' : 'subtracts', e.span);
      if (!result || result.unit.offset === 0) return result;
      // the difference of two temperatures has no offset any more; a number added by hand leaves it open
      const quiet: Look = { ...look, report: () => undefined };
      const plain = [e.left, e.right].some((x) => visit(quiet, x) === undefined);
      return { ...result, unit: { ...result.unit, offset: 0 }, free: result.free || plain };
    }
    case '<':
    case '<=':
    case '>':
    case '>=':
    case '==':
    case '<>':
      meet(look, e.left, e.right, 'compares', e.span);
      return undefined;
    case 'and':
    case 'or':
      visit(look, e.left);
      visit(look, e.right);
      return undefined;
    case '*':
    case '.*':
    case '/':
    case './':
      return unitOfProduct(look, e);
    case '^':
    case '.^': {
      const base = factor(look, e.left);
      visit(look, e.right);
      if (!base) return undefined;
      const exponent = constantOf(e.right);
      if (exponent === undefined) return sameDimension(base.unit, dimensionless) ? base : undefined;
      return known(powerUnit(base.unit, exponent), base.free);
    }
  }
}

function unitOfProduct(look: Look, e: Of<'binary'>): UnitKnowledge | undefined {
  const left = factor(look, e.left);
  const right = factor(look, e.right);
  const number = (x: Expr): UnitKnowledge | undefined =>
    isNumber(x) ? known(dimensionless, true) : isTable(x) ? known(dimensionless) : undefined;
  const ul = left ?? number(e.left);
  const ur = right ?? number(e.right);
  if (!ul || !ur) return undefined;
  const unit = e.op.endsWith('/') ? divideUnits(ul.unit, ur.unit) : multiplyUnits(ul.unit, ur.unit);
  // numbers and numbers with units: nothing is converted by hand
  if (isConstant(e)) return known(unit);
  const isHalf = (x: Expr): boolean =>
    x.kind === 'number' && x.unit === undefined && (x.value === 0.5 || x.value === 2);
  const halves = isHalf(e.left) || isHalf(e.right);
  return known(unit, (ul.free || ur.free) && !(halves && !left?.free && !right?.free));
}

function unitOfCall(look: Look, e: Of<'call'>): UnitKnowledge | undefined {
  const args = e.args.map((x) => (e.callee === 'sqrt' ? factor(look, x) : visit(look, x)));
  e.named.forEach((n) => visit(look, n.value));
  const [first, other] = args;
  const compare = (a: number, b: number): void => {
    const [ua, ub] = [args[a], args[b]];
    const p = ua && ub && clash(ua, ub, e.args[a], e.args[b], 'compares', e.span);
    if (p) look.report(p);
  };
  switch (e.callee) {
    case 'der':
      return first && known(divideUnits(first.unit, second), first.free);
    case 'sqrt':
      return first && known(powerUnit(first.unit, 0.5), first.free);
    case 'convert':
      if (e.args[1]?.kind === 'string') return unitOfConversion(look, e, e.args[1], first);
      break;
    case 'atan2':
      compare(0, 1);
      return known(dimensionless);
    case 'min':
    case 'max':
      if (args.length === 2) compare(0, 1);
      return args.find((u) => u && !u.free) ?? args.find((u) => u);
    case 'interpolate':
      if (e.args.length !== 3) break;
      compare(2, 0);
      return other;
    case 'smooth':
      return other;
  }
  if (pureNumber.has(e.callee)) {
    if (first && !sameDimension(first.unit, dimensionless))
      look.report(
        problem(
          'error',
          mentionsTime(e.args[0]) ? 'unit-of-time' : 'unit-clash',
          `${e.callee} needs a plain number, but ${printExpression(e.args[0])} is in ${nameOf(first)}`,
          e.args[0].span,
        ),
      );
    return known(dimensionless);
  }
  return sameArgument.has(e.callee) ? first : undefined;
}

/** `convert(value, "unit")`. */
function unitOfConversion(
  { report }: Look,
  e: Of<'call'>,
  wanted: Of<'string'>,
  value: UnitKnowledge | undefined,
): UnitKnowledge | undefined {
  if (e.args.length > 2)
    report(problem('error', 'arguments', `convert takes 2 arguments, but ${e.args.length} are given`, e.span));
  const to = parseUnit(wanted.value);
  if (typeof to !== 'object') {
    report(problem('error', 'unknown-unit', `convert needs a unit: ${to ?? 'none is given'}`, wanted.span));
    return undefined;
  }
  if (value && !sameDimension(value.unit, to))
    report(
      problem(
        'error',
        'unit-clash',
        `${printExpression(e.args[0])} is in ${nameOf(value)} and cannot be converted to ${wanted.value}`,
        e.span,
      ),
    );
  return known(to, false, wanted.value);
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
