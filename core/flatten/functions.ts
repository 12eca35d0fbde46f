import type { CallExpr, ComponentElement, Expr, Modification, RefExpr } from '../language/ast';
import { problem } from '../language/diagnostics';
import { printReference } from '../language/print';
import type { Builder } from './builder';
import { claimOf } from './claims';
import { elaborateStrict, indicesOf, NoValue, resultsOf, structuralInteger } from './elaborate';
import { differentiate } from './differentiate';
import {
  binary,
  constant,
  createSubstitution,
  isConstant,
  isRelation,
  one,
  variable,
  walk,
  zero,
  type FlatExpr,
} from './flat-expression';
import { emptyInstance, type Scope } from './instance';
import { findClass, type ClassRef } from './library';
import { carryOut, NoStatement, share, type Space, type Values } from './statements';
import {
  chooseValue,
  fillValue,
  isArray,
  isFunction,
  isRecord,
  mapValue,
  shapeOf,
  unlike,
  type Callable,
  type FunctionValue,
  type Value,
} from './values';

const deepest = 40;

interface Declared {
  readonly element: ComponentElement;
  readonly home: ClassRef;
  /** Its value where nothing is given, and where the names in that are looked up. */
  readonly initial?: { readonly expr: Expr; readonly home: ClassRef };
}

/** Declarations of a function or record with those of its bases, in order, and with the values that were changed on the way. */
function declarationsOf(b: Builder, ref: ClassRef, depth = 0): { declared: Declared[]; bodies: ClassRef[] } {
  if (depth > deepest) return { declared: [], bodies: [] };
  const { short } = ref.definition;
  if (short) {
    const base = findClass(b.library, ref.parent, short.base, 0, true);
    if (!base) return { declared: [], bodies: [] };
    const found = declarationsOf(b, base, depth + 1);
    return { ...found, declared: withChanges(b, found.declared, short.modification, ref.parent ?? ref) };
  }
  const declared: Declared[] = [];
  const bodies: ClassRef[] = [];
  for (const e of ref.definition.elements) {
    if (e.kind === 'extends') {
      const base =
        findClass(b.library, ref, e.base, 0, true) ?? (ref.parent && findClass(b.library, ref.parent, e.base));
      const found = base && declarationsOf(b, base, depth + 1);
      declared.push(...withChanges(b, found?.declared ?? [], e.modification, ref));
      bodies.push(...(found?.bodies ?? []));
    } else if (e.kind === 'component') {
      const before = declared.findIndex((d) => d.element.name === e.name);
      const { value } = e.modification;
      const one: Declared = { element: e, home: ref, ...(value && { initial: { expr: value, home: ref } }) };
      if (before >= 0) declared[before] = one;
      else declared.push(one);
    }
  }
  if (ref.definition.algorithms.length > 0) bodies.push(ref);
  return { declared, bodies };
}

/** `function h = g(k = 5)`, `extends g(k = 5)`: other values for what the base declares. */
function withChanges(b: Builder, declared: readonly Declared[], m: Modification, home: ClassRef): Declared[] {
  const changed = [...declared];
  for (const { path, modification, redeclare, span } of m.args) {
    // a class that is put in place of another is found where its name is looked up
    if (redeclare?.kind === 'class') continue;
    const k = changed.findIndex((d) => d.element.name === path[0]);
    const { value } = modification;
    // units and limits of what it declares do not change what is computed
    if (k >= 0 && path.length === 1 && !redeclare && (value ?? modification.args.length > 0)) {
      if (value) changed[k] = { ...changed[k], initial: { expr: value, home } };
      if (modification.args.every((a) => attributes.has(a.path[0]))) continue;
    }
    b.report(
      home.place,
      problem(
        'error',
        k < 0 ? 'unknown-name' : 'not-supported',
        k < 0
          ? `There is no ${path[0]} to change`
          : `Of ${path[0]} only the value can be changed here, not what is in it`,
        span,
      ),
    );
  }
  return changed;
}
const attributes: ReadonlySet<string> = new Set([
  'unit',
  'displayUnit',
  'quantity',
  'min',
  'max',
  'nominal',
  'start',
  'fixed',
]);

const depthOf = new WeakMap<Builder, number>();

/**
 * The results of a call, as expressions of its arguments: functions are carried out with expressions in place of numbers, so that
 * they can be differentiated and solved like any other equation. A record stands for its constructor.
 */
export function callClass(
  b: Builder,
  callable: Callable,
  call: CallExpr,
  args: readonly Value[],
  named: ReadonlyMap<string, Value>,
  scope: Scope,
): readonly Value[] {
  if ('calls' in callable) {
    const { calls, fields } = callable;
    const inputs = declarationsOf(b, calls).declared.filter((d) => d.element.causality === 'input');
    // what is given already stands under its name, the rest in its order
    const open = inputs.filter((d) => !fields.has(d.element.name));
    if (args.length > open.length) return callClass(b, calls, call, args, named, scope);
    const inOrder = args.map((a, k) => [open[k].element.name, a] as const);
    return callClass(b, calls, call, [], new Map([...fields, ...inOrder, ...named]), scope);
  }
  const ref = callable;
  const fail = (code: string, message: string): never => {
    b.report(scope.place, problem('error', code, message, call.span));
    throw new NoValue();
  };
  const depth = depthOf.get(b) ?? 0;
  if (depth > deepest)
    return fail('endless', `${call.callee} calls itself without end, or its recursion is not decided before the run`);
  const { derivative } = ref.definition.short ?? {};
  if (derivative) return partialDerivative(b, ref, call, args, named, scope, derivative);
  const { declared, bodies } = declarationsOf(b, ref);
  const isRecordClass = ref.definition.classKind === 'record';
  const formals = isRecordClass ? declared : declared.filter((d) => d.element.causality === 'input');
  if (args.length > formals.length)
    return fail(
      'arguments',
      `${call.callee} takes ${formals.length} argument${formals.length === 1 ? '' : 's'}, but ${args.length} are given`,
    );
  for (const name of named.keys())
    if (!formals.some((d) => d.element.name === name)) return fail('arguments', `${call.callee} has no input ${name}`);
  // an array where a single value is expected: the call is made for each element (Modelica language 3.6, 12.4.6)
  const extra = formals
    .map((d, k) => (args[k] === undefined ? 0 : shapeOf(args[k]).length - dimensionsOf(b, d)))
    .map((x) => Math.max(0, x));
  if (!isRecordClass && extra.some((x) => x > 0)) {
    const counts = args.flatMap((a, k) => (extra[k] > 0 ? [(a as readonly Value[]).length] : []));
    const [count] = counts;
    if (counts.some((n) => n !== count))
      return fail('shape', `${call.callee} is called for each element, but its arrays have ${counts.join(' and ')}`);
    const all = Array.from({ length: count }, (_, j) =>
      callClass(
        b,
        ref,
        call,
        args.map((a, k) => (extra[k] > 0 ? (a as readonly Value[])[j] : a)),
        named,
        scope,
      ),
    );
    return (all[0] ?? []).map((_, r) => all.map((results) => results[r]));
  }
  const values: Values = new Map();
  const instance = emptyInstance(ref);
  const inside = (home: ClassRef): Scope => ({
    instance,
    home,
    iterators: new Map(),
    place: home.place,
    values: values as ReadonlyMap<string, Value>,
    ...(scope.sharing && { sharing: scope.sharing }),
    ...(scope.guard && { guard: scope.guard }),
  });
  depthOf.set(b, depth + 1);
  try {
    formals.forEach((d, k) => {
      const given = args[k] ?? named.get(d.element.name);
      if (given !== undefined && isFunction(given) !== takesFunction(b, d))
        fail(
          'arguments',
          takesFunction(b, d)
            ? `The input ${d.element.name} of ${call.callee} is a function, but a value is given`
            : `The input ${d.element.name} of ${call.callee} is a value, but the function ${(given as FunctionValue).typeName} is given`,
        );
      if (given !== undefined) values.set(d.element.name, share(b, given, scope, d.element.name));
      else if (d.initial) values.set(d.element.name, elaborateStrict(b, d.initial.expr, inside(d.initial.home)));
      else if (!isRecordClass) fail('arguments', `${call.callee} needs a value for its input ${d.element.name}`);
      else values.set(d.element.name, emptyValue(b, d, inside(d.home)));
    });
    if (isRecordClass)
      return [{ fields: new Map([...values].map(([name, v]) => [String(name), v])), typeName: ref.definition.name }];
    if (ref.definition.external)
      return fail('not-supported', `${call.callee} is an external function: those are not supported`);
    for (const d of declared) {
      if (d.element.causality === 'input') continue;
      const { initial } = d;
      values.set(
        d.element.name,
        initial ? elaborateStrict(b, initial.expr, inside(initial.home)) : emptyValue(b, d, inside(d.home)),
      );
    }
    const space = functionSpace(b, new Set(declared.filter(isOpen).map((d) => d.element.name)));
    for (const body of bodies) {
      for (const algorithm of body.definition.algorithms)
        if (carryOut(b, algorithm, space, values, scope.guard ?? one, inside(body)) === 'return') break;
    }
    return declared
      .filter((d) => d.element.causality === 'output')
      .map((d) => {
        const result = values.get(d.element.name) ?? zero;
        return mapValue(result, withoutEvents);
      });
  } catch (error) {
    if (error instanceof NoStatement) throw new NoValue();
    throw error;
  } finally {
    depthOf.set(b, depth);
  }
}

let placeholders = 0;

/**
 * The results of a function differentiated for some of its inputs, one after the other: it is carried out with a name of its own
 * in place of each, as an expression, which is differentiated there (Modelica language 3.6, 12.7.2).
 */
function partialDerivative(
  b: Builder,
  ref: ClassRef,
  call: CallExpr,
  args: readonly Value[],
  named: ReadonlyMap<string, Value>,
  scope: Scope,
  inputs: NonNullable<NonNullable<ClassRef['definition']['short']>['derivative']>,
): readonly Value[] {
  const fail = (code: string, message: string, span = call.span, place = scope.place): never => {
    b.report(place, problem('error', code, message, span));
    throw new NoValue();
  };
  const short = ref.definition.short!;
  const base = findClass(b.library, ref.parent, short.base, 0, true);
  if (!base || base.definition.classKind !== 'function')
    return fail('unknown-name', `There is no function ${short.base} to differentiate`, short.baseSpan, ref.place);
  const formals = declarationsOf(b, base).declared.filter((d) => d.element.causality === 'input');
  const given = [...args];
  const others = new Map(named);
  const replaced = new Map<number, FlatExpr>();
  const orders: number[] = [];
  const known = new Map<string, number>();
  for (const { name, span } of inputs) {
    const again = known.get(name);
    if (again !== undefined) {
      orders.push(again);
      continue;
    }
    const k = formals.findIndex((d) => d.element.name === name);
    if (k < 0) return fail('unknown-name', `${short.base} has no input ${name}`, span, ref.place);
    const d = formals[k];
    const value =
      given[k] ??
      others.get(name) ??
      (d.initial && elaborateStrict(b, d.initial.expr, { ...scope, home: d.initial.home }));
    if (value === undefined) return fail('arguments', `${call.callee} needs a value for its input ${name}`);
    if (
      isArray(value) ||
      isRecord(value) ||
      dimensionsOf(b, d) > 0 ||
      /^(Integer|Boolean|String)$/.test(d.element.typeName)
    )
      return fail(
        'not-supported',
        `${name} of ${short.base} is no single Real: there is no derivative for it`,
        span,
        ref.place,
      );
    const leaf = --placeholders;
    replaced.set(leaf, value as FlatExpr);
    known.set(name, leaf);
    orders.push(leaf);
    if (k < given.length) given[k] = variable(leaf);
    else others.set(name, variable(leaf));
  }
  const { sharing: _, ...alone } = scope;
  const results = callClass(b, base, call, given, others, alone);
  const back = createSubstitution((x) => (x.op === 'var' ? replaced.get(x.index) : undefined));
  return results.map((r) =>
    mapValue(r, (e) =>
      back(orders.reduce((x, leaf) => differentiate(x, (y) => (y.op === 'var' && y.index === leaf ? one : zero)), e)),
    ),
  );
}

/** Conditions of functions are no events, as the language has it. */
function withoutEvents(e: FlatExpr): FlatExpr {
  // a condition itself may still decide something where the function is called
  if (isRelation(e.op) || e.op === 'and' || e.op === 'or' || e.op === 'not') return e;
  let decides = false;
  walk(
    e,
    (x) =>
      void (decides ||=
        isRelation(x.op) || (x.op === 'fn' && ['sign', 'floor', 'ceil', 'integer', 'mod'].includes(x.name))),
  );
  return decides ? { op: 'noEvent', a: e } : e;
}

/** Dimensions a declaration has, those of its type included. */
function dimensionsOf(b: Builder, d: Declared): number {
  const type = findClass(b.library, d.home, d.element.typeName);
  return d.element.dimensions.length + (type?.definition.short?.dimensions.length ?? 0);
}

const takesFunction = (b: Builder, d: Declared): boolean =>
  findClass(b.library, d.home, d.element.typeName)?.definition.classKind === 'function';

/** What a name of a function has before it is given a value. */
function emptyValue(b: Builder, d: Declared, scope: Scope): Value {
  const type = findClass(b.library, d.home, d.element.typeName);
  const sizes = [...d.element.dimensions, ...(type?.definition.short?.dimensions ?? [])].map((x) =>
    x.kind === 'colon' ? 0 : (structuralInteger(b, x, scope, `The size of ${d.element.name}`) ?? 0),
  );
  const single: Value =
    type?.definition.classKind === 'record' && !type.definition.short
      ? {
          fields: new Map(
            declarationsOf(b, type).declared.map((f) => [f.element.name, emptyValue(b, f, { ...scope, home: f.home })]),
          ),
          typeName: type.definition.name,
        }
      : zero;
  return fillValue(single, sizes);
}

/** Its size follows from what it is given. */
const isOpen = (d: Declared): boolean => d.element.dimensions.some((x) => x.kind === 'colon');

const scalarOf = (v: Value): FlatExpr | undefined => (isArray(v) || isRecord(v) ? undefined : v);

function functionSpace(b: Builder, open: ReadonlySet<string>): Space {
  const at = (values: Values, scope: Scope): Scope => ({
    ...scope,
    values: new Map([...(scope.values ?? []), ...values]) as ReadonlyMap<string, Value>,
  });
  return {
    read: (e, values, scope) => elaborateStrict(b, e, at(values, scope)),
    results: (e, values, scope) => resultsOf(b, e, at(values, scope)),
    write(target, value, values, scope) {
      const name = target.parts[0].name;
      const before = values.get(name);
      if (before === undefined) {
        b.report(
          scope.place,
          problem('error', 'unknown-name', `${name} is not declared in this function`, target.span),
        );
        throw new NoStatement();
      }
      const isWhole = target.parts.length === 1 && target.parts[0].subscripts.length === 0;
      if (isWhole && open.has(name) && isArray(value)) {
        values.set(name, share(b, mapValue(value, withoutEvents), scope, name));
        return;
      }
      values.set(
        name,
        share(b, replaced(b, before, target, 0, 0, mapValue(value, withoutEvents), at(values, scope)), scope, name),
      );
    },
    before: () => zero,
    settled: withoutEvents,
    // what a function says has no effect on its values; what it checks is checked wherever it is called
    other(s, values, guard, scope) {
      if (s.kind === 'call' && s.call.callee === 'assert') {
        const inside = at(values, scope);
        const origin = scope.sharing?.origin;
        const claim =
          origin &&
          claimOf(
            b,
            s.call,
            inside,
            (e) => scalarOf(elaborateStrict(b, e, inside)),
            isConstant(guard) ? undefined : guard,
          );
        if (claim && origin) {
          if (!isConstant(claim.condition) || claim.condition.value === 0) b.assertions.push({ ...claim, origin });
        } else
          b.report(
            scope.place,
            problem(
              'warning',
              'not-checked',
              'An assertion in a function is not looked at here: put it where the function is called',
              s.span,
            ),
          );
      }
      return s.kind === 'call';
    },
  };
}

/** A value with one element or field of it replaced; what takes its place has its shape. */
function replaced(
  b: Builder,
  whole: Value,
  target: RefExpr,
  part: number,
  subscript: number,
  value: Value,
  scope: Scope,
): Value {
  const p = target.parts[part];
  const refuse = (message: string): never => {
    b.report(scope.place, problem('error', 'shape', message, target.span));
    throw new NoStatement();
  };
  if (subscript < p.subscripts.length) {
    if (!isArray(whole))
      return refuse(`${printReference(target)}: ${p.name} has fewer dimensions than subscripts here`);
    const index = indicesOf(b, p.subscripts[subscript], scope, whole.length);
    if (index === 'all' || Array.isArray(index)) {
      const list = index === 'all' ? whole.map((_, k) => k + 1) : index;
      if (!isArray(value) || value.length !== list.length)
        return refuse(
          `${printReference(target)} has ${list.length} elements, but ${isArray(value) ? value.length : 'a single value'} ${isArray(value) && value.length > 1 ? 'are' : 'is'} given`,
        );
      const outside = list.find((k) => !(k >= 1 && k <= whole.length));
      if (outside !== undefined)
        return refuse(`${printReference(target)}: index ${outside} is outside 1 to ${whole.length}`);
      return whole.map((old, k) => {
        // of an element named twice the last value counts
        const j = list.lastIndexOf(k + 1);
        return j < 0 ? old : replaced(b, old, target, part, subscript + 1, value[j], scope);
      });
    }
    if (typeof index === 'number') {
      if (!(index >= 1 && index <= whole.length))
        return refuse(`${printReference(target)}: index ${index} is outside 1 to ${whole.length}`);
      return whole.map((old, k) =>
        k + 1 === index ? replaced(b, old, target, part, subscript + 1, value, scope) : old,
      );
    }
    // an index that changes during the run: each element may be the one, and where none is, none has a value
    const isInside = binary(
      'and',
      binary('ge', index as FlatExpr, one),
      binary('le', index as FlatExpr, constant(whole.length)),
    );
    return whole.map((old, k) => {
      const mine = replaced(b, old, target, part, subscript + 1, value, scope);
      const rest = chooseValue(
        isInside,
        old,
        mapValue(old, () => constant(NaN)),
      );
      return chooseValue(binary('eq', index as FlatExpr, constant(k + 1)), mine, rest);
    });
  }
  const next = target.parts[part + 1];
  if (!next) {
    const differs = unlike(whole, value);
    return differs === undefined ? value : refuse(`${printReference(target)} ${differs}`);
  }
  if (!isRecord(whole)) return refuse(`${p.name} has no ${next.name}`);
  const field = whole.fields.get(next.name);
  if (field === undefined) return refuse(`${whole.typeName} has no ${next.name}`);
  return {
    ...whole,
    fields: new Map([...whole.fields, [next.name, replaced(b, field, target, part + 1, 0, value, scope)]]),
  };
}
