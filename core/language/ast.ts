import type { Span } from './diagnostics';

/**
 * The syntax tree of the one language used everywhere: a subset of the Modelica language 3.6 with three additions:
 * numbers with a unit (`330 'rpm'`), messages (`send start() to belt`) and chart states (`in(mode.Fast)`).
 * Every node keeps its source span.
 */
export type Expr =
  | NumberExpr
  | StringExpr
  | BooleanExpr
  | RefExpr
  | CallExpr
  | UnaryExpr
  | BinaryExpr
  | IfExpr
  | ArrayExpr
  | ComprehensionExpr
  | RangeExpr
  | TupleExpr
  | ColonExpr
  | EndExpr
  | ErrorExpr;

export interface NumberExpr {
  readonly kind: 'number';
  readonly value: number;
  readonly unit?: string;
  readonly span: Span;
}
export interface StringExpr {
  readonly kind: 'string';
  readonly value: string;
  readonly span: Span;
}
export interface BooleanExpr {
  readonly kind: 'boolean';
  readonly value: boolean;
  readonly span: Span;
}
export interface RefPart {
  readonly name: string;
  readonly subscripts: readonly Expr[];
  readonly span: Span;
}
/** `spindle.w`, `c[1].u`, `.Package.x` */
export interface RefExpr {
  readonly kind: 'ref';
  readonly parts: readonly RefPart[];
  readonly global: boolean;
  readonly span: Span;
}
export interface NamedArgument {
  readonly name: string;
  readonly value: Expr;
  readonly span: Span;
}
export interface CallExpr {
  readonly kind: 'call';
  /** Dotted name of the function. */
  readonly callee: string;
  readonly calleeSpan: Span;
  readonly args: readonly Expr[];
  readonly named: readonly NamedArgument[];
  /** `function f(k = 2)` as an argument: the function itself, with some of its inputs given. */
  readonly isPartial?: boolean;
  readonly span: Span;
}
export interface UnaryExpr {
  readonly kind: 'unary';
  readonly op: '-' | '+' | 'not';
  readonly operand: Expr;
  readonly span: Span;
}
export type BinaryOp =
  '+' | '-' | '*' | '/' | '^' | '.+' | '.-' | '.*' | './' | '.^' | '<' | '<=' | '>' | '>=' | '==' | '<>' | 'and' | 'or';
export interface BinaryExpr {
  readonly kind: 'binary';
  readonly op: BinaryOp;
  readonly left: Expr;
  readonly right: Expr;
  readonly span: Span;
}
export interface IfExpr {
  readonly kind: 'if';
  readonly branches: readonly { readonly condition: Expr; readonly value: Expr }[];
  readonly otherwise: Expr;
  readonly span: Span;
}
export interface ArrayExpr {
  readonly kind: 'array';
  readonly elements: readonly Expr[];
  /** Written in square brackets: its elements are rows, whose elements may be matrices themselves. */
  readonly matrix?: true;
  readonly span: Span;
}
export interface Iterator {
  readonly name: string;
  readonly range?: Expr;
  readonly span: Span;
}
/** `{f(i) for i in 1:n}` or `sum(f(i) for i in 1:n)`; the reduction is the callee of the surrounding call. */
export interface ComprehensionExpr {
  readonly kind: 'comprehension';
  readonly body: Expr;
  readonly iterators: readonly Iterator[];
  readonly span: Span;
}
export interface RangeExpr {
  readonly kind: 'range';
  readonly start: Expr;
  readonly step?: Expr;
  readonly stop: Expr;
  readonly span: Span;
}
/** Left side of `(a, b) = f(x)`. */
export interface TupleExpr {
  readonly kind: 'tuple';
  readonly elements: readonly Expr[];
  readonly span: Span;
}
export interface ColonExpr {
  readonly kind: 'colon';
  readonly span: Span;
}
export interface EndExpr {
  readonly kind: 'end';
  readonly span: Span;
}
export interface ErrorExpr {
  readonly kind: 'error';
  readonly span: Span;
}

export type Equation =
  /** `written`: how it was written, where it has been converted since. */
  | {
      readonly kind: 'equal';
      readonly left: Expr;
      readonly right: Expr;
      readonly span: Span;
      readonly written?: string;
    }
  | { readonly kind: 'connect'; readonly a: RefExpr; readonly b: RefExpr; readonly span: Span }
  | { readonly kind: 'call'; readonly call: CallExpr; readonly span: Span }
  | SendNode
  | {
      readonly kind: 'if';
      readonly branches: readonly { readonly condition: Expr; readonly body: readonly Equation[] }[];
      readonly otherwise: readonly Equation[];
      readonly span: Span;
    }
  | {
      readonly kind: 'when';
      readonly branches: readonly { readonly condition: Expr; readonly body: readonly Equation[] }[];
      readonly span: Span;
    }
  | {
      readonly kind: 'for';
      readonly iterators: readonly Iterator[];
      readonly body: readonly Equation[];
      readonly span: Span;
    }
  | { readonly kind: 'error'; readonly span: Span };

/**
 * `send seated(angle = 2) to out after 0.1 's'`; without `to`, the message goes to the part itself, ahead of what waits from
 * outside. With `after` it is handed over later, behind what waits then; `after 0` is the way to the end of the queue.
 */
export interface SendNode {
  readonly kind: 'send';
  readonly message: string;
  readonly messageSpan: Span;
  readonly args: readonly NamedArgument[];
  readonly receiver?: RefExpr;
  readonly after?: Expr;
  readonly span: Span;
}

/** `cancel seated;` takes back what this part has sent with `after` and is not yet due. */
export interface CancelNode {
  readonly kind: 'cancel';
  readonly message: string;
  readonly messageSpan: Span;
  readonly span: Span;
}

export type Statement =
  | CancelNode
  | { readonly kind: 'assign'; readonly target: RefExpr | TupleExpr; readonly value: Expr; readonly span: Span }
  | { readonly kind: 'call'; readonly call: CallExpr; readonly span: Span }
  | SendNode
  | {
      readonly kind: 'if';
      readonly branches: readonly { readonly condition: Expr; readonly body: readonly Statement[] }[];
      readonly otherwise: readonly Statement[];
      readonly span: Span;
    }
  | {
      readonly kind: 'when';
      readonly branches: readonly { readonly condition: Expr; readonly body: readonly Statement[] }[];
      readonly span: Span;
    }
  | {
      readonly kind: 'for';
      readonly iterators: readonly Iterator[];
      readonly body: readonly Statement[];
      readonly span: Span;
    }
  | { readonly kind: 'while'; readonly condition: Expr; readonly body: readonly Statement[]; readonly span: Span }
  | { readonly kind: 'return'; readonly span: Span }
  | { readonly kind: 'break'; readonly span: Span }
  | { readonly kind: 'error'; readonly span: Span };

export interface ModificationArgument {
  /** `a.b(x = 1)` has the path ['a', 'b']. */
  readonly path: readonly string[];
  readonly pathSpan?: Span;
  readonly each: boolean;
  readonly final: boolean;
  readonly modification: Modification;
  readonly redeclare?: ComponentElement | ClassDefinition;
  /** `break z`: what is inherited is left out, with all that connects it. */
  readonly isBroken?: true;
  readonly span: Span;
}
export interface Modification {
  readonly args: readonly ModificationArgument[];
  readonly value?: Expr;
}

export type Variability = 'constant' | 'parameter' | 'discrete' | 'continuous';
export type Causality = 'input' | 'output' | 'none';

export interface ComponentElement {
  readonly kind: 'component';
  readonly name: string;
  readonly nameSpan: Span;
  readonly typeName: string;
  readonly typeSpan: Span;
  readonly dimensions: readonly Expr[];
  readonly variability: Variability;
  readonly causality: Causality;
  readonly flow: 'flow' | 'stream' | 'none';
  readonly inner: boolean;
  readonly outer: boolean;
  readonly final: boolean;
  readonly replaceable: boolean;
  readonly redeclare: boolean;
  readonly protected: boolean;
  readonly modification: Modification;
  readonly condition?: Expr;
  /** Changes that hold for whatever type stands in: `constrainedby Base(x = 1)`. */
  readonly constraint?: Modification;
  readonly description: string;
  readonly annotation?: Modification;
  readonly span: Span;
}
export interface ExtendsElement {
  readonly kind: 'extends';
  readonly base: string;
  readonly baseSpan: Span;
  readonly modification: Modification;
  readonly span: Span;
}
export interface ImportElement {
  readonly kind: 'import';
  readonly alias?: string;
  readonly path: string;
  readonly wildcard: boolean;
  readonly span: Span;
}
export type ClassKind =
  'model' | 'block' | 'class' | 'connector' | 'record' | 'type' | 'function' | 'package' | 'operator';
export interface ClassDefinition {
  readonly kind: 'class';
  readonly classKind: ClassKind;
  readonly name: string;
  readonly nameSpan: Span;
  readonly partial: boolean;
  readonly replaceable: boolean;
  readonly redeclare: boolean;
  readonly expandable: boolean;
  readonly description: string;
  readonly elements: readonly Element[];
  readonly equations: readonly Equation[];
  readonly initialEquations: readonly Equation[];
  readonly algorithms: readonly (readonly Statement[])[];
  readonly initialAlgorithms: readonly (readonly Statement[])[];
  /** `type Voltage = Real(unit = "V")`: base, its array dimensions and its modification. */
  readonly short?: {
    readonly base: string;
    readonly baseSpan: Span;
    readonly dimensions: readonly Expr[];
    readonly causality: Causality;
    readonly modification: Modification;
    /** `function f = der(g, x)`: the inputs it is the partial derivative for, one after the other. */
    readonly derivative?: readonly { readonly name: string; readonly span: Span }[];
  };
  readonly enumeration?: readonly string[];
  readonly external: boolean;
  readonly annotation?: Modification;
  readonly span: Span;
}
export type Element = ComponentElement | ExtendsElement | ImportElement | ClassDefinition;

export const emptyModification: Modification = { args: [] };

/** The dotted name of a reference without subscripts, e.g. `spindle.w`. */
export const refName = (ref: RefExpr): string => ref.parts.map((p) => p.name).join('.');
