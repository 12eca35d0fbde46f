import type { Expr, Modification } from '../language/ast';
import { problem, type Problem } from '../language/diagnostics';
import { printExpression } from '../language/print';
import { checkAgainstUnit, checkUnits, relaxUnits } from '../language/unit-check';
import { elaborateUnits } from '../language/unit-elaboration';
import { describeUnit, unitOrUndefined, type Unit } from '../language/units';
import { createBuilder, TooLarge, hasRelation, hiddenBoolean, plainVariable, type Builder } from './builder';
import { addAlgorithm } from './algorithms';
import { addCharts, lowerTime } from './charts';
import { createConnections } from './connections';
import { elaborateBinding, elaborateScalar, elaborateText, unitContext } from './elaborate';
import { addEquations, addRelation } from './equations';
import { callClass } from './functions';
import { constant, isConstant, isRelation, variable } from './flat-expression';
import { ownerOf, type FlatModel, type FlatVariable } from './flat-model';
import {
  mergeModifiers,
  modifierOf,
  noModifier,
  type BoundValue,
  type ClassInstance,
  type Modifier,
  type PlacedChange,
  type Scope,
  emptyInstance,
} from './instance';
import { instantiateClass, instantiateConstants, measuredOfSteps, rootContext } from './instantiate';
import { findClass, type ClassLibrary } from './library';
import { checkKinds } from './kinds';
import { createRoutes } from './messages';
import { knownText } from './flat-text';

/** A value to be watched besides those of the model, such as a term of a requirement. */
export interface Observation {
  readonly name: string;
  readonly expr: Expr;
  readonly place: string;
  /** A run stops where it becomes true: it is located like a condition of the product. */
  readonly stops?: boolean;
}

export interface FlattenOptions {
  /** Changed values of the root. */
  readonly changes?: readonly PlacedChange[];
  readonly observers?: readonly Observation[];
  /** Values that observers use and that the run is given from outside: hidden inputs of the root. */
  readonly given?: readonly GivenValue[];
  /** Inputs of the root and its parts that follow formulas over time. */
  readonly signals?: readonly Signal[];
  /** Signals that are only looked at for what is wrong with them: several may be for one input. */
  readonly checkedSignals?: readonly Signal[];
}

export interface GivenValue {
  readonly name: string;
  readonly type: 'Real' | 'Boolean';
  readonly unit: string;
}

export interface Signal {
  readonly target: string;
  readonly expr: Expr;
  readonly place: string;
}

export interface ObservedValue {
  readonly index: number;
  readonly unit?: Unit;
  readonly unitName?: string;
  /** Its value, where it rests on constants and parameters alone. */
  readonly fixed?: number;
}

export interface FlattenResult {
  readonly model: FlatModel;
  /** Variable of each observer that could be read, with its unit. */
  readonly observed: ReadonlyMap<string, ObservedValue>;
  /** It has no end or does not fit: nothing more can be said of it. */
  readonly unfinished?: true;
}

/** Turns a class of a library into a flat model: scalar variables and equations under full names. */
export function flatten(library: ClassLibrary, className: string, options: FlattenOptions = {}): FlattenResult {
  try {
    return build(library, className, options);
  } catch (error) {
    if (!(error instanceof TooLarge)) throw error;
    const b = createBuilder(library, steps);
    b.report(error.problem.place ?? '', error.problem);
    return { model: finish(b, className), observed: new Map(), unfinished: true };
  }
}

const steps = { elaborateBinding, instantiateConstants, callClass };

function build(library: ClassLibrary, className: string, options: FlattenOptions): FlattenResult {
  const b = createBuilder(library, steps);
  const ref = findClass(library, undefined, className);
  if (!ref) {
    b.report(
      '',
      problem(
        'error',
        'unknown-class',
        `There is no class ${className}; there are ${[...library.top.keys()].join(', ') || 'none'}`,
      ),
    );
    return { model: finish(b, className), observed: new Map() };
  }
  if (ref.definition.partial)
    b.report(
      ref.place,
      problem('error', 'partial', `${className} is partial: it can be extended, but not run`, ref.definition.nameSpan),
    );
  const home: Scope = {
    instance: emptyInstance(ref),
    home: ref,
    iterators: new Map(),
    place: ref.place,
  };
  const changes = (options.changes ?? []).reduce<Modifier>(
    (all, c) => mergeModifiers(modifierOf(c.modification, { ...home, place: c.place }), all),
    noModifier,
  );
  const root = instantiateClass(b, ref, '', changes, rootContext);
  const connections = createConnections();
  const routes = createRoutes(b);
  for (const part of b.parts) {
    const { instance } = part;
    for (const body of instance.bodies) {
      const scope: Scope = {
        instance,
        home: body.ref,
        iterators: new Map(),
        place: body.ref.place,
        ...(body.without && { without: body.without }),
      };
      const { definition } = body.ref;
      const software = body.behaviour?.software;
      if (software) {
        const period = lowerTime(b, software.value, { ...scope, place: software.place }, 'Software');
        const measured = (name: keyof typeof measuredOfSteps): number => {
          const found = instance.members.get(name);
          const isOurs =
            found?.kind === 'leaf' && b.variables[found.index].kind === 'assigned' && b.variables[found.index].hidden;
          return isOurs ? found.index : -1;
        };
        if (period)
          part.software = {
            period,
            place: software.place,
            stepTime: measured('stepTime'),
            overruns: measured('overruns'),
          };
      }
      addEquations(b, definition.equations, scope, { connections, routes }, false);
      for (const relation of body.behaviour?.relations ?? []) addRelation(b, relation, scope, { connections, routes });
      for (const { equation, place } of body.behaviour?.placed ?? [])
        addEquations(b, [equation], { ...scope, place }, { connections, routes }, false);
      addEquations(b, definition.initialEquations, scope, { connections, routes }, true);
      for (const algorithm of definition.algorithms) addAlgorithm(b, algorithm, scope, false);
      for (const algorithm of definition.initialAlgorithms) addAlgorithm(b, algorithm, scope, true);
      if (definition.external)
        b.report(
          body.ref.place,
          problem('error', 'not-supported', 'External functions are not supported', definition.nameSpan),
        );
    }
    addCharts(b, instance, routes);
  }
  for (const signal of options.signals ?? []) addSignal(b, root, signal, true);
  for (const signal of options.checkedSignals ?? []) addSignal(b, root, signal, false);
  connections.finish(b);
  for (const { name, type, unit } of options.given ?? [])
    root.members.set(name, {
      kind: 'leaf',
      index: b.add(
        plainVariable(
          { name, type, kind: 'external', place: '' },
          { unit, hidden: true, watched: true, start: constant(0), fixed: true },
        ),
      ),
    });
  const observed = addObservers(b, root, options.observers ?? []);
  return { model: finish(b, className), observed };
}

/** An input that follows a formula: one equation more, told from outside. */
function addSignal(b: Builder, root: ClassInstance, { target, expr, place }: Signal, counts: boolean): void {
  const index = b.indexOf.get(target);
  const v = index === undefined ? undefined : b.variables[index];
  if (index === undefined || !v?.isInput) {
    b.report(
      place,
      problem(
        'error',
        'not-settable',
        index === undefined ? `There is no ${target}` : `${target} is no input: only inputs can follow a formula`,
      ),
    );
    return;
  }
  const at = `${place}/value`;
  const scope: Scope = { instance: root, home: root.ref, iterators: new Map(), place: at };
  const context = unitContext(b, scope);
  checkAgainstUnit(expr, target, v.unit, context, (p) => b.report(at, p));
  const value = elaborateScalar(b, elaborateUnits(expr, context, unitOrUndefined(v.unit)), scope);
  if (!value || !counts) return;
  b.givenFromOutside.add(index);
  if (v.type !== 'Real') v.kind = 'discrete';
  b.equations.push({
    left: variable(index),
    right: value,
    origin: { part: '', place: at, span: expr.span, text: `${target} follows ${printExpression(expr)}` },
  });
}

function addObservers(b: Builder, root: ClassInstance, observers: readonly Observation[]): Map<string, ObservedValue> {
  const observed = new Map<string, ObservedValue>();
  for (const { name, expr, place, stops } of observers) {
    const scope: Scope = { instance: root, home: root.ref, iterators: new Map(), place };
    const known = checkUnits(expr, unitContext(b, scope), (p) => b.report(place, p));
    const value = elaborateScalar(b, expr, scope);
    if (!value) continue;
    const origin = { part: '', place, span: expr.span, text: name };
    const isBoolean = isRelation(value.op) || ['and', 'or', 'not'].includes(value.op) || hasRelation(value);
    const fixed = b.valueNow(value);
    const unit = {
      ...(known && !known.free && { unit: known.unit, unitName: known.name ?? describeUnit(known.unit) }),
      ...(fixed !== undefined && { fixed }),
    };
    if (value.op === 'var') observed.set(name, { index: value.index, ...unit });
    else if (isBoolean)
      observed.set(name, {
        index: hiddenBoolean(b, name, place, value, origin, !stops),
        ...(fixed !== undefined && { fixed }),
      });
    else {
      const index = b.add(
        plainVariable({ name, type: 'Real', kind: 'continuous', place }, { hidden: true, watched: true }),
      );
      b.equations.push({ left: variable(index), right: value, origin });
      observed.set(name, { index, ...unit });
    }
  }
  return observed;
}

/** Gives variables their bindings and start values. */
function finish(b: Builder, name: string): FlatModel {
  const read = (bound: BoundValue | undefined, unit: string): ReturnType<typeof elaborateBinding> =>
    bound && elaborateBinding(b, bound, unitOrUndefined(unit), { isAttribute: true });
  // elaborating a binding may make constants of packages, so the list can grow
  for (let index = 0; index < b.variables.length; index++) {
    const v = b.variables[index];
    const given = b.starts.get(index);
    v.start ??= read(given?.start, v.unit);
    v.min = read(given?.min, v.unit);
    v.max = read(given?.max, v.unit);
    v.nominal = read(given?.nominal, v.unit);
    const bound = b.bindings.get(index);
    if (!bound) continue;
    const value = b.bindingOf(index);
    if (value === undefined) continue;
    checkBindingUnits(b, index, bound);
    checkKinds(b, variable(index), undefined, value, bound.expr, bound.scope, v.name);
    if (v.kind === 'constant' || v.kind === 'parameter') v.binding = value;
    else if (v.kind !== 'assigned') {
      b.equations.push({
        left: variable(index),
        right: value,
        origin: { part: '', place: bound.scope.place, span: bound.expr.span, text: `${v.name} = ...` },
      });
    } else v.start ??= value;
  }
  /** Parameters nobody gave a value, one for each declaration. */
  const unset = new Map<string, FlatVariable>();
  b.texts.forEach((bound, index) => {
    const text = elaborateText(b, bound.expr, bound.scope);
    b.variables[index].text = knownText(text) ?? printExpression(bound.expr);
  });
  for (const v of b.variables) {
    if (v.kind === 'parameter' && !v.binding) {
      if (!v.start && v.type !== 'String' && !v.hidden && !b.bindings.has(b.indexOf.get(v.name) ?? -1))
        unset.set(`${v.place} ${v.span?.start}`, v);
      v.binding = v.start ?? constant(v.type === 'enumeration' ? 1 : 0);
    }
    if (v.kind === 'constant' && !v.binding && v.type !== 'String') {
      v.binding = constant(NaN);
      b.report(v.place, problem('error', 'no-value', `The constant ${v.name} has no value`, v.span));
    }
    if (v.binding && isConstant(v.binding) && Number.isNaN(v.binding.value)) v.binding = constant(NaN);
  }
  for (const v of unset.values())
    b.report(
      v.place,
      problem(
        'warning',
        'no-value',
        `${v.name} has no value: ${v.literals ? v.literals[0] : v.type === 'Boolean' ? 'false' : '0'} is taken`,
        v.span,
      ),
    );
  b.variables.forEach((v) => checkLimits(b, v));
  const loose = new Set(
    [...b.library.top.values()].filter((ref) => hasLooseUnits(ref.definition.annotation)).map((ref) => ref.place),
  );
  const isLoose = (p: Problem): boolean => loose.has(p.place ?? '');
  const problems = loose.size === 0 ? b.problems : b.problems.flatMap((p) => (isLoose(p) ? relaxUnits([p]) : [p]));
  const shapes = new Map(
    b.parts.flatMap((p) => {
      const seen = p.instance.bodies.find((body) => body.ref.place === 'library/Shapes');
      return seen
        ? [
            [
              p.name,
              seen.ref.definition.partial ? p.instance.bodies.at(-1)!.ref.definition.name : seen.ref.definition.name,
            ] as const,
          ]
        : [];
    }),
  );
  if (shapes.size > 0) for (const v of b.variables) if (shapes.has(ownerOf(v.name))) v.ofShape = true;
  return {
    name,
    variables: b.variables,
    equations: b.equations,
    initialEquations: b.initialEquations,
    actions: b.actions,
    assertions: b.assertions,
    parts: b.parts.map((p, k) => ({
      name: p.name,
      typeName: p.typeName,
      shape: shapes.get(p.name) ?? '',
      charts: b.charts.flatMap((c, j) => (c.part === k ? [j] : [])),
      ...(p.software && { software: p.software }),
    })),
    charts: b.charts,
    indexOf: b.indexOf,
    decided: b.decided,
    problems,
  };
}

/** `annotation(__Zelvar(looseUnits = true))`: an annotation of our own, as the language provides for. */
const hasLooseUnits = (annotation: Modification | undefined): boolean => {
  const value = annotation?.args
    .find((a) => a.path[0] === '__Zelvar')
    ?.modification.args.find((a) => a.path[0] === 'looseUnits')?.modification.value;
  return value?.kind === 'boolean' && value.value;
};

/** A value or start value outside the limits of its quantity. */
function checkLimits(b: Builder, v: FlatModel['variables'][number]): void {
  const given = v.kind === 'constant' || v.kind === 'parameter' ? v.binding : v.start;
  const value = given && b.valueNow(given);
  if (value === undefined) return;
  const [min, max] = [v.min && b.valueNow(v.min), v.max && b.valueNow(v.max)];
  if (min !== undefined && max !== undefined && min > max)
    b.report(
      v.place,
      problem('error', 'limit', `The limits of ${v.name} leave nothing: ${min} is more than ${max}`, v.span),
    );
  else if ((min !== undefined && value < min) || (max !== undefined && value > max)) {
    b.report(
      v.place,
      problem('warning', 'limit', `${v.name} is ${value}, outside its limits ${min ?? ''} .. ${max ?? ''}`, v.span),
    );
  }
}

function checkBindingUnits(b: Builder, index: number, bound: BoundValue): void {
  if (b.unitsChecked.has(bound.expr)) return;
  b.unitsChecked.add(bound.expr);
  const { name, unit } = b.variables[index];
  checkAgainstUnit(bound.expr, name, unit, unitContext(b, bound.scope), (p) => b.report(bound.scope.place, p));
}
