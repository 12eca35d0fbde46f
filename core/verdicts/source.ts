/**
 * What a monitor watches, as plain data over variable numbers of a program: what requirements become (see
 * core/run/watch.ts). A number of -1 stands for nothing.
 */
export type MonitorSource =
  StateSource | TreeSource | { readonly kind: 'all'; readonly sources: readonly MonitorSource[] };

/** A condition of the model that must hold: `invariant` always, `response` within a time, `hold` for a time. */
export interface StateSource {
  readonly kind: 'invariant' | 'response' | 'hold';
  /** While this holds an invariant is watched; when it comes to hold the clock of the others starts. */
  readonly condition: number;
  readonly predicate: number;
  readonly margin: number;
  /** Factor from the margin's variable to the unit it is told in. */
  readonly marginScale: number;
  readonly unit: string;
  /** Seconds a response may take, or something must last. */
  readonly within: number;
  /** Unit in which times are told, and how many of it a second has. */
  readonly timeUnit: string;
  readonly timeScale: number;
}

/** Any formula of the limit language. */
export interface TreeSource {
  readonly kind: 'tree';
  readonly mode: 'always' | 'eventually' | 'start' | 'end';
  readonly body: TreeNode;
  readonly unit: string;
  readonly marginScale: number;
}

export type TreeNode =
  /** A Boolean variable; `margin` is the variable of its distance, `scale` its factor to SI. */
  | { readonly op: 'state'; readonly variable: number; readonly margin: number; readonly scale: number }
  | {
      readonly op: 'compare';
      readonly relation: '<' | '<=' | '>' | '>=' | '==' | '<>';
      readonly left: TreeValue;
      readonly right: TreeValue;
      readonly counts: boolean;
    }
  | { readonly op: 'not' | 'rising' | 'falling'; readonly a: TreeNode }
  | { readonly op: 'and' | 'or' | 'implies'; readonly a: TreeNode; readonly b: TreeNode }
  | { readonly op: 'after'; readonly seconds: number; readonly a: TreeNode }
  | { readonly op: 'always' | 'eventually'; readonly from: number; readonly to: number; readonly a: TreeNode }
  | { readonly op: 'until'; readonly to: number; readonly a: TreeNode; readonly b: TreeNode };

/** Numbers in SI units. */
export type TreeValue =
  | { readonly op: 'number'; readonly value: number }
  | { readonly op: 'signal'; readonly variable: number; readonly scale: number; readonly offset: number }
  | { readonly op: '+' | '-' | '*' | '/'; readonly a: TreeValue; readonly b: TreeValue }
  | { readonly op: 'abs' | 'negate'; readonly a: TreeValue }
  | { readonly op: 'count'; readonly window: number; readonly event: TreeNode }
  | { readonly op: 'rate'; readonly event: TreeNode }
  | {
      readonly op: 'average' | 'rms' | 'highest' | 'lowest';
      readonly window: number;
      readonly during: TreeNode | undefined;
      readonly of: TreeValue;
    }
  | { readonly op: 'at'; readonly event: TreeNode | undefined; readonly of: TreeValue }
  | { readonly op: 'duration'; readonly of: TreeNode };
