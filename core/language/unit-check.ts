import type { Expr, RefExpr } from './ast';
import { problem, type Fix, type Problem, type Span } from './diagnostics';
import { printExpression } from './print';
import { isOdd, planSum, settledUnit, type SumPlan, type UnitKnowledge } from './unit-sums';
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

export type { UnitKnowledge };

export interface UnitContext {
  /** The declared unit of a quantity, or undefined when it has none (or is unknown). */
  unitOf(ref: RefExpr): string | undefined;
  /** The unit a function says its result has. */
  unitOfResult?(call: Extract<Expr, { kind: 'call' }>): string | undefined;
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

const kelvin: Unit = { dimension: [0, 0, 0, 0, 1, 0, 0], scale: 1, offset: 0 };
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
      return typeof unit === 'object' ? { ...known(unit, true), literal: true } : undefined;
    }
    case 'ref': {
      if (e.parts.length === 1 && e.parts[0].name === 'time') return known(second, false, 's');
      e.parts.forEach((p) => p.subscripts.forEach((x) => visit(look, x)));
      const name = look.context.unitOf(e);
      const unit = unitOrUndefined(name);
      return unit ? known(unit, false, name) : undefined;
    }
    case 'unary':
      return e.op === '-' && !isQuantity(e) ? turned(look, e.operand) : visit(look, e.operand);
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

/** A value with the other sign: where it counts from a zero, it does so from the other side. */
function turned(look: Look, e: Expr): UnitKnowledge | undefined {
  const found = visit(look, e);
  if (!found) return found;
  // numbers with units are a difference then, in K
  if (found.literal && sameDimension(found.unit, kelvin)) return factor(look, e);
  if (found.unit.offset === 0) return found;
  if (!settledUnit(found)) return factor(look, e);
  return known({ ...found.unit, offset: -found.unit.offset });
}

/** What says most of the unit of values that are alike. */
const firmest = (all: readonly (UnitKnowledge | undefined)[]): UnitKnowledge | undefined =>
  all.find((u) => settledUnit(u)) ?? all.find((u) => u && !u.free) ?? all.find((u) => u);

/** The unit that some values have together: each has to be that of the first. */
function alike(look: Look, values: readonly Expr[], verb: string): UnitKnowledge | undefined {
  return values.slice(1).reduce<UnitKnowledge | undefined>(
    (u, value, k) => {
      const own = visit(look, value);
      if (!u || !own) return u ?? own;
      const p = clash(u, own, values[k], value, verb, value.span);
      if (p) look.report(p);
      return firmest([u, own]);
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

/**
 * A factor of a product, or the base of a power: numbers with units are in coherent SI there, as nothing says another scale. A point
 * can only be taken in part (`isShare`), as in the mean of two.
 */
function factor(look: Look, e: Expr, isShare = false): UnitKnowledge | undefined {
  const found = visit(look, e);
  if (!found) return found;
  const settled = found.literal ? known({ ...found.unit, scale: 1, offset: 0 }) : found;
  if (found.unit.offset === 0 || (isShare && settledUnit(found))) return settled;
  const remedy = isQuantity(e)
    ? 'write a difference in K'
    : `write a difference, or convert(${printExpression(e)}, "K")`;
  look.report(
    problem(
      'error',
      'unit-offset',
      `${printExpression(e)} counts from a zero of its own and cannot be a factor; ${remedy}`,
      e.span,
    ),
  );
  return { ...settled, unit: { ...settled.unit, offset: 0 } };
}

function unitOfPair(look: Look, e: Of<'binary'>): UnitKnowledge | undefined {
  switch (e.op) {
    case '+':
    case '.+':
    case '-':
    case '.-': {
      const [left, right] = [visit(look, e.left), visit(look, e.right)];
      const { result, clash } = planSum(e.op.endsWith('-'), left, right);
      if (clash && left && right) look.report(clashOfSum(clash, left, right, e));
      return result;
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
      return { ...known(powerUnit(base.unit, exponent), base.free), relative: true };
    }
  }
}

function unitOfProduct(look: Look, e: Of<'binary'>): UnitKnowledge | undefined {
  const isDivision = e.op.endsWith('/');
  const [ratio, share] = [constantOf(e.right), constantOf(e.left)];
  const left = factor(look, e.left, ratio !== undefined);
  const right = factor(look, e.right, share !== undefined && !isDivision);
  const number = (x: Expr): UnitKnowledge | undefined =>
    isNumber(x) ? known(dimensionless, true) : isTable(x) ? known(dimensionless) : undefined;
  const ul = left ?? number(e.left);
  const ur = right ?? number(e.right);
  if (!ul || !ur) return undefined;
  const product = isDivision ? divideUnits(ul.unit, ur.unit) : multiplyUnits(ul.unit, ur.unit);
  // a part of a point counts from that part of its zero: halves of two of them are one again
  const offset =
    left && ratio !== undefined
      ? left.unit.offset * (isDivision ? 1 / ratio : ratio)
      : right && share !== undefined && !isDivision
        ? right.unit.offset * share
        : 0;
  const unit = { ...product, offset };
  // numbers and numbers with units: nothing is converted by hand
  if (isConstant(e)) return { ...known(unit), relative: true };
  const isHalf = (x: Expr): boolean =>
    x.kind === 'number' && x.unit === undefined && (x.value === 0.5 || x.value === 2);
  const halves = isHalf(e.left) || isHalf(e.right);
  return { ...known(unit, (ul.free || ur.free) && !(halves && !left?.free && !right?.free)), relative: offset === 0 };
}

function unitOfCall(look: Look, e: Of<'call'>): UnitKnowledge | undefined {
  const args = e.args.map((x) => (e.callee === 'sqrt' || e.callee === 'abs' ? factor(look, x) : visit(look, x)));
  e.named.forEach((n) => visit(look, n.value));
  const [first, other] = args;
  const said = look.context.unitOfResult?.(e);
  const saidUnit = unitOrUndefined(said);
  if (saidUnit) return known(saidUnit, false, said);
  const compare = (a: number, b: number): void => {
    const [ua, ub] = [args[a], args[b]];
    const p = ua && ub && clash(ua, ub, e.args[a], e.args[b], 'compares', e.span);
    if (p) look.report(p);
  };
  switch (e.callee) {
    case 'der':
      return first && { ...known(divideUnits(first.unit, second), first.free), relative: true };
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
      return firmest(args);
    case 'interpolate':
      if (e.args.length !== 3) break;
      compare(2, 0);
      return other;
    case 'sum':
      // how many there are says how often the zero counts
      return first?.unit.offset ? { unit: { ...first.unit, offset: 0 }, free: true, open: true } : first;
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
  const zerosDiffer = Math.abs(ua.unit.offset - ub.unit.offset) > 1e-6;
  if (zerosDiffer && isOdd(ua)) return oddProblem(a);
  if (zerosDiffer && isOdd(ub)) return oddProblem(b);
  const doubtful = doubtfulZero(ua, ub, a, b, span) ?? doubtfulZero(ub, ua, b, a, span);
  if (doubtful) return doubtful;
  if (ua.free || ub.free) return undefined;
  const scaleDiffers = Math.abs(ua.unit.scale / ub.unit.scale - 1) > 1e-9;
  const offsetDiffers = zerosDiffer && !ua.floats && !ub.floats;
  if (!scaleDiffers && !offsetDiffers) return undefined;
  return scaleProblem(ua, ub, a, b, verb, span);
}

function scaleProblem(ua: UnitKnowledge, ub: UnitKnowledge, a: Expr, b: Expr, verb: string, span: Span): Problem {
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

const oddProblem = (e: Expr): Problem =>
  problem('error', 'unit-offset', `${printExpression(e)} is neither a temperature nor a difference of two`, e.span);

/** A temperature written as a number, or one with a number of no unit, beside what may be a difference. */
function doubtfulZero(u: UnitKnowledge, other: UnitKnowledge, e: Expr, beside: Expr, span: Span): Problem | undefined {
  if (other.unit.offset !== 0 && (other.free || other.floats) && u.relative)
    return problem(
      'error',
      'unit-offset',
      `${printExpression(beside)} is a temperature, but ${printExpression(e)} may be a difference; a difference is written in K`,
      span,
    );
  if (u.open && other.literal)
    return problem(
      'error',
      'unit-offset',
      `${printExpression(e)} adds a number without a unit to a temperature, and is to be met by ${printExpression(beside)}; write the number with its unit, such as 5 'K'`,
      span,
    );
  return undefined;
}

function clashOfSum(
  clash: NonNullable<SumPlan['clash']>,
  ua: UnitKnowledge,
  ub: UnitKnowledge,
  e: Of<'binary'>,
): Problem {
  const { left, right, span } = e;
  const verb = e.op.endsWith('+') ? 'adds' : 'subtracts';
  const [a, b] = [printExpression(left), printExpression(right)];
  switch (clash) {
    case 'dimension':
      return problem('error', 'unit-clash', `This ${verb} ${a} in ${nameOf(ua)} and ${b} in ${nameOf(ub)}`, span);
    case 'scale':
      return scaleProblem(ua, ub, left, right, verb, span);
    case 'odd':
      return oddProblem(isOdd(ua) ? left : right);
    case 'points':
      return problem(
        'error',
        'unit-offset',
        `This adds two temperatures, ${a} and ${b}; a difference is written in K`,
        span,
      );
    case 'zero':
      return problem(
        'error',
        'unit-offset',
        `This subtracts a temperature, ${b} in ${nameOf(ub)}, from ${a} in ${nameOf(ua)}, which may be a difference; convert(${b}, "K") if it is a temperature too`,
        span,
      );
  }
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
