import { table } from '../language/table';
import type { RefExpr, RefPart } from '../language/ast';
import { problem } from '../language/diagnostics';
import { nearestName } from '../language/nearest';
import { printReference } from '../language/print';
import type { Builder } from './builder';
import { constant, variable, type FlatExpr } from './flat-expression';
import type { ClassInstance, Instance, Scope } from './instance';
import { findClass } from './library';
import { isArray, partOf, type Value } from './values';

export type Resolved = Value | ClassInstance | readonly Resolved[];

export const isClassInstance = (r: Resolved | Instance | undefined): r is ClassInstance =>
  typeof r === 'object' && r !== null && 'kind' in r && r.kind === 'class';

/** A member, made now if its declaration comes later in the text. */
export function memberOf(b: Builder, instance: ClassInstance, name: string): Instance | undefined {
  const known = instance.members.get(name);
  if (known) return known;
  const make = b.pending.get(instance)?.get(name);
  if (!make) return undefined;
  b.pending.get(instance)?.delete(name);
  make();
  return instance.members.get(name);
}

/** Physical constants under their usual path in Modelica texts (CODATA 2018). */
const wellKnown: Record<string, number> = table({
  'Modelica.Constants.pi': Math.PI,
  'Modelica.Constants.e': Math.E,
  'Modelica.Constants.g_n': 9.80665,
  'Modelica.Constants.R': 8.31446261815324,
  'Modelica.Constants.sigma': 5.670374419e-8,
  'Modelica.Constants.c': 299792458,
  'Modelica.Constants.eps': 1e-15,
  'Modelica.Constants.small': 1e-60,
  'Modelica.Constants.inf': 1e60,
  'Modelica.Constants.T_zero': -273.15,
  'Modelica.Constants.k': 1.380649e-23,
  'Modelica.Constants.N_A': 6.02214076e23,
});

type Subscript = number | readonly number[] | 'all';

/** Follows a reference. Undefined where nothing has that name; the problem has been reported then. */
export function resolve(
  b: Builder,
  ref: RefExpr,
  scope: Scope,
  subscript: (part: RefPart, size: number) => Subscript[],
): Resolved | undefined {
  const first = ref.parts[0];
  if (ref.parts.length === 1 && first.subscripts.length === 0) {
    const iterator = scope.iterators.get(first.name);
    if (iterator !== undefined) return constant(iterator);
    const local = scope.locals?.get(first.name);
    if (local !== undefined) return variable(local);
    if (first.name === 'time') return { op: 'time' };
  }
  const bound = ref.global ? undefined : scope.values?.get(first.name);
  if (bound !== undefined) return insideValue(b, bound, ref, 0, scope, subscript);
  let start: Instance | undefined = ref.global ? undefined : memberOf(b, scope.instance, first.name);
  let rest = ref.parts.slice(1);
  if (!start) {
    const found = staticMember(b, ref, scope);
    if (!found) {
      unknownName(b, ref, scope);
      return undefined;
    }
    if ('value' in found) return found.value;
    start = found.instance;
    rest = ref.parts.slice(found.used);
    return follow(b, start, found.part, rest, ref, scope, subscript);
  }
  return follow(b, start, first, rest, ref, scope, subscript);
}

/** Follows subscripts and fields into a value of a function. */
function insideValue(
  b: Builder,
  value: Value,
  ref: RefExpr,
  at: number,
  scope: Scope,
  subscript: (part: RefPart, size: number) => Subscript[],
): Resolved | undefined {
  const part = ref.parts[at];
  const index = (v: Value, k: number): Value | undefined => {
    if (k >= part.subscripts.length) return v;
    if (!isArray(v)) {
      b.report(
        scope.place,
        problem('error', 'not-an-array', `${part.name} has fewer dimensions than subscripts here`, part.span),
      );
      return undefined;
    }
    const s = subscript(part, v.length)[k];
    const sizes = s === 'all' ? v.map((_, j) => j + 1) : typeof s === 'number' ? [s] : s;
    const wrong = sizes.find((j) => !(j >= 1 && j <= v.length));
    if (wrong !== undefined) {
      b.report(
        scope.place,
        problem('error', 'subscript', `${printReference(ref)}: index ${wrong} is outside 1 to ${v.length}`, ref.span),
      );
      return undefined;
    }
    if (typeof s === 'number') return index(v[s - 1], k + 1);
    const picked = sizes.map((j) => index(v[j - 1], k + 1));
    return picked.every((x) => x !== undefined) ? (picked as Value[]) : undefined;
  };
  const found = index(value, 0);
  if (found === undefined || at + 1 >= ref.parts.length) return found;
  const next = ref.parts[at + 1];
  const field = partOf(found, next.name);
  if (field === undefined) {
    b.report(scope.place, problem('error', 'unknown-name', `${part.name} has no ${next.name}`, next.span));
    return undefined;
  }
  return insideValue(b, field, ref, at + 1, scope, subscript);
}

function follow(
  b: Builder,
  node: Instance,
  part: RefPart,
  rest: readonly RefPart[],
  ref: RefExpr,
  scope: Scope,
  subscript: (part: RefPart, size: number) => Subscript[],
): Resolved | undefined {
  let indexed: Instance | readonly Instance[] = node;
  let at: Instance = node;
  if (part.subscripts.length > 0) {
    const apply = (n: Instance, k: number): Instance | readonly Instance[] | undefined => {
      if (k >= part.subscripts.length) return n;
      if (n.kind !== 'array') {
        b.report(
          scope.place,
          problem('error', 'not-an-array', `${part.name} has fewer dimensions than subscripts here`, part.span),
        );
        return undefined;
      }
      const s = subscript(part, n.elements.length)[k];
      const sizes =
        s === undefined ? [] : s === 'all' ? n.elements.map((_, j) => j + 1) : typeof s === 'number' ? [s] : s;
      for (const j of sizes) {
        if (!(j >= 1 && j <= n.elements.length)) {
          b.report(
            scope.place,
            problem(
              'error',
              'subscript',
              `${printReference(ref)}: index ${j} is outside 1 to ${n.elements.length}`,
              ref.span,
            ),
          );
          return undefined;
        }
      }
      if (typeof s === 'number') return apply(n.elements[s - 1], k + 1);
      const picked: Instance[] = [];
      for (const j of sizes) {
        const one = apply(n.elements[j - 1], k + 1);
        if (one === undefined) return undefined;
        picked.push(
          Array.isArray(one) ? { kind: 'array', elements: one as Instance[], isConnector: false } : (one as Instance),
        );
      }
      return { kind: 'array', elements: picked, isConnector: n.isConnector };
    };
    const result = apply(node, 0);
    if (result === undefined) return undefined;
    indexed = result;
    at = indexed as Instance;
  }
  if (rest.length === 0) return toResolved(at);
  const [next, ...more] = rest;
  const into = (n: Instance): Resolved | undefined => {
    if (n.kind === 'array') {
      const all = n.elements.map(into);
      return all.some((x) => x === undefined) ? undefined : (all as Resolved[]);
    }
    const member = n.kind === 'class' ? memberOf(b, n, next.name) : undefined;
    if (!member) {
      if (n.kind === 'class') {
        const near = nearestName(next.name, n.members.keys());
        b.report(
          scope.place,
          problem(
            'error',
            'unknown-name',
            `${n.ref.definition.name} has no quantity or part named ${next.name}${near ? `; did you mean ${near}?` : ''}`,
            next.span,
            near ? [{ title: `Change to ${near}`, span: next.span, text: near }] : undefined,
          ),
        );
      } else
        b.report(
          scope.place,
          problem('error', 'unknown-name', `${part.name} is a single value and has no ${next.name}`, next.span),
        );
      return undefined;
    }
    return follow(b, member, next, more, ref, scope, subscript);
  };
  return into(at);
}

export function toResolved(n: Instance): Resolved {
  if (n.kind === 'leaf') return variable(n.index);
  if (n.kind === 'array') return n.elements.map(toResolved);
  return n;
}

/** Whether a resolved thing consists of scalars only. */
export function isValue(r: Resolved): r is Value {
  return Array.isArray(r) ? r.every(isValue) : !isClassInstance(r);
}

/** Constants of packages and enclosing classes, enumeration literals, imported constants. */
function staticMember(
  b: Builder,
  ref: RefExpr,
  scope: Scope,
): { value: FlatExpr } | { instance: Instance; used: number; part: RefPart } | undefined {
  const names = ref.parts.map((p) => p.name);
  const known = wellKnown[names.join('.')];
  if (known !== undefined) return { value: constant(known) };
  for (let at = ref.global ? undefined : scope.home, first = true; at; at = at.parent, first = false) {
    for (const e of at.definition.elements) {
      if (e.kind !== 'import') continue;
      const alias = e.alias ?? e.path.split('.').at(-1)!;
      const path = e.wildcard
        ? [...e.path.split('.'), ...names]
        : alias === names[0]
          ? [...e.path.split('.'), ...names.slice(1)]
          : undefined;
      const value = path && wellKnown[path.join('.')];
      if (value !== undefined) return { value: constant(value as number) };
      if (!path) continue;
      const owner = findClass(b.library, undefined, `.${path.slice(0, -1).join('.')}`);
      const member = owner && memberOf(b, b.staticInstance(owner), path.at(-1)!);
      if (member) return { instance: member, used: ref.parts.length, part: ref.parts.at(-1)! };
    }
    if (first) continue;
    const constantHere = at.definition.elements.some(
      (e) => e.kind === 'component' && e.name === names[0] && e.variability === 'constant',
    );
    if (constantHere) {
      const member = memberOf(b, b.staticInstance(at), names[0]);
      if (member) return { instance: member, used: 1, part: ref.parts[0] };
    }
  }
  for (let used = names.length - 1; used >= 1; used--) {
    const owner = findClass(b.library, scope.home, (ref.global ? '.' : '') + names.slice(0, used).join('.'));
    if (!owner) continue;
    const literal = owner.definition.enumeration?.indexOf(names[used]) ?? -1;
    if (literal >= 0) return { value: constant(literal + 1) };
    const declared = owner.definition.elements.some(
      (e) => (e.kind === 'component' && e.name === names[used] && e.variability === 'constant') || e.kind === 'extends',
    );
    const member = declared ? memberOf(b, b.staticInstance(owner), names[used]) : undefined;
    if (member) return { instance: member, used: used + 1, part: ref.parts[used] };
  }
  return undefined;
}

function unknownName(b: Builder, ref: RefExpr, scope: Scope): void {
  const first = ref.parts[0];
  const names = [
    ...scope.instance.members.keys(),
    ...(b.pending.get(scope.instance)?.keys() ?? []),
    ...scope.iterators.keys(),
    ...(scope.locals?.keys() ?? []),
    'time',
  ];
  const near = nearestName(first.name, names);
  const fixes = near ? [{ title: `Change to ${near}`, span: first.span, text: near }] : undefined;
  const where = scope.instance.ref.definition.name;
  b.report(
    scope.place,
    problem(
      'error',
      'unknown-name',
      `${first.name} is not a quantity or part of ${where}${near ? `; did you mean ${near}?` : ''}`,
      first.span,
      fixes,
    ),
  );
}
