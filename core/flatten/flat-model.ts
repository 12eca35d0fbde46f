import type { Problem, Span } from '../language/diagnostics';
import type { LoopWay } from '../behaviour/chart-source';
import type { ChartStructure } from '../behaviour/chart-structure';
import type { FlatExpr } from './flat-expression';
import type { FlatText } from './flat-text';

/** Where an equation comes from: the text, and the part in which it holds. */
export interface Origin {
  /** Full name of the part, '' for the root. */
  readonly part: string;
  readonly place: string;
  readonly span: Span;
  /** The equation as written, for messages. */
  readonly text: string;
}

const closing = '(nothing is linked here)';
/** The equation that says that nothing flows through a port without links. */
export const closingText = (flow: string): string => `${flow} = 0 ${closing}`;
export const isClosing = (e: { readonly origin: Origin }): boolean => e.origin.text.endsWith(closing);

export type ValueType = 'Real' | 'Integer' | 'Boolean' | 'String' | 'enumeration';

export interface FlatVariable {
  readonly name: string;
  readonly type: ValueType;
  /** `external`: set from outside (inputs nothing is linked to); `assigned`: written by charts and held in between. */
  kind: 'constant' | 'parameter' | 'continuous' | 'discrete' | 'external' | 'assigned';
  /** Value of a constant or parameter. */
  binding?: FlatExpr;
  start?: FlatExpr;
  fixed: boolean;
  readonly unit: string;
  readonly displayUnit: string;
  min?: FlatExpr;
  max?: FlatExpr;
  nominal?: FlatExpr;
  readonly note: string;
  readonly place: string;
  readonly span?: Span;
  readonly literals?: readonly string[];
  readonly isProtected: boolean;
  /** It cannot be given another value. */
  readonly isFinal?: boolean;
  /** Belongs to a shape: for the eye only. */
  ofShape?: boolean;
  readonly isInput: boolean;
  readonly isOutput: boolean;
  /** What the text says of its use as a state. */
  readonly stateSelect?: 'never' | 'avoid' | 'default' | 'prefer' | 'always';
  /** Made by the compiler: conditions of `when` and the like. */
  readonly hidden: boolean;
  /** Looked at from outside only: nothing in the model depends on it. */
  readonly watched?: boolean;
  /** The text of a String constant or parameter. */
  text?: string;
}

export interface FlatEquation {
  readonly left: FlatExpr;
  readonly right: FlatExpr;
  readonly origin: Origin;
  /** A value that is set when something happens, and kept otherwise. */
  readonly isWhen?: boolean;
}

/** Something done once when a Boolean variable becomes true. */
export interface FlatAction {
  /** Variables whose rising edge does it (any of them), `initial` at the start. */
  readonly conditions: readonly number[];
  readonly atInitial: boolean;
  /** What has to hold besides at that moment: the branches it stands in, and that no earlier branch of its when is taken. */
  readonly guard: FlatExpr;
  readonly does:
    | { readonly kind: 'reinit'; readonly state: number; readonly value: FlatExpr }
    | { readonly kind: 'send'; readonly send: FlatSend }
    | { readonly kind: 'terminate'; readonly message: FlatText }
    | ({ readonly kind: 'assert' } & Claim);
  readonly origin: Origin;
}

/** What is said to hold, and what is told where it does not: as a warning, or as the end of the run. */
export interface Claim {
  readonly condition: FlatExpr;
  readonly message: FlatText;
  readonly warning: boolean;
}

/** A claim about every moment. */
export interface FlatAssertion extends Claim {
  readonly origin: Origin;
}

export interface FlatSend {
  readonly message: string;
  readonly args: readonly { readonly name: string; readonly value: FlatExpr }[];
  /** Numbers of parts. */
  readonly sender: number;
  readonly receivers: readonly number[];
  /** Seconds until it is handed over. */
  readonly after?: FlatExpr;
  /** From the part to itself, ahead of what waits from outside. */
  readonly own: boolean;
}

export type FlatStatement =
  | { readonly kind: 'assign'; readonly target: number; readonly value: FlatExpr; readonly origin: Origin }
  | { readonly kind: 'send'; readonly send: FlatSend; readonly origin: Origin }
  | { readonly kind: 'cancel'; readonly sender: number; readonly message: string; readonly origin: Origin }
  | {
      readonly kind: 'if';
      readonly branches: readonly { readonly condition: FlatExpr; readonly body: readonly FlatStatement[] }[];
      readonly otherwise: readonly FlatStatement[];
    };

/** A state chart in one part. State `k` has the Boolean variable `active[k]`. */
export interface FlatChart {
  readonly name: string;
  readonly part: number;
  readonly place: string;
  readonly structure: ChartStructure;
  readonly active: readonly number[];
  readonly entry: readonly (readonly FlatStatement[])[];
  readonly do: readonly (readonly FlatStatement[])[];
  readonly exit: readonly (readonly FlatStatement[])[];
  readonly defers: readonly (readonly string[])[];
  /** Seconds between the do texts. */
  readonly period?: FlatExpr;
  readonly transitions: readonly FlatTransition[];
  /** Variables of its own: quantities and arguments of messages. */
  readonly locals: ReadonlyMap<string, number>;
  readonly isProcedure: boolean;
  /** Where it is counted what a run comes through. */
  readonly points?: ChartPoints;
}

/** Numbers of points of a chart in a coverage plan, by state, by transition, and by transition and trigger. */
export interface ChartPoints {
  readonly entered: readonly number[];
  readonly left: readonly number[];
  readonly took: readonly number[];
  readonly triggered: readonly (readonly number[])[];
}

export interface FlatTransition {
  readonly guard?: FlatExpr;
  readonly triggers: readonly FlatTrigger[];
  readonly effect: readonly FlatStatement[];
  readonly origin: Origin;
  /** Places of the further transitions it goes through. */
  readonly via: readonly string[];
  /** Of a procedure: it goes another round of a loop, or on behind it. */
  readonly loop?: LoopWay;
}

export interface FlatTrigger {
  /** Variable whose value (`when`), rise or change is looked at. */
  readonly condition?: number;
  /** The same as a formula, noted: it is told whenever the trigger is asked. */
  readonly asked?: FlatExpr;
  /** Seconds of `after`, `at` and `every`. */
  readonly delay?: FlatExpr;
}

export interface FlatPart {
  readonly name: string;
  readonly typeName: string;
  /** What it looks like, for parts that are only there to be seen: Box, Line and so on; empty for all others. */
  readonly shape: string;
  readonly charts: readonly number[];
  /** Seconds between its steps, for parts that are software, with the place where that is said. */
  readonly software?: {
    readonly period: FlatExpr;
    readonly place: string;
    /** Number of the variable that tells how long its last step took; -1 where the name is taken. */
    readonly stepTime: number;
    /** The same of how many steps were left out as the one before was not done in time. */
    readonly overruns: number;
  };
}

export interface FlatModel {
  readonly name: string;
  readonly variables: readonly FlatVariable[];
  readonly equations: readonly FlatEquation[];
  readonly initialEquations: readonly FlatEquation[];
  readonly actions: readonly FlatAction[];
  readonly assertions: readonly FlatAssertion[];
  readonly parts: readonly FlatPart[];
  readonly charts: readonly FlatChart[];
  /** Variable number of a full name. */
  readonly indexOf: ReadonlyMap<string, number>;
  /** Constants and parameters whose values have decided what there is: sizes, choices between parts, branches that are not there. */
  readonly decided: ReadonlySet<number>;
  readonly problems: readonly Problem[];
}

/** Full name of the part a variable is of. */
export const ownerOf = (name: string): string => name.replace(/\[[^\]]*\]$/, '').replace(/\.?[^.]*$/, '');
