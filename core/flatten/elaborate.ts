import type { CallExpr, Expr, RefExpr } from '../language/ast';
import { problem, type Span } from '../language/diagnostics';
import { slopeOperator } from '../language/make';
import { nearestName } from '../language/nearest';
import { printExpression } from '../language/print';
import type { UnitContext } from '../language/unit-check';
import { elaborateUnits } from '../language/unit-elaboration';
import { walkExpression } from '../language/walk';
import type { Unit } from '../language/units';
import { arrayCall, arrayFunctions } from './array-functions';
import type { Builder } from './builder';
import {
  applyFunction,
  binary,
  choose,
  constant,
  functionArity,
  isConstant,
  multiply,
  negate,
  not,
  one,
  zero,
  type FlatExpr,
  writtenAt,
} from './flat-expression';
import { differentiate } from './differentiate';
import { kindOf } from './kinds';
import { findMovingIndex, withIndex, withNumber } from './moving-index';
import type { BoundValue, ClassInstance, Scope } from './instance';
import { knownText, type FlatText } from './flat-text';
import { slopeBy } from './slope';
import { readText, type TextReader } from './texts';
import { rangeOf } from './implied-range';
import { findClass, type ClassRef } from './library';
import { isValue, memberOf, resolve, isClassInstance, toResolved, type Resolved } from './resolve';
import {
  chooseValue,
  elementwise,
  flattenValue,
  identity,
  isArray,
  isFunction,
  isRecord,
  mapValue,
  multiplyValues,
  partOf,
  shapeOf,
  ShapeError,
  type Callable,
  type FunctionValue,
  type Value,
  joinMatrices,
} from './values';

/** Thrown inside this file where an expression has no value; the problem has been reported. */
export class NoValue extends Error {}

/** The value of an expression read in a scope. What cannot be read is reported and becomes NaN. */
export function elaborate(b: Builder, e: Expr, scope: Scope): Value | undefined {
  try {
    return visit(b, elaborateUnits(e, unitContext(b, scope)), scope);
  } catch (error) {
    if (error instanceof NoValue) return undefined;
    if (error instanceof ShapeError) {
      b.report(scope.place, problem('error', 'shape', error.message, e.span));
      return undefined;
    }
    throw error;
  }
}

export function elaborateScalar(b: Builder, e: Expr, scope: Scope): FlatExpr | undefined {
  const value = elaborate(b, e, scope);
  if (value === undefined || (!isArray(value) && !isRecord(value))) return value;
  b.report(
    scope.place,
    problem(
      'error',
      'shape',
      isRecord(value)
        ? `${printExpression(e)} is a record, but a single value is needed`
        : `${printExpression(e)} is an array of size [${shapeOf(value).join(', ')}], but a single value is needed`,
      e.span,
    ),
  );
  return undefined;
}

/** The value bound to one scalar, taken out of an array value where it was given for a whole array. */
export function elaborateBinding(
  b: Builder,
  bound: BoundValue,
  unit?: Unit,
  { sharing, isAttribute = false }: { readonly sharing?: Scope['sharing']; readonly isAttribute?: boolean } = {},
): FlatExpr | undefined {
  let value = wholeBinding(b, bound, unit, sharing);
  if (value === undefined) return undefined;
  const whole = value;
  for (const [position, k] of bound.subscripts.entries()) {
    if (typeof k === 'number' && !isArray(value)) {
      // one start for all is plain; one value, or a list for the rows of a matrix, is not
      if (isAttribute && whole === value) continue;
      b.report(bound.scope.place, problem('error', 'shape', tooFlat(bound, whole), bound.expr.span));
      return undefined;
    }
    if (typeof k === 'number' && isArray(value) && value.length > k && bound.lasts?.includes(position)) {
      b.report(
        bound.scope.place,
        problem(
          'error',
          'shape',
          `${printExpression(bound.expr)} has ${value.length} elements, but ${k === 1 ? 'only 1 is' : `only ${k} are`} needed`,
          bound.expr.span,
        ),
      );
      return undefined;
    }
    const inside: Value | undefined = partOf(value, k);
    if (inside === undefined) {
      const what =
        typeof k === 'number'
          ? `has ${(value as readonly Value[]).length} elements, but element ${k} is needed`
          : `has no ${k}`;
      b.report(bound.scope.place, problem('error', 'shape', `${printExpression(bound.expr)} ${what}`, bound.expr.span));
      return undefined;
    }
    value = inside;
  }
  if (!isArray(value) && !isRecord(value)) return value;
  b.report(
    bound.scope.place,
    problem(
      'error',
      'shape',
      `${printExpression(bound.expr)} is an array, but a single value is needed`,
      bound.expr.span,
    ),
  );
  return undefined;
}

function tooFlat({ expr, each, subscripts }: BoundValue, given: Value): string {
  const needed = subscripts.filter((k) => typeof k === 'number').length;
  const text = printExpression(expr);
  const wanted = needed === 1 ? 'a list' : `an array of ${needed} dimensions`;
  if (isArray(given)) return `${text} has size [${shapeOf(given).join(', ')}], but ${wanted} is needed`;
  const remedy = each.length > 0 ? 'with each before the name' : `with fill(${text}, ...)`;
  return `${text} is a single value, but ${wanted} is needed; it is given to all elements ${remedy}`;
}

/** The value given for all elements of an array, read once. */
function wholeBinding(
  b: Builder,
  { expr, scope, subscripts }: BoundValue,
  unit: Unit | undefined,
  sharing: Scope['sharing'],
): Value | undefined {
  const read = (): Value | undefined =>
    elaborate(b, elaborateUnits(expr, unitContext(b, scope), unit), sharing ? { ...scope, sharing } : scope);
  if (subscripts.length === 0) return read();
  let known = b.wholes.get(expr);
  if (!known || known.scope !== scope || known.unit !== unit)
    b.wholes.set(expr, (known = { scope, unit, value: read() }));
  return known.value;
}

/** Declared units of the names in a scope; silent about names that do not exist. */
export function unitContext(b: Builder, scope: Scope): UnitContext {
  return {
    unitOf(ref) {
      const local = ref.parts.length === 1 ? scope.locals?.get(ref.parts[0].name) : undefined;
      if (local !== undefined) return b.variables[local].unit || undefined;
      let node = memberOf(b, scope.instance, ref.parts[0].name);
      const inside = (n: typeof node): typeof node => {
        while (n?.kind === 'array') n = n.elements[0];
        return n;
      };
      node = inside(node);
      for (const part of ref.parts.slice(1))
        node = inside(node?.kind === 'class' ? memberOf(b, node, part.name) : undefined);
      return node?.kind === 'leaf' ? b.variables[node.index].unit || undefined : undefined;
    },
  };
}

/** An integer known before the run, such as an array size; undefined where there is none, which has been reported. */
export function structuralInteger(b: Builder, e: Expr, scope: Scope, what: string): number | undefined {
  try {
    return integerOf(b, elaborateUnits(e, unitContext(b, scope)), scope, what);
  } catch (error) {
    if (error instanceof NoValue || error instanceof ShapeError) return undefined;
    throw error;
  }
}

function integerOf(b: Builder, e: Expr, scope: Scope, what: string): number {
  const value = scalar(b, e, scope);
  const known = b.structural(value);
  if (known === undefined || !Number.isFinite(known)) {
    fail(b, scope, e.span, 'not-constant', `${what} must be known before the run, but ${printExpression(e)} is not`);
  }
  if (!Number.isInteger(known))
    fail(b, scope, e.span, 'not-integer', `${what} must be a whole number, but ${printExpression(e)} is ${known}`);
  return known!;
}

function fail(b: Builder, scope: Scope, span: Span, code: string, message: string): never {
  b.report(scope.place, problem('error', code, message, span));
  throw new NoValue();
}

function scalar(b: Builder, e: Expr, scope: Scope): FlatExpr {
  const v = visit(b, e, scope);
  if (isArray(v))
    return fail(
      b,
      scope,
      e.span,
      'shape',
      `${printExpression(e)} is an array of size [${shapeOf(v).join(', ')}], but a single value is needed`,
    );
  if (isRecord(v))
    return fail(b, scope, e.span, 'shape', `${printExpression(e)} is a record, but a single value is needed`);
  return v;
}

/** Follows a reference to anything: a value, a part, an array of parts. */
export function resolveReference(b: Builder, ref: RefExpr, scope: Scope): Resolved | undefined {
  try {
    return resolve(b, ref, scope, (part, size) => part.subscripts.map((s) => subscriptOf(b, s, scope, size)));
  } catch (error) {
    if (error instanceof NoValue) return undefined;
    throw error;
  }
}

/** The value of an expression; throws NoValue where it has none, which has been reported. */
export function elaborateStrict(b: Builder, e: Expr, scope: Scope): Value {
  const value = elaborate(b, e, scope);
  if (value === undefined) throw new NoValue();
  return value;
}

/** All results of a function call, or the one value of anything else. */
export function resultsOf(b: Builder, e: Expr, scope: Scope): readonly Value[] {
  if (e.kind !== 'call') return [elaborateStrict(b, e, scope)];
  const ref = functionNamed(scope, e.callee) ?? findClass(b.library, scope.home, e.callee);
  return ref ? callOf(b, ref, e, scope) : [elaborateStrict(b, e, scope)];
}

function callOf(b: Builder, ref: Callable, e: CallExpr, scope: Scope): readonly Value[] {
  return b.callClass(ref, e, argumentsOf(b, e, scope), namedOf(b, e, scope), scope);
}

const argumentsOf = (b: Builder, e: CallExpr, scope: Scope): Value[] => e.args.map((a) => argumentOf(b, a, scope));
const namedOf = (b: Builder, e: CallExpr, scope: Scope): Map<string, Value> =>
  new Map(e.named.map((n) => [n.name, argumentOf(b, n.value, scope)]));

/** What is given to a function: a value, or another function with some of its inputs. */
function argumentOf(b: Builder, e: Expr, scope: Scope): Value {
  const [name, fields] =
    e.kind === 'call' && e.isPartial
      ? [e.callee, namedOf(b, e, scope)]
      : e.kind === 'ref' && e.parts.every((p) => p.subscripts.length === 0)
        ? [e.parts.map((p) => p.name).join('.'), new Map<string, Value>()]
        : ['', undefined];
  if (fields === undefined) return visit(b, e, scope);
  const isPartial = e.kind === 'call';
  const [first] = name.split('.');
  if (!isPartial && (scope.values?.has(first) || scope.iterators.has(first) || scope.instance.members.has(first)))
    return visit(b, e, scope);
  const given = functionNamed(scope, name);
  if (given) return { ...given, fields: new Map([...given.fields, ...fields]) };
  const ref = findClass(b.library, scope.home, name);
  if (ref?.definition.classKind === 'function') return { fields, typeName: name, calls: ref };
  return isPartial ? fail(b, scope, e.span, 'unknown-function', `There is no function ${name}`) : visit(b, e, scope);
}

/** A function that was given to the one whose body this is. */
function functionNamed(scope: Scope, name: string): FunctionValue | undefined {
  const value = scope.values?.get(name);
  return value !== undefined && isFunction(value) ? value : undefined;
}

/** What a subscript picks: numbers known before the run, all, or an expression that changes. */
export function indicesOf(b: Builder, s: Expr, scope: Scope, size: number): number | number[] | 'all' | FlatExpr {
  if (s.kind === 'colon') return 'all';
  const v = visit(b, s, { ...scope, iterators: new Map([...scope.iterators, ['end', size]]) });
  if (!isArray(v) && !isRecord(v) && b.structural(v) === undefined) {
    refuseTruth(b, v, s, scope);
    return v;
  }
  return subscriptOf(b, s, scope, size);
}

/** A truth value is 0 or 1 here, which is no number of an element. */
export function refuseTruth(b: Builder, index: FlatExpr, source: Expr, scope: Scope): void {
  if (kindOf(b, index, source) === 'truth')
    fail(b, scope, source.span, 'kind', `The index ${printExpression(source)} is true or false, not a number`);
}

function subscriptOf(b: Builder, s: Expr, scope: Scope, size: number): number | number[] | 'all' {
  if (s.kind === 'colon') return 'all';
  const withEnd: Scope = { ...scope, iterators: new Map([...scope.iterators, ['end', size]]) };
  const v = visit(b, s, withEnd);
  if (isRecord(v)) return fail(b, scope, s.span, 'shape', `${printExpression(s)} is a record, not an index`);
  const toInteger = (x: FlatExpr): number => {
    refuseTruth(b, x, s, scope);
    const known = b.structural(x);
    if (known === undefined)
      fail(b, scope, s.span, 'not-constant', `The index ${printExpression(s)} must be known before the run`);
    if (!Number.isInteger(known))
      fail(b, scope, s.span, 'not-integer', `The index ${printExpression(s)} is ${known}, not a whole number`);
    return known!;
  };
  return isArray(v) ? flattenValue(v).map(toInteger) : toInteger(v);
}

const relationOps = { '<': 'lt', '<=': 'le', '>': 'gt', '>=': 'ge', '==': 'eq', '<>': 'ne' } as const;

function visit(b: Builder, e: Expr, scope: Scope): Value {
  b.spend(1, scope.place, e.span);
  switch (e.kind) {
    case 'number':
      return constant(e.value);
    case 'boolean':
      return e.value ? one : zero;
    case 'string':
      return fail(b, scope, e.span, 'text-value', 'A text cannot be computed with');
    case 'ref': {
      const count = countOf(b, e, scope);
      if (count !== undefined)
        return Array.from({ length: count }, (_, k) => constant(e.parts[0].name === 'Boolean' ? k : k + 1));
      const moving = movingElement(b, e, scope);
      if (moving) return moving;
      const r = resolveReference(b, e, scope);
      if (r === undefined) throw new NoValue();
      const value = asValue(b, r);
      if (value !== undefined) return value;
      return fail(b, scope, e.span, 'part-as-value', `${printExpression(e)} is a part, not a value`);
    }
    case 'unary': {
      const v = visit(b, e.operand, scope);
      return e.op === '+' ? v : mapValue(v, e.op === '-' ? negate : not);
    }
    case 'binary':
      return visitBinary(b, e, scope);
    case 'if': {
      let value: Value | undefined;
      // a branch that is decided before the run leaves out the others
      let open: FlatExpr | undefined = scope.guard;
      const guarded: { condition: FlatExpr; value: Value }[] = [];
      let last: Expr = e.otherwise;
      for (const branch of e.branches) {
        const condition = scalar(b, branch.condition, scope);
        // a choice by the index of a loop is made now: the other branch may have no meaning for it
        const decided = isConstant(condition)
          ? condition.value
          : mentionsIndex(branch.condition, scope)
            ? b.structural(condition)
            : undefined;
        if (decided === 0) continue;
        if (decided !== undefined) {
          last = branch.value;
          break;
        }
        guarded.push({
          condition,
          value: visit(b, branch.value, { ...scope, guard: open ? binary('and', open, condition) : condition }),
        });
        open = open ? binary('and', open, not(condition)) : not(condition);
      }
      value = visit(b, last, { ...scope, ...(open && { guard: open }) });
      for (const way of guarded.reverse()) value = chooseValue(way.condition, way.value, value);
      return value;
    }
    case 'array': {
      if (e.matrix)
        return joinMatrices(
          e.elements.map((row) => (row.kind === 'array' ? row.elements : [row]).map((x) => visit(b, x, scope))),
        );
      return e.elements.map((x) => visit(b, x, scope));
    }
    case 'comprehension':
      // the last index is that of the first dimension (Modelica language 3.6, 10.4.1.1)
      return iterate(b, { ...e, iterators: [...e.iterators].reverse() }, scope);
    case 'range': {
      const start = scalar(b, e.start, scope);
      const from = b.structural(start);
      const to = b.structural(scalar(b, e.stop, scope));
      const step = e.step ? b.structural(scalar(b, e.step, scope)) : 1;
      if (from === undefined || to === undefined || step === undefined || step === 0) {
        return fail(b, scope, e.span, 'not-constant', `The range ${printExpression(e)} must be known before the run`);
      }
      const count = Math.max(0, Math.floor((to - from) / step + 1e-9) + 1);
      if (count > 1_000_000)
        return fail(
          b,
          scope,
          e.span,
          'too-large',
          `The range ${printExpression(e)} has ${count} elements; at most 1000000 are taken`,
        );
      b.spend(count, scope.place, e.span);
      return Array.from({ length: count }, (_, k) => constant(from + k * step));
    }
    case 'call':
      return visitCall(b, e, scope);
    case 'end': {
      const size = scope.iterators.get('end');
      return size === undefined
        ? fail(b, scope, e.span, 'end', '"end" only has a meaning inside an index')
        : constant(size);
    }
    case 'tuple':
    case 'colon':
      return fail(b, scope, e.span, 'expected-value', `${printExpression(e)} is not a value`);
    case 'error':
      throw new NoValue();
  }
}

function visitBinary(b: Builder, e: Extract<Expr, { kind: 'binary' }>, scope: Scope): Value {
  if (e.op === '==' || e.op === '<>') {
    const texts = comparedTexts(b, e, scope);
    if (texts) return (texts[0] === texts[1]) === (e.op === '==') ? one : zero;
  }
  const left = visit(b, e.left, scope);
  const right = visit(b, e.right, scope);
  const what = printExpression(e);
  switch (e.op) {
    case '+':
      return elementwise('add', left, right, what, false);
    case '-':
      return elementwise('sub', left, right, what, false);
    case '*':
      return multiplyValues(left, right);
    case '/':
      if (isArray(right))
        return fail(b, scope, e.span, 'shape', `${printExpression(e.right)} is an array and cannot divide`);
      return mapValue(left, (x) => binary('div', x, right as FlatExpr));
    case '.+':
      return elementwise('add', left, right, what, true);
    case '.-':
      return elementwise('sub', left, right, what, true);
    case '.*':
      return elementwise('mul', left, right, what, true);
    case './':
      return elementwise('div', left, right, what, true);
    case '^':
      if (isArray(left) && !isArray(right)) return matrixPower(b, left, right as FlatExpr, e, scope);
      return elementwise('pow', left, right, what, false);
    case '.^':
      return elementwise('pow', left, right, what, true);
    case 'and':
      return elementwise('and', left, right, what, false);
    case 'or':
      return elementwise('or', left, right, what, false);
    default:
      return mapValue(elementwise(relationOps[e.op], left, right, what, false), (x) =>
        writtenAt(x, { part: scope.instance.name, place: scope.place, span: e.span }),
      );
  }
}

/** A square matrix times itself. */
function matrixPower(
  b: Builder,
  matrix: Value,
  power: FlatExpr,
  e: Extract<Expr, { kind: 'binary' }>,
  scope: Scope,
): Value {
  const [rows, columns, ...more] = shapeOf(matrix);
  const times = b.structural(power);
  if (rows !== columns || more.length > 0)
    return fail(
      b,
      scope,
      e.span,
      'shape',
      `${printExpression(e.left)} has no power: only square matrices have, element by element it is .^`,
    );
  if (times === undefined || !Number.isInteger(times) || times < 0)
    return fail(
      b,
      scope,
      e.right.span,
      'not-integer',
      `The power of the matrix ${printExpression(e.left)} must be a whole number known before the run`,
    );
  if (times > highestPower)
    return fail(
      b,
      scope,
      e.right.span,
      'too-large',
      `A matrix can be multiplied by itself ${highestPower} times at most`,
    );
  return Array.from({ length: times }).reduce<Value>((power) => multiplyValues(power, matrix), identity(rows));
}

const highestPower = 1000;

const reader: TextReader = {
  scalar,
  variable(b, ref, scope) {
    const found = resolveReference(b, ref, scope);
    return found && 'op' in found && found.op === 'var' ? found.index : undefined;
  },
};

/** What a text says. Undefined where it is none, or cannot be read. */
export function elaborateText(b: Builder, e: Expr | undefined, scope: Scope): FlatText | undefined {
  try {
    return e && readText(b, e, scope, reader);
  } catch (error) {
    if (error instanceof NoValue || error instanceof ShapeError) return undefined;
    throw error;
  }
}

/** What a message says; what cannot be read is told as it is written. */
export const messageOf = (b: Builder, e: Expr | undefined, scope: Scope, otherwise: string): FlatText =>
  elaborateText(b, e, scope) ?? [e ? printExpression(e) : otherwise];

/** Both sides of a comparison, where they are texts; they have to be known before the run. */
function comparedTexts(
  b: Builder,
  e: Extract<Expr, { kind: 'binary' }>,
  scope: Scope,
): readonly [string, string] | undefined {
  const left = readText(b, e.left, scope, reader);
  const right = left && readText(b, e.right, scope, reader);
  if (!right) return undefined;
  const [l, r] = [knownText(left), knownText(right)];
  return l === undefined || r === undefined
    ? fail(b, scope, e.span, 'text-value', `The texts in ${printExpression(e)} must be known before the run`)
    : [l, r];
}

function iterate(b: Builder, e: Extract<Expr, { kind: 'comprehension' }>, scope: Scope): readonly Value[] {
  const [first, ...rest] = e.iterators;
  const found = rangeOf(first, e.body, (x) => visit(b, x, scope))!;
  if ('problem' in found) return fail(b, scope, first.span, 'no-range', found.problem);
  return found.range.map((x) => {
    const value = b.structural(x as FlatExpr);
    if (value === undefined)
      return fail(b, scope, first.span, 'not-constant', `The range of ${first.name} must be known before the run`);
    const inner: Scope = { ...scope, iterators: new Map([...scope.iterators, [first.name, value]]) };
    return rest.length ? iterate(b, { ...e, iterators: rest }, inner) : visit(b, e.body, inner);
  });
}

/** What can be asked for its size: parts too, of which there are as many as there are. */
function countable(b: Builder, e: Expr, scope: Scope): Value {
  const resolved =
    e.kind === 'ref' && scope.values?.has(e.parts[0].name) !== true ? resolveReference(b, e, scope) : undefined;
  const counted = (r: Resolved): Value =>
    Array.isArray(r) ? (r as readonly Resolved[]).map(counted) : isClassInstance(r) ? zero : (r as Value);
  return Array.isArray(resolved) && resolved.some(isClassInstance) ? counted(resolved) : visit(b, e, scope);
}

const eventFunctions = new Set([
  'der',
  'pre',
  'edge',
  'change',
  'initial',
  'terminal',
  'noEvent',
  'smooth',
  'sample',
  'homotopy',
  'in',
  'rising',
  'falling',
]);

const otherFunctions = new Set(['min', 'max', 'delay', 'semiLinear', 'convert']);

function visitCall(b: Builder, e: CallExpr, scope: Scope): Value {
  const name = e.callee.replace(/^Modelica\.Math\.(Vectors\.)?/, '');
  const need = (n: number): void => {
    if (e.args.length !== n)
      fail(
        b,
        scope,
        e.span,
        'arguments',
        `${name} takes ${n} argument${n === 1 ? '' : 's'}, but ${e.args.length} ${e.args.length === 1 ? 'is' : 'are'} given`,
      );
  };
  const arg = (k: number): FlatExpr => scalar(b, e.args[k], scope);
  if (isOfLanguage(name) && isDeclared(b, scope, name))
    return fail(
      b,
      scope,
      e.calleeSpan,
      'name-of-language',
      `${name} is a function of the language, and one of the same name is declared here: give that one another name`,
    );
  if (e.named.length > 0 && isOfLanguage(name) && name !== 'homotopy')
    return fail(
      b,
      scope,
      e.span,
      'arguments',
      `${name} takes its arguments without names, and has no ${e.named[0].name}`,
    );
  const counts = arrayFunctions.get(name);
  if (counts) {
    const [least, most] = counts;
    if (e.args.length < least) need(least);
    if (e.args.length > most) need(most);
    return arrayCall(name, {
      count: e.args.length,
      value: (k) =>
        e.args[k]
          ? name === 'size' && k === 0
            ? countable(b, e.args[0], scope)
            : visit(b, e.args[k], scope)
          : fail(b, scope, e.span, 'arguments', `${name} needs ${k + 1} argument${k ? 's' : ''}`),
      integer: (k) => integerOf(b, e.args[k] ?? e, scope, `The size in ${name}`),
      known: (x) => b.structural(x),
      fail: (code, message, k) => fail(b, scope, k === undefined ? e.span : e.args[k].span, code, message),
    });
  }
  switch (name) {
    case 'der':
      need(1);
      return mapValue(visit(b, e.args[0], scope), (x) => derivative(b, x, e.args[0], scope));
    case 'pre':
      need(1);
      return mapValue(visit(b, e.args[0], scope), (x) =>
        x.op === 'var'
          ? { op: 'pre', index: x.index }
          : x.op === 'const'
            ? x
            : fail(b, scope, e.span, 'pre', `pre takes a quantity, not ${printExpression(e.args[0])}`),
      );
    case 'edge':
    case 'rising':
    case 'falling':
    case 'change': {
      need(1);
      const x = arg(0);
      if (x.op !== 'var')
        return fail(b, scope, e.span, 'edge', `${name} takes a quantity, not ${printExpression(e.args[0])}`);
      const before: FlatExpr = { op: 'pre', index: x.index };
      if (name === 'change') return binary('ne', x, before);
      return name === 'falling' ? binary('and', not(x), before) : binary('and', x, not(before));
    }
    case 'initial':
    case 'terminal':
      need(0);
      return { op: name };
    case 'noEvent':
      need(1);
      return mapValue(visit(b, e.args[0], scope), (a) => ({ op: 'noEvent', a }));
    case 'smooth':
      need(2);
      return visit(b, e.args[1], scope);
    case 'homotopy': {
      if (e.args.length > 2) need(2);
      const actual = e.args[0] ?? e.named.find((n) => n.name === 'actual')?.value;
      if (!actual) return fail(b, scope, e.span, 'arguments', 'homotopy needs its actual value');
      return visit(b, actual, scope);
    }
    case 'sample':
      need(2);
      return { op: 'sample', start: arg(0), interval: arg(1) };
    case 'delay': {
      // a greatest delay may be given; what is kept of the past follows from the delay
      if (e.args.length !== 3) need(2);
      const a = arg(0),
        by = arg(1);
      return { op: 'delay', a, by };
    }
    case 'in':
      need(1);
      return stateOf(b, e, scope);
    case 'min':
    case 'max':
      if (e.args.length === 1) {
        const all = flattenValue(visit(b, e.args[0], scope));
        if (all.length === 0) return fail(b, scope, e.span, 'arguments', `${name} of an empty array`);
        return all.reduce((x, y) => applyFunction(name, [x, y]));
      }
      need(2);
      return applyFunction(name, [arg(0), arg(1)]);
    case 'semiLinear': {
      need(3);
      const x = arg(0);
      return choose(binary('ge', x, zero), multiply(arg(1), x), multiply(arg(2), x));
    }
    case 'Integer':
      need(1);
      return arg(0);
    case slopeOperator: {
      need(2);
      // values that became variables of their own would hide what they depend on
      const { sharing: _, ...whole } = scope;
      const [of, by] = e.args.map((x) => scalar(b, x, whole));
      return slopeBy(of, by, (message) => fail(b, scope, e.span, 'slope', message));
    }
  }
  if (name in functionArity) {
    const fn = name as keyof typeof functionArity;
    need(functionArity[fn]);
    const args = e.args.map((a) => visit(b, a, scope));
    if (args.length === 1) return mapValue(args[0], (x) => applyFunction(fn, [x]));
    return elementwisePair(args[0], args[1], (x, y) => applyFunction(fn, [x, y]), printExpression(e));
  }
  const given = functionNamed(scope, name);
  const ref = findClass(b.library, scope.home, name);
  const called =
    given ?? (ref?.definition.classKind === 'function' || ref?.definition.classKind === 'record' ? ref : undefined);
  if (called) {
    const results = callOf(b, called, e, scope);
    return results.length > 0 ? results[0] : fail(b, scope, e.span, 'no-result', `${name} has no output`);
  }
  if (ref?.definition.enumeration) {
    need(1);
    const n = integerOf(b, e.args[0], scope, `The number of a value of ${name}`);
    const count = ref.definition.enumeration.length;
    return n >= 1 && n <= count
      ? constant(n)
      : fail(b, scope, e.span, 'index', `${name} has ${count} values, and none with the number ${n}`);
  }
  const known = [...Object.keys(functionArity), ...arrayFunctions.keys(), ...eventFunctions, ...otherFunctions];
  const near = nearestName(name, known);
  return fail(
    b,
    scope,
    e.calleeSpan,
    'unknown-function',
    `There is no function ${name}${near ? `; did you mean ${near}?` : ''}`,
  );
}

/** Names that mean something in every text, whatever is declared. */
const isOfLanguage = (name: string): boolean =>
  name in functionArity || arrayFunctions.has(name) || eventFunctions.has(name) || otherFunctions.has(name);

const declaredNames = new WeakMap<Builder, Map<ClassRef, Map<string, boolean>>>();
/** Whether a class of this name is declared where a text stands. */
function isDeclared(b: Builder, { home }: Scope, name: string): boolean {
  const all = declaredNames.get(b) ?? new Map<ClassRef, Map<string, boolean>>();
  declaredNames.set(b, all);
  const names = all.get(home) ?? new Map<string, boolean>();
  all.set(home, names);
  const is = names.get(name) ?? findClass(b.library, home, name) !== undefined;
  names.set(name, is);
  return is;
}

const mentionsIndex = (e: Expr, scope: Scope): boolean => {
  if (scope.iterators.size === 0) return false;
  let found = false;
  walkExpression(
    e,
    (x) => void (found ||= x.kind === 'ref' && x.parts.length === 1 && scope.iterators.has(x.parts[0].name)),
  );
  return found;
};

/** How many values a type has that can be counted: an enumeration, or Boolean. */
export function countOf(b: Builder, e: Expr, scope: Scope): number | undefined {
  if (e.kind !== 'ref' || e.parts.some((p) => p.subscripts.length > 0)) return undefined;
  const name = e.parts.map((p) => p.name).join('.');
  if (name === 'Boolean') return 2;
  if (memberOf(b, scope.instance, e.parts[0].name)) return undefined;
  return findClass(b.library, scope.home, name)?.definition.enumeration?.length;
}

/** A resolved thing as a value: records become values of their fields. Undefined for parts. */
function asValue(b: Builder, r: Resolved): Value | undefined {
  if (isValue(r)) return r;
  if (Array.isArray(r)) {
    const all = r.map((x) => asValue(b, x as Resolved));
    return all.every((x) => x !== undefined) ? (all as Value[]) : undefined;
  }
  if (!isClassInstance(r) || (r.ref.definition.classKind !== 'record' && r.ref.definition.classKind !== 'connector'))
    return undefined;
  for (const name of [...(b.pending.get(r)?.keys() ?? [])]) memberOf(b, r, name);
  const fields = new Map<string, Value>();
  for (const [name, member] of r.members) {
    const value = asValue(b, toResolved(member));
    if (value !== undefined) fields.set(name, value);
  }
  return { fields, typeName: r.ref.definition.name };
}

/** `x[i]` with an index that changes during the run: the element is chosen then. Undefined where all indices are known. */
function movingElement(b: Builder, e: RefExpr, scope: Scope): Value | undefined {
  const moving = findMovingIndex(b, e, scope, (subscript, at) => visit(b, subscript, at));
  if (!moving) return undefined;
  const { source, value: index } = moving;
  refuseTruth(b, index, source, scope);
  const element = (n: number): Value => visit(b, withNumber(e, moving, n), scope);
  const first = element(1);
  const count = lengthOf(visit(b, withIndex(e, moving, { kind: 'colon', span: source.span }), scope), first);
  // there is no element of another number: what would need it has no value
  let value = mapValue(first, () => constant(NaN));
  for (let n = count; n >= 1; n--)
    value = chooseValue(binary('eq', index, constant(n)), n === 1 ? first : element(n), value);
  return value;
}

/** How many elements there are along the one dimension that a whole has more than each of its elements. */
function lengthOf(whole: Value, element: Value): number {
  const [all, each] = [shapeOf(whole), shapeOf(element)];
  const axis = each.findIndex((n, k) => n !== all[k]);
  return all[axis < 0 ? all.length - 1 : axis] ?? 1;
}

/** Element by element; a single value goes with every one of an array. */
const elementwisePair = (x: Value, y: Value, f: (a: FlatExpr, b: FlatExpr) => FlatExpr, what: string): Value => {
  if (isArray(x) && isArray(y)) {
    if (x.length !== y.length)
      throw new ShapeError(`${what}: one array has ${x.length} elements, the other ${y.length}`);
    return x.map((v, k) => elementwisePair(v, y[k], f, what));
  }
  if (isArray(x)) return x.map((v) => elementwisePair(v, y, f, what));
  if (isArray(y)) return y.map((v) => elementwisePair(x, v, f, what));
  if (isRecord(x) || isRecord(y)) throw new ShapeError('A record has no single value');
  return f(x, y);
};

/** `der` of a quantity, or of an expression by the rules of differentiation. */
function derivative(b: Builder, x: FlatExpr, source: Expr, scope: Scope): FlatExpr {
  return differentiate(x, (leaf) => {
    if (leaf.op === 'time') return one;
    if (leaf.op === 'der')
      return fail(
        b,
        scope,
        source.span,
        'der',
        `${printExpression(source)} is a derivative already: give it a name of its own first`,
      );
    if (leaf.op !== 'var') return zero;
    const { kind } = b.variables[leaf.index];
    return kind === 'constant' || kind === 'parameter' ? zero : { op: 'der', index: leaf.index };
  });
}

/** `in(mode.Fast)`: whether a state of a chart is active. */
function stateOf(b: Builder, e: CallExpr, scope: Scope): FlatExpr {
  const ref = e.args[0];
  if (ref.kind !== 'ref')
    return fail(b, scope, e.span, 'state', 'in(...) takes the name of a state, such as in(mode.Fast)');
  let instance: ClassInstance = scope.instance;
  let k = 0;
  for (; k < ref.parts.length - 1; k++) {
    const next = memberOf(b, instance, ref.parts[k].name);
    if (!isClassInstance(next)) break;
    instance = next;
  }
  const names = ref.parts.slice(k).map((p) => p.name);
  const named = instance.charts.find((c) => c.source.name === names[0]);
  const charts = named && names.length > 1 ? [named] : instance.charts;
  const wanted = named && names.length > 1 ? names.slice(1) : names;
  const found = charts.flatMap((chart) => {
    const index = chart.source.states.findIndex(
      (s, j) => s.name === wanted.at(-1) && matchesPath(chart.source.states, j, wanted),
    );
    return index >= 0 ? [{ chart, index: chart.states[index] }] : [];
  });
  if (found.length > 1)
    return fail(
      b,
      scope,
      ref.span,
      'ambiguous-state',
      `${wanted.join('.')} is a state of ${found.map((f) => f.chart.source.name).join(' and of ')}: write in(${found[0].chart.source.name}.${wanted.join('.')})`,
    );
  if (found.length === 1) return { op: 'var', index: found[0].index };
  const all = charts.flatMap((c) => c.source.states.map((s) => s.name));
  const near = nearestName(wanted.at(-1)!, all);
  const span = ref.parts.at(-1)!.span;
  b.report(
    scope.place,
    problem(
      'error',
      'unknown-state',
      `${instance.ref.definition.name} has no state ${wanted.join('.')}${near ? `; did you mean ${near}?` : ''}`,
      span,
      near ? [{ title: `Change to ${near}`, span, text: near }] : undefined,
    ),
  );
  throw new NoValue();
}

/** `Turning.Fast` also names `Running.Turning.Fast`. */
function matchesPath(
  states: readonly { name: string; parent: number }[],
  index: number,
  path: readonly string[],
): boolean {
  let at = index;
  for (let k = path.length - 1; k >= 0; k--) {
    while (at >= 0 && states[at].name !== path[k]) at = k === path.length - 1 ? -1 : states[at].parent;
    if (at < 0) return false;
    at = states[at].parent;
  }
  return true;
}
