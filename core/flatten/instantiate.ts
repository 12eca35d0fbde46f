import type { ComponentElement, Expr, Modification, ModificationArgument } from '../language/ast';
import { problem, type Problem, type Span } from '../language/diagnostics';
import { nearestName } from '../language/nearest';
import { parseUnit } from '../language/units';
import { plainVariable, TooLarge, type Builder } from './builder';
import { countOf, elaborate, elaborateScalar, structuralInteger } from './elaborate';
import { zero } from './flat-expression';
import type { FlatVariable, ValueType } from './flat-model';
import {
  fieldModifier,
  indexModifier,
  mergeModifiers,
  modifierOf,
  noModifier,
  type ArrayInstance,
  type ClassBody,
  type ClassInstance,
  type Instance,
  type Modifier,
  type Scope,
} from './instance';
import { findClass, fullNames, memberClass, nestedClasses, replacement, withReplaced, type ClassRef } from './library';
import { memberOf } from './resolve';
import { fillValue, isArray, isRecord, partOf } from './values';

const builtinAttributes: ReadonlySet<string> = new Set([
  'quantity',
  'unit',
  'displayUnit',
  'min',
  'max',
  'start',
  'fixed',
  'nominal',
  'stateSelect',
  'unbounded',
]);
const builtins: ReadonlySet<string> = new Set(['Real', 'Integer', 'Boolean', 'String']);
const deepest = 60;

/** One declaration of a class or of one of its bases. */
interface Declaration {
  readonly element: ComponentElement;
  readonly home: ClassRef;
  /** From extends clauses, outermost first. */
  readonly modifier: Modifier | undefined;
}

interface Context {
  readonly parent?: ClassInstance;
  readonly prefix: string;
  readonly depth: number;
  readonly variability: ComponentElement['variability'];
  readonly causality: ComponentElement['causality'];
  readonly isFlow: boolean;
  readonly isProtected: boolean;
  /** It, or what it is in, cannot be changed from outside. */
  readonly isFinal: boolean;
  readonly isConnector: boolean;
}

export const rootContext: Context = {
  prefix: '',
  depth: 0,
  variability: 'continuous',
  causality: 'none',
  isFlow: false,
  isProtected: false,
  isFinal: false,
  isConnector: false,
};

const scopeOf = (instance: ClassInstance, home: ClassRef): Scope => ({
  instance,
  home,
  iterators: new Map(),
  place: home.place,
});

/** What is said of a short class with its definition. */
const ownModifier = (b: Builder, ref: ClassRef, modification: Modification, instance: ClassInstance): Modifier =>
  b.given.get(ref) ?? modifierOf(modification, scopeOf(instance, ref));

/** A class with those a modification puts in place of its replaceable ones. */
function withRedeclared(b: Builder, ref: ClassRef, modifier: Modifier | undefined): ClassRef {
  const replaced = new Map<string, ClassRef>();
  for (const [name, { redeclare }] of modifier?.children ?? []) {
    if (!redeclare?.definition || ref.replaced?.has(name) || !memberClass(b.library, ref, name)) continue;
    const other = replacement(redeclare.definition, redeclare.home);
    b.given.set(other, redeclare.modifier);
    replaced.set(name, other);
  }
  return withReplaced(ref, replaced);
}

/** The base of a class, with what the class and whoever changed it put in place of the replaceable classes of the base. */
function baseWithRedeclared(b: Builder, base: ClassRef, ref: ClassRef, own: Modifier): ClassRef {
  const above = new Map<string, ClassRef>();
  for (const e of ref.definition.elements)
    if (e.kind === 'class' && e.redeclare && !ref.replaced?.has(e.name))
      above.set(e.name, nestedClasses(ref).get(e.name)!);
  for (const [name, other] of ref.replaced ?? []) above.set(name, other);
  for (const name of [...above.keys()]) if (!memberClass(b.library, base, name)) above.delete(name);
  return withRedeclared(b, withReplaced(base, above), own);
}

/** A class that stands in itself has no end: it is told of the one that comes again, nothing else of it can be told. */
function endless(instance: ClassInstance): Problem {
  const seen = new Map<unknown, ClassRef>();
  let found = instance.ref;
  for (let at: ClassInstance | undefined = instance; at; at = at.parent) {
    found = seen.get(at.ref.definition) ?? found;
    seen.set(at.ref.definition, at.ref);
  }
  const { definition, place } = found;
  return {
    ...problem(
      'error',
      'endless',
      `${definition.name} contains itself, directly or through its parts`,
      definition.nameSpan,
    ),
    place,
  };
}

/** Makes the instance tree below a class. */
export function instantiateClass(
  b: Builder,
  original: ClassRef,
  name: string,
  modifier: Modifier,
  context: Context,
): ClassInstance {
  const ref = withRedeclared(b, original, modifier);
  const bodies: ClassBody[] = [];
  const instance: ClassInstance = {
    kind: 'class',
    name,
    ref,
    members: new Map(),
    bodies,
    inner: new Set(),
    disabled: new Set(),
    charts: [],
    isConnector: context.isConnector || ref.definition.classKind === 'connector',
    part: b.parts.length,
    ...(context.parent && { parent: context.parent }),
  };
  b.parts.push({ name, typeName: ref.definition.name, instance });
  if (context.depth > deepest) throw new TooLarge(endless(instance));
  const declarations = new Map<string, Declaration>();
  collect(b, instance, ref, undefined, declarations, bodies, 0);
  // what is inner is found by everything inside, whatever the order of the declarations
  for (const [member, { element }] of declarations) if (element.inner) instance.inner.add(member);
  const isRecordClass = ref.definition.classKind === 'record';
  const pending = new Map<string, () => void>();
  b.pending.set(instance, pending);
  for (const [member, declaration] of declarations) {
    pending.set(member, () => {
      const made = instantiateComponent(
        b,
        instance,
        declaration,
        isRecordClass ? fieldModifier(modifier, member) : modifier.children.get(member),
        context,
      );
      if (made) instance.members.set(member, made);
    });
  }
  for (const member of declarations.keys()) {
    const make = pending.get(member);
    pending.delete(member);
    make?.();
  }
  for (const body of bodies) {
    instantiateCharts(b, instance, body);
    instantiateMeasured(b, instance, body);
  }
  for (const [member, m] of modifier.children) {
    if (declarations.has(member) || m.redeclare) continue;
    const bound = firstValue(m);
    const near = nearestName(member, declarations.keys());
    if (bound) {
      b.report(
        bound.scope.place,
        problem(
          'error',
          'unknown-name',
          `${ref.definition.name} has no ${member} to change${near ? `; did you mean ${near}?` : ''}`,
          bound.expr.span,
        ),
      );
    }
  }
  return instance;
}

const firstValue = (m: Modifier): { scope: Scope; expr: Expr } | undefined =>
  m.value ?? [...m.children.values()].map(firstValue).find((v) => v !== undefined);

/** Gathers the declarations of a class with those of its bases, and the bodies whose equations hold. */
function collect(
  b: Builder,
  instance: ClassInstance,
  ref: ClassRef,
  modifier: Modifier | undefined,
  into: Map<string, Declaration>,
  bodies: ClassBody[],
  depth: number,
): void {
  if (depth > deepest) {
    b.report(ref.place, problem('error', 'endless', `${ref.definition.name} extends itself`, ref.definition.nameSpan));
    return;
  }
  const { definition } = ref;
  if (definition.short) {
    const base = findClass(b.library, ref.parent, definition.short.base, 0, true);
    const own = ownModifier(b, ref, definition.short.modification, instance);
    if (base)
      collect(
        b,
        instance,
        baseWithRedeclared(b, base, ref, own),
        modifier ? mergeModifiers(modifier, own) : own,
        into,
        bodies,
        depth + 1,
      );
    return;
  }
  for (const e of definition.elements) {
    if (e.kind === 'extends') {
      const base =
        findClass(b.library, ref, e.base, 0, true) ?? (ref.parent && findClass(b.library, ref.parent, e.base));
      if (builtins.has(e.base)) continue;
      if (!base) {
        b.report(ref.place, problem('error', 'unknown-type', `There is no class ${e.base} to extend`, e.span));
        continue;
      }
      const own = modifierOf(e.modification, scopeOf(instance, ref));
      const first = bodies.length;
      const known = new Set(into.keys());
      collect(
        b,
        instance,
        baseWithRedeclared(b, base, ref, own),
        modifier ? mergeModifiers(modifier, own) : own,
        into,
        bodies,
        depth + 1,
      );
      const broken = e.modification.args.filter((x) => x.isBroken);
      if (broken.length > 0) leaveOut(b, ref, broken, known, into, bodies, first);
    } else if (e.kind === 'component') {
      if (into.has(e.name) && into.get(e.name)!.home === ref && !e.redeclare) {
        b.report(
          ref.elementPlace?.(e.name) ?? ref.place,
          problem('error', 'duplicate-name', `${e.name} is declared twice in ${definition.name}`, e.nameSpan),
        );
      }
      const before = into.get(e.name);
      into.set(e.name, {
        element: e,
        home: ref,
        modifier: modifier?.children.get(e.name) ?? (e.redeclare ? before?.modifier : undefined),
      });
    }
  }
  bodies.push({ ref, ...(ref.behaviour && { behaviour: ref.behaviour() }) });
}

/** `extends A(break z)`: z is not inherited, nor what connects it (Modelica language 3.6, 7.4). */
function leaveOut(
  b: Builder,
  ref: ClassRef,
  broken: readonly ModificationArgument[],
  known: ReadonlySet<string>,
  into: Map<string, Declaration>,
  bodies: ClassBody[],
  first: number,
): void {
  const names = new Set(broken.map((x) => x.path.join('.')));
  for (const { path, span } of broken) {
    const name = path.join('.');
    if (known.has(name) || !into.delete(name))
      b.report(
        ref.place,
        problem('error', 'unknown-name', `There is no ${name} to leave out of what is inherited`, span),
      );
  }
  for (let k = first; k < bodies.length; k++)
    bodies[k] = { ...bodies[k], without: new Set([...(bodies[k].without ?? []), ...names]) };
}

function instantiateComponent(
  b: Builder,
  instance: ClassInstance,
  d: Declaration,
  outer: Modifier | undefined,
  context: Context,
): Instance | undefined {
  const { element, home } = d;
  const scope = scopeOf(instance, home);
  const place = home.elementPlace?.(element.name) ?? home.place;
  if (element.condition) {
    const value = elaborateScalar(b, element.condition, scope);
    const known = value && b.structural(value);
    if (known === undefined) {
      b.report(
        place,
        problem(
          'error',
          'not-constant',
          `The condition of ${element.name} must be known before the run`,
          element.condition.span,
        ),
      );
      return undefined;
    }
    if (!known) {
      instance.disabled.add(element.name);
      return undefined;
    }
  }
  if (element.outer && !element.inner) {
    const found = findInner(b, instance, element.name);
    if (found) return found;
    b.report(place, problem('error', 'no-inner', `No enclosing part declares inner ${element.name}`, element.nameSpan));
  }
  const changed = element.final ? (firstValue(outer ?? noModifier) ?? firstValue(d.modifier ?? noModifier)) : undefined;
  if (changed)
    b.report(
      changed.scope.place,
      problem(
        'error',
        'final',
        `${element.name} is final in ${home.definition.name} and cannot be changed`,
        changed.expr.span,
      ),
    );
  const replaced = outer?.redeclare ?? d.modifier?.redeclare;
  let modifier = mergeModifiers(
    d.modifier ?? noModifier,
    modifierOf(replaced && element.constraint ? element.constraint : element.modification, scope),
  );
  if (outer) modifier = mergeModifiers(outer, modifier);
  const typeName = modifier.redeclare?.typeName ?? element.typeName;
  const typeHome = modifier.redeclare?.home ?? home;
  if (modifier.redeclare)
    modifier = mergeModifiers(modifier.redeclare.modifier, {
      children: modifier.children,
      ...(modifier.value && { value: modifier.value }),
    });
  const type = resolveType(b, typeName, typeHome, modifier, instance);
  if (!type) {
    const names = [...builtins, ...b.library.top.keys()];
    const near = fullNames(b.library, typeName)[0] ?? nearestName(typeName, names);
    b.report(
      place,
      problem(
        'error',
        'unknown-type',
        `There is no type ${typeName}${near ? `; did you mean ${near}?` : ''}`,
        element.typeSpan,
        near ? [{ title: `Change to ${near}`, span: element.typeSpan, text: near }] : undefined,
      ),
    );
    return undefined;
  }
  if (type.ref?.definition.partial)
    b.report(
      place,
      problem(
        'error',
        'partial',
        `${type.ref.definition.name} is partial: it is there to be extended, and cannot be a part`,
        element.typeSpan,
      ),
    );
  const unsupported =
    element.flow === 'stream'
      ? `${element.name} is a stream: what streams carry through connections is not computed. Let the connector carry a flow, and mix in equations of your own`
      : type.ref?.definition.classKind === 'operator'
        ? `${type.ref.definition.name} brings operators of its own, which are not supported: write a record and functions`
        : undefined;
  if (unsupported) {
    b.report(place, problem('error', 'not-supported', unsupported, element.typeSpan));
    return undefined;
  }
  modifier = type.modifier;
  const dimensions = [...element.dimensions, ...type.dimensions];
  const inner: Context = {
    parent: instance,
    prefix: context.prefix,
    depth: context.depth + 1,
    variability: stricter(context.variability, element.variability),
    // what is protected cannot be given from outside: its own class says what it is
    causality:
      element.causality === 'input' && element.protected && !type.ref
        ? 'none'
        : element.causality !== 'none'
          ? element.causality
          : type.causality !== 'none'
            ? type.causality
            : context.isConnector
              ? context.causality
              : 'none',
    isFlow: context.isFlow || element.flow === 'flow',
    isProtected: context.isProtected || element.protected,
    isFinal: context.isFinal || element.final,
    isConnector: type.ref?.definition.classKind === 'connector' || (context.isConnector && type.ref !== undefined),
  };
  const fullName = instance.name === '' ? element.name : `${instance.name}.${element.name}`;
  const one = (name: string, m: Modifier): Instance =>
    type.ref && !type.literals
      ? instantiateClass(b, type.ref, name, m, inner)
      : { kind: 'leaf', index: addLeaf(b, name, type.builtin, type.literals, m, inner, element, place, scope) };
  const expand = (name: string, m: Modifier, sizes: readonly number[]): Instance => {
    const k = sizes.length;
    if (k >= dimensions.length) return one(name, m);
    const size = sizeOf(b, dimensions[k], sizes, m, scope, element, place);
    b.spend(3 * size, place, element.nameSpan);
    const elements = Array.from({ length: size }, (_, j) => {
      const at = indexModifier(m, j + 1, size);
      const open = k > 0 ? `${name.slice(0, -1)},${j + 1}]` : `${name}[${j + 1}]`;
      return expand(open, at, [...sizes, size]);
    });
    return { kind: 'array', elements, isConnector: inner.isConnector } satisfies ArrayInstance;
  };
  return expand(fullName, modifier, []);
}

const maximumSize = 200_000;

/** `sizes`: those of the dimensions before, which this one may ask for: A[:, size(A, 1)]. */
function sizeOf(
  b: Builder,
  dimension: Expr,
  sizes: readonly number[],
  m: Modifier,
  scope: Scope,
  element: ComponentElement,
  place: string,
): number {
  if (dimension.kind === 'colon') {
    const given = m.value?.expr;
    // what is in a list may speak of the part that is being made; how many there are is plain without it
    if (given?.kind === 'array' && !given.matrix && (m.value?.subscripts ?? []).length === 0)
      return given.elements.length;
    let value = m.value && elaborate(b, m.value.expr, m.value.scope);
    for (const s of m.value?.subscripts ?? []) value = value && partOf(value, s);
    if (Array.isArray(value)) return value.length;
    b.report(
      place,
      problem('error', 'no-size', `The size of ${element.name}[:] must follow from its value`, dimension.span),
    );
    return 0;
  }
  if (dimension.kind === 'ref' && dimension.parts.length === 1 && dimension.parts[0].name === 'Boolean') {
    b.report(
      place,
      problem('error', 'size', `${element.name} cannot be counted by truth values: give it 2 elements`, dimension.span),
    );
    return 0;
  }
  const n =
    countOf(b, dimension, scope) ??
    structuralInteger(
      b,
      dimension,
      sizes.length === 0
        ? scope
        : { ...scope, values: new Map([...(scope.values ?? []), [element.name, fillValue(zero, sizes)]]) },
      `The size of ${element.name}`,
    );
  if (n !== undefined && n >= 0 && n <= maximumSize) return n;
  if (n !== undefined)
    b.report(place, problem('error', 'size', `${element.name} cannot have ${n} elements`, dimension.span));
  return 0;
}

const order: readonly ComponentElement['variability'][] = ['constant', 'parameter', 'discrete', 'continuous'];
const stricter = (
  a: ComponentElement['variability'],
  c: ComponentElement['variability'],
): ComponentElement['variability'] => (order.indexOf(a) < order.indexOf(c) ? a : c);

function findInner(b: Builder, instance: ClassInstance, name: string): Instance | undefined {
  for (let at = instance.parent; at; at = at.parent) if (at.inner.has(name)) return memberOf(b, at, name);
  return undefined;
}

/** Whether a variable has its start value for certain: said by a formula that is known before the run. */
function isFixed(b: Builder, value: Modifier['value'], otherwise: boolean): boolean {
  if (!value) return otherwise;
  let made = elaborate(b, value.expr, value.scope);
  for (const k of value.subscripts) made = made && partOf(made, k);
  if (!made || isArray(made) || isRecord(made)) return otherwise;
  const known = b.structural(made);
  return known === undefined ? otherwise : known !== 0;
}

interface ResolvedType {
  readonly ref?: ClassRef;
  readonly builtin: ValueType;
  readonly literals?: readonly string[];
  readonly dimensions: readonly Expr[];
  readonly causality: ComponentElement['causality'];
  readonly modifier: Modifier;
}

/** Follows `type Voltage = Real(unit = "V")` down to a builtin type or a class. */
function resolveType(
  b: Builder,
  name: string,
  home: ClassRef,
  modifier: Modifier,
  instance: ClassInstance,
): ResolvedType | undefined {
  let causality: ComponentElement['causality'] = 'none';
  const dimensions: Expr[] = [];
  let at = name;
  let from: ClassRef | undefined = home;
  let merged = modifier;
  for (let depth = 0; depth < deepest; depth++) {
    if (builtins.has(at)) return { builtin: at as ValueType, dimensions, causality, modifier: merged };
    const ref: ClassRef | undefined = findClass(b.library, from, at);
    if (!ref) return undefined;
    if (ref.definition.enumeration)
      return {
        ref,
        builtin: 'enumeration',
        literals: ref.definition.enumeration,
        dimensions,
        causality,
        modifier: merged,
      };
    const { short } = ref.definition;
    const base = short?.base ?? onlyBase(ref);
    if (base === undefined || (!short && !builtins.has(base)))
      return { ref, builtin: 'Real', dimensions, causality, modifier: merged };
    if (short) {
      const target = builtins.has(short.base) ? undefined : findClass(b.library, ref.parent, short.base);
      if (
        target &&
        !target.definition.short &&
        !target.definition.enumeration &&
        !builtins.has(onlyBase(target) ?? '')
      ) {
        return { ref, builtin: 'Real', dimensions: [...dimensions, ...short.dimensions], causality, modifier: merged };
      }
      if (short.causality !== 'none') causality = short.causality;
      dimensions.push(...short.dimensions);
      merged = mergeModifiers(merged, ownModifier(b, ref, short.modification, instance));
    } else {
      const e = ref.definition.elements.find((x) => x.kind === 'extends')!;
      merged = mergeModifiers(
        merged,
        modifierOf(e.kind === 'extends' ? e.modification : { args: [] }, scopeOf(instance, ref)),
      );
    }
    at = base;
    from = ref.parent;
  }
  return undefined;
}

const onlyBase = (ref: ClassRef): string | undefined => {
  const e = ref.definition.elements.find((x) => x.kind === 'extends');
  return e?.kind === 'extends' && builtins.has(e.base) ? e.base : undefined;
};

function addLeaf(
  b: Builder,
  name: string,
  type: ValueType,
  literals: readonly string[] | undefined,
  m: Modifier,
  context: Context,
  element: ComponentElement,
  place: string,
  scope: Scope,
): number {
  const unit = textOf(m.children.get('unit')) ?? '';
  const unitProblem = parseUnit(unit);
  const span: Span = element.nameSpan;
  if (typeof unitProblem === 'string')
    b.report(place, problem('error', 'unknown-unit', `The unit of ${element.name}: ${unitProblem}`, span));
  const kind: FlatVariable['kind'] =
    context.variability === 'constant' || context.variability === 'parameter'
      ? context.variability
      : context.variability === 'discrete' || type !== 'Real'
        ? 'discrete'
        : 'continuous';
  // a parameter that is not fixed is found at the start and stays: a state that does not change
  const fixed = isFixed(b, m.children.get('fixed')?.value, kind === 'parameter' || kind === 'constant');
  const found = kind === 'parameter' && type === 'Real' && !fixed;
  const index = b.add(
    plainVariable(
      { name, type, kind: found ? 'continuous' : kind, place, span },
      {
        unit,
        displayUnit: textOf(m.children.get('displayUnit')) ?? '',
        note: element.description,
        isProtected: context.isProtected,
        ...(context.isFinal && { isFinal: true }),
        isInput: context.causality === 'input',
        isOutput: context.causality === 'output',
        fixed,
        ...(literals && { literals }),
        ...stateSelectOf(m.children.get('stateSelect')),
      },
    ),
  );
  if (context.isFlow) b.flows.add(index);
  if (found)
    b.equations.push({
      left: { op: 'der', index },
      right: zero,
      origin: { part: '', place, span, text: `${name} is found at the start` },
    });
  for (const [key, child] of m.children) {
    const given = firstValue(child);
    if (builtinAttributes.has(key) || !given) continue;
    const near = nearestName(key, builtinAttributes);
    b.report(
      given.scope.place,
      problem(
        'error',
        'unknown-name',
        `${element.name} has no attribute ${key}${near ? `; did you mean ${near}?` : ''}`,
        given.expr.span,
      ),
    );
  }
  const attributes: {
    start?: NonNullable<Modifier['value']>;
    min?: NonNullable<Modifier['value']>;
    max?: NonNullable<Modifier['value']>;
    nominal?: NonNullable<Modifier['value']>;
  } = {};
  for (const key of ['start', 'min', 'max', 'nominal'] as const) {
    const value = m.children.get(key)?.value;
    if (value) attributes[key] = value;
  }
  b.starts.set(index, attributes);
  if (m.value) {
    if (type === 'String') b.texts.set(index, m.value);
    else b.bindings.set(index, m.value);
  }
  void scope;
  return index;
}

const stateSelectOf = (m: Modifier | undefined): Pick<FlatVariable, 'stateSelect'> => {
  const e = m?.value?.expr;
  const name = e?.kind === 'ref' ? e.parts.at(-1)!.name : '';
  return name === 'never' || name === 'avoid' || name === 'prefer' || name === 'always' ? { stateSelect: name } : {};
};

const textOf = (m: Modifier | undefined): string | undefined => {
  let e = m?.value?.expr;
  const subscripts = m?.value?.subscripts ?? [];
  for (const k of subscripts) if (e?.kind === 'array' && typeof k === 'number') e = e.elements[k - 1];
  return e?.kind === 'string' ? e.value : undefined;
};

/** Gives every state of a chart its Boolean variable, so that `in(...)` is an ordinary reference, and its own quantities theirs. */
function instantiateCharts(b: Builder, instance: ClassInstance, body: ClassBody): void {
  for (const source of body.behaviour?.charts ?? []) {
    const base = instance.name === '' ? source.name : `${instance.name}.${source.name}`;
    const states = source.states.map((s) =>
      b.add(
        plainVariable(
          { name: `${base}.${statePath(source.states, s)}`, type: 'Boolean', kind: 'assigned', place: s.place },
          { hidden: true, start: zero },
        ),
      ),
    );
    const locals = new Map<string, number>();
    const scope: Scope = { instance, home: body.ref, iterators: new Map(), place: source.place, locals };
    for (const v of source.values) {
      const index = b.add(
        plainVariable(
          { name: `${base}.${v.name}`, type: v.type, kind: 'assigned', place: v.place },
          { unit: v.unit, displayUnit: v.unit },
        ),
      );
      locals.set(v.name, index);
      if (v.value)
        b.starts.set(index, {
          start: { expr: v.value, scope: { ...scope, place: v.place }, each: [], subscripts: [] },
        });
    }
    for (const name of source.arguments) {
      if (!locals.has(name))
        locals.set(
          name,
          b.add(
            plainVariable(
              { name: `${base}.${name}`, type: 'Real', kind: 'assigned', place: source.place },
              { start: zero },
            ),
          ),
        );
    }
    instance.charts.push({ source, states, locals });
  }
}

/** What is measured of a part that is software where its steps run on a board: `ctrl.stepTime`, `ctrl.overruns`. */
export const measuredOfSteps = {
  stepTime: { type: 'Real', unit: 's', note: 'how long its last step took, on a board' },
  overruns: { type: 'Integer', unit: '', note: 'steps left out as the one before was not done in time, on a board' },
} as const;
function instantiateMeasured(b: Builder, instance: ClassInstance, { behaviour }: ClassBody): void {
  if (!behaviour?.software) return;
  for (const [own, { type, unit, note }] of Object.entries(measuredOfSteps)) {
    if (instance.members.has(own) || b.pending.get(instance)?.has(own)) continue;
    const name = instance.name === '' ? own : `${instance.name}.${own}`;
    const index = b.add(
      plainVariable(
        { name, type, kind: 'assigned', place: behaviour.software.place },
        { ...(unit !== '' && { unit, displayUnit: unit }), start: zero, hidden: true, note },
      ),
    );
    instance.members.set(own, { kind: 'leaf', index });
  }
}

export function statePath(
  states: readonly { name: string; parent: number }[],
  state: { name: string; parent: number },
): string {
  return state.parent < 0 ? state.name : `${statePath(states, states[state.parent])}.${state.name}`;
}

/** The constants of a package, made when one is first used. */
export function instantiateConstants(b: Builder, owner: ClassRef): ClassInstance {
  const constants = owner.definition.elements.filter((e) => e.kind !== 'component' || e.variability === 'constant');
  const reduced: ClassRef = {
    ...owner,
    definition: { ...owner.definition, elements: constants, equations: [], classKind: 'package' },
  };
  const made = instantiateClass(b, reduced, owner.path, noModifier, { ...rootContext, isProtected: true });
  b.parts.pop();
  return made;
}
