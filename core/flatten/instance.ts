import type { ChartSource } from '../behaviour/chart-source';
import type { ClassRef, PartBehaviour } from './library';
import type { FlatExpr } from './flat-expression';
import type { Origin } from './flat-model';
import type { Value } from './values';
import type { ClassDefinition, Expr, Modification } from '../language/ast';

/** The tree of parts: a node per component, a leaf per scalar. */
export type Instance = LeafInstance | ClassInstance | ArrayInstance;

export interface LeafInstance {
  readonly kind: 'leaf';
  /** Number of the flat variable. */
  readonly index: number;
}
export interface ArrayInstance {
  readonly kind: 'array';
  readonly elements: readonly Instance[];
  readonly isConnector: boolean;
}
export interface ClassInstance {
  readonly kind: 'class';
  readonly name: string;
  readonly ref: ClassRef;
  readonly parent?: ClassInstance;
  readonly members: Map<string, Instance>;
  /** Lexical home of each member's declaration, for names in its binding. */
  readonly bodies: ClassBody[];
  readonly isConnector: boolean;
  readonly inner: Set<string>;
  /** Declared parts whose condition does not hold. */
  readonly disabled: Set<string>;
  readonly charts: {
    readonly source: ChartSource;
    readonly states: readonly number[];
    /** Quantities of the chart and arguments of its messages, by name. */
    readonly locals: ReadonlyMap<string, number>;
  }[];
  /** Number of the part, in document order. */
  readonly part: number;
}

/** A class or one of its bases, with the scope in which its equations are read. */
export interface ClassBody {
  readonly ref: ClassRef;
  readonly behaviour?: PartBehaviour;
  /** Names of what was left out where it is inherited. */
  readonly without?: ReadonlySet<string>;
}

/** Where an expression is read. */
export interface Scope {
  readonly instance: ClassInstance;
  /** Lexical class, for type and constant names. */
  readonly home: ClassRef;
  readonly iterators: ReadonlyMap<string, number>;
  /** Names of a chart of the part, by variable number; they win over those of the part. */
  readonly locals?: ReadonlyMap<string, number>;
  readonly place: string;
  /** Names of a function: they win over everything else. */
  readonly values?: ReadonlyMap<string, Value>;
  /** When what is read here counts: a condition around it. */
  readonly guard?: FlatExpr;
  /** Set where large intermediate values may become variables of their own. */
  readonly sharing?: { readonly name: string; readonly origin: Origin };
  /** Names of what was left out of the class: connections with it are left out too. */
  readonly without?: ReadonlySet<string>;
}

/** A modification with the scopes of its values: outer ones win over inner ones. */
export interface Modifier {
  readonly value?: BoundValue;
  readonly children: ReadonlyMap<string, Modifier>;
  readonly redeclare?: Redeclaration;
}
/** Another type for a part, or another class for a replaceable one. */
export interface Redeclaration {
  readonly typeName: string;
  readonly home: ClassRef;
  readonly modifier: Modifier;
  /** Where a class is given for a class. */
  readonly definition?: ClassDefinition;
}
export interface BoundValue {
  readonly expr: Expr;
  readonly scope: Scope;
  /** Whether `each` stands before each name on the way to it, outermost first: the value then counts for all elements of what holds that name. */
  readonly each: readonly boolean[];
  /** Indices and fields of components already taken out of the value since it was given. */
  readonly subscripts: readonly (number | string)[];
  /** Which of the subscripts pick the last element of what they stand for: more in the value is too much. */
  readonly lasts?: readonly number[];
}

/** A changed value, with where it is given. */
export interface PlacedChange {
  readonly modification: Modification;
  readonly place: string;
}

const noChildren: Modifier['children'] = new Map();
export const noModifier: Modifier = { children: noChildren };

export function modifierOf(m: Modification, scope: Scope, each: readonly boolean[] = []): Modifier {
  const value = m.value && { value: { expr: m.value, scope, each, subscripts: [] } };
  if (m.args.length === 0) return value ? { children: noChildren, ...value } : noModifier;
  const children = new Map<string, Modifier>();
  for (const a of m.args) {
    if (a.isBroken) continue;
    let child: Modifier;
    if (a.redeclare) {
      const r = a.redeclare;
      const typeName = r.kind === 'component' ? r.typeName : (r.short?.base ?? r.name);
      const inner = r.kind === 'component' ? r.modification : (r.short?.modification ?? { args: [] });
      child = {
        children: new Map(),
        redeclare: {
          typeName,
          home: scope.home,
          modifier: modifierOf(inner, scope),
          ...(r.kind === 'class' && { definition: r }),
        },
      };
    } else child = modifierOf(a.modification, scope, [...each, a.each, ...a.path.slice(1).map(() => false)]);
    const nested = a.path
      .slice(1)
      .reduceRight<Modifier>((inner, name) => ({ children: new Map([[name, inner]]) }), child);
    children.set(a.path[0], mergeModifiers(nested, children.get(a.path[0])));
  }
  return { children, ...value };
}

/** The outer modifier wins where both say something. */
export function mergeModifiers(outer: Modifier, inner: Modifier | undefined): Modifier {
  if (!inner) return outer;
  if (outer.children.size === 0 && !outer.value && !outer.redeclare) return inner;
  const children = new Map(inner.children);
  for (const [name, m] of outer.children) children.set(name, mergeModifiers(m, inner.children.get(name)));
  const value = outer.value ?? inner.value;
  const redeclare = outer.redeclare ?? inner.redeclare;
  return { children, ...(value && { value }), ...(redeclare && { redeclare }) };
}

/** The modifier of a field, where a value was given for the whole record. */
export function fieldModifier(m: Modifier, name: string): Modifier | undefined {
  const own = m.children.get(name);
  if (!m.value) return own;
  const value: Modifier = { children: new Map(), value: { ...m.value, subscripts: [...m.value.subscripts, name] } };
  return own ? mergeModifiers(own, value) : value;
}

/** The modifier of one element of an array of components. */
export function indexModifier(m: Modifier, index: number, size: number, depth = 0): Modifier {
  const whole = m.value && depth > 0 && m.value.each[m.value.each.length - depth];
  const value =
    m.value &&
    (whole
      ? m.value
      : {
          ...m.value,
          subscripts: [...m.value.subscripts, index],
          ...(index === size && { lasts: [...(m.value.lasts ?? []), m.value.subscripts.length] }),
        });
  const children = new Map(
    [...m.children].map(([name, child]) => [name, indexModifier(child, index, size, depth + 1)]),
  );
  return { children, ...(value && { value }), ...(m.redeclare && { redeclare: m.redeclare }) };
}

/** An instance with nothing in it yet. */
export const emptyInstance = (ref: ClassRef): ClassInstance => ({
  kind: 'class',
  name: '',
  ref,
  members: new Map(),
  bodies: [],
  isConnector: false,
  inner: new Set(),
  disabled: new Set(),
  charts: [],
  part: -1,
});
