import { problem, type Problem, type Span } from '../language/diagnostics';
import { unitOrUndefined, type Unit } from '../language/units';
import { constant, evaluate, isRelation, walk, type FlatExpr } from './flat-expression';
import type { FlatAction, FlatAssertion, FlatChart, FlatEquation, FlatPart, FlatVariable, Origin } from './flat-model';
import type { CallExpr, Expr } from '../language/ast';
import type { BoundValue, ClassInstance, Modifier, Scope } from './instance';
import type { Callable, Value } from './values';
import type { ClassLibrary, ClassRef } from './library';

/** Ends the making of a model that would not end, or not fit: nothing of it can be used. */
export class TooLarge extends Error {
  constructor(readonly problem: Problem) {
    super(problem.message);
  }
}

/** Values and parts that a model may be made of. The largest ones measured have some hundred thousand. */
const mostThings = 1_000_000;

/** What is being built while an instance tree becomes a flat model. */
export interface Builder {
  readonly library: ClassLibrary;
  readonly variables: FlatVariable[];
  readonly indexOf: Map<string, number>;
  readonly flows: Set<number>;
  /** Values given to variables, read when first needed. */
  readonly bindings: Map<number, BoundValue>;
  /** Values given to texts. */
  readonly texts: Map<number, BoundValue>;
  readonly starts: Map<number, { start?: BoundValue; min?: BoundValue; max?: BoundValue; nominal?: BoundValue }>;
  readonly equations: FlatEquation[];
  readonly initialEquations: FlatEquation[];
  readonly actions: FlatAction[];
  readonly assertions: FlatAssertion[];
  readonly parts: { name: string; typeName: string; instance: ClassInstance; software?: FlatPart['software'] }[];
  readonly charts: FlatChart[];
  readonly problems: Problem[];
  readonly statics: Map<string, ClassInstance>;
  /** Inputs of parts that an equation of an enclosing part determines. */
  readonly givenFromOutside: Set<number>;
  /** Texts whose units have been checked: every instance of a type shares them. */
  readonly unitsChecked: WeakSet<object>;
  /** Values given for whole arrays, with the scope they were read in. */
  readonly wholes: WeakMap<
    Expr,
    { readonly scope: Scope; readonly unit: Unit | undefined; readonly value: Value | undefined }
  >;
  /** Values given with a class that takes the place of another. */
  readonly given: WeakMap<ClassRef, Modifier>;
  readonly pending: Map<ClassInstance, Map<string, () => void>>;
  report(place: string, p: Problem): void;
  /** So many more things are made; a model of too many ends here. */
  spend(things: number, place: string, span?: Span): void;
  add(variable: FlatVariable): number;
  /**
   * The value of an expression of constants and parameters, if it has one now, for something that the model is made by: what stands in
   * it has decided from then on.
   */
  structural(e: FlatExpr): number | undefined;
  /** The same, for something that only is to be told. */
  valueNow(e: FlatExpr): number | undefined;
  /** Constants and parameters whose values have decided what the model is made of. */
  readonly decided: Set<number>;
  /** The constants of a package or an enclosing class, as a part of its own. */
  staticInstance(owner: ClassRef): ClassInstance;
  /** Results of a call of a function, or of the constructor of a record. */
  callClass(
    callable: Callable,
    call: CallExpr,
    args: readonly Value[],
    named: ReadonlyMap<string, Value>,
    scope: Scope,
  ): readonly Value[];
  /** The value bound to a constant or parameter. */
  bindingOf(index: number): FlatExpr | undefined;
}

/** The steps the builder calls back into. */
export interface BuilderSteps {
  elaborateBinding(
    b: Builder,
    value: BoundValue,
    unit?: Unit,
    options?: { readonly sharing?: Scope['sharing']; readonly isAttribute?: boolean },
  ): FlatExpr | undefined;
  instantiateConstants(b: Builder, owner: ClassRef): ClassInstance;
  callClass(
    b: Builder,
    callable: Callable,
    call: CallExpr,
    args: readonly Value[],
    named: ReadonlyMap<string, Value>,
    scope: Scope,
  ): readonly Value[];
}

export function createBuilder(library: ClassLibrary, steps: BuilderSteps): Builder {
  const { elaborateBinding } = steps;
  const reported = new Set<string>();
  const memo = new Map<number, FlatExpr | undefined | 'busy'>();
  const values = new Map<number, number>();
  let things = 0;
  const b: Builder = {
    library,
    variables: [],
    indexOf: new Map(),
    flows: new Set(),
    bindings: new Map(),
    texts: new Map(),
    starts: new Map(),
    equations: [],
    initialEquations: [],
    actions: [],
    assertions: [],
    parts: [],
    charts: [],
    problems: [],
    statics: new Map(),
    givenFromOutside: new Set(),
    unitsChecked: new WeakSet(),
    pending: new Map(),
    wholes: new WeakMap(),
    given: new WeakMap(),
    report(place, p) {
      const full = p.place === undefined ? { ...p, place } : p;
      const key = `${full.place}|${full.span?.start}|${full.span?.end}|${full.code}|${full.message}`;
      if (reported.has(key)) return;
      reported.add(key);
      b.problems.push(full);
    },
    spend(count, place, span) {
      things += count;
      if (things > mostThings)
        throw new TooLarge({
          ...problem(
            'error',
            'too-large',
            `The model has more than ${mostThings / 1e6} million values with this, too many to be computed with: an array or a loop may be larger than it was meant to be`,
            span,
          ),
          place,
        });
    },
    add(variable) {
      const index = b.variables.length;
      b.variables.push(variable);
      b.indexOf.set(variable.name, index);
      return index;
    },
    callClass: (callable, call, args, named, scope) => steps.callClass(b, callable, call, args, named, scope),
    staticInstance(owner) {
      let instance = b.statics.get(owner.path);
      if (!instance) {
        instance = steps.instantiateConstants(b, owner);
        b.statics.set(owner.path, instance);
      }
      return instance;
    },
    bindingOf(index) {
      const known = memo.get(index);
      if (known === 'busy') {
        const v = b.variables[index];
        b.report(v.place, problem('error', 'circular', `The value of ${v.name} depends on itself`, v.span));
        return constant(NaN);
      }
      if (known !== undefined || memo.has(index)) return known as FlatExpr | undefined;
      const bound = b.bindings.get(index);
      if (!bound) return undefined;
      memo.set(index, 'busy');
      const v = b.variables[index];
      const origin: Origin = { part: '', place: bound.scope.place, span: bound.expr.span, text: `${v.name} = ...` };
      const value = elaborateBinding(
        b,
        bound,
        unitOrUndefined(v.unit),
        v.kind === 'parameter' || v.kind === 'constant' ? {} : { sharing: { name: bound.scope.instance.name, origin } },
      );
      memo.set(index, value);
      return value;
    },
    decided: new Set(),
    structural(e) {
      if (e.op === 'const') return e.value;
      const value = b.valueNow(e);
      if (value !== undefined) walk(e, (x) => void (x.op === 'var' && b.decided.add(x.index)));
      return value;
    },
    valueNow(e) {
      if (e.op === 'const') return e.value;
      let open = false;
      walk(e, (x) => {
        if (x.op === 'time' || x.op === 'der' || x.op === 'pre' || x.op === 'initial' || x.op === 'sample') open = true;
        if (x.op === 'var') {
          // what stands for an input while a function is differentiated is no variable
          const kind = b.variables[x.index]?.kind;
          if (kind !== 'constant' && kind !== 'parameter') open = true;
        }
        return open;
      });
      if (open) return undefined;
      const lookup = (index: number): number => {
        const known = values.get(index);
        if (known !== undefined) return known;
        values.set(index, NaN);
        const bound = b.bindingOf(index) ?? startOf(b, index, steps);
        const value = bound ? evaluate(bound, lookup) : NaN;
        values.set(index, value);
        return value;
      };
      const value = evaluate(e, lookup);
      return Number.isNaN(value) ? undefined : value;
    },
  };
  return b;
}

function startOf(b: Builder, index: number, steps: BuilderSteps): FlatExpr | undefined {
  const start = b.starts.get(index)?.start;
  return start && steps.elaborateBinding(b, start, unitOrUndefined(b.variables[index].unit), { isAttribute: true });
}

export interface VariableInit {
  readonly name: string;
  readonly type: FlatVariable['type'];
  readonly kind: FlatVariable['kind'];
  readonly place: string;
  readonly span?: Span;
}

export const plainVariable = (init: VariableInit, more: Partial<FlatVariable> = {}): FlatVariable => ({
  fixed: false,
  unit: '',
  displayUnit: '',
  note: '',
  isProtected: false,
  isInput: false,
  isOutput: false,
  hidden: false,
  ...init,
  ...more,
});

/** A Boolean variable of the compiler's own, e.g. the condition of a `when`. */
export function hiddenBoolean(
  b: Builder,
  name: string,
  place: string,
  condition: FlatExpr,
  origin: FlatEquation['origin'],
  watched = false,
): number {
  const index = b.add(
    plainVariable({ name, type: 'Boolean', kind: 'discrete', place }, { hidden: true, ...(watched && { watched }) }),
  );
  b.equations.push({ left: { op: 'var', index }, right: condition, origin });
  return index;
}

export const hasRelation = (e: FlatExpr): boolean => {
  let found = false;
  walk(e, (x) => (found ||= isRelation(x.op)));
  return found;
};

export type { ClassRef, FlatPart };
