import type { TermFunction } from './functions';
import type { Written } from '../flatten/flat-expression';
import type { Origin } from '../flatten/flat-model';

/**
 * What a model comes down to: a typed list over numbered places, with no text of a user in it. It is plain data, so it can be kept,
 * compared and posted; whatever runs it is a writer beside the others (`write-js.ts`). Jacobians, the written-out step and the
 * conditions that are watched are lists of the same kind, made from the same expressions.
 */

/** Arrays of a run's memory (see `Memory`), and those that are handed to a routine. */
export type ArrayName =
  | 'v'
  | 'pre'
  | 'd'
  | 'm'
  | 'live'
  | 'z'
  | 's'
  | 'flags'
  | 'y'
  | 'dy'
  | 'into'
  | 'g'
  | 'k1'
  | 'k3'
  | 'k4'
  | 'k5'
  | 'k6'
  | 'k7'
  | 'yNew'
  | 'error'
  | 'absolute'
  | 'sums';

/** Numbers that are handed to a routine: the time, the length and the beginning of a step, the relative tolerance. */
export type ScalarName = 't' | 't0' | 'h' | 'relative';

export interface Slot {
  readonly op: 'slot';
  readonly of: ArrayName;
  readonly index: number;
}

/** A local variable of a routine, by number. */
export interface Local {
  readonly op: 'local';
  readonly id: number;
}

/** An expression with a number as its value. */
export type Term =
  | { readonly op: 'const'; readonly value: number }
  | Slot
  | Local
  | { readonly op: 'scalar'; readonly name: ScalarName }
  | { readonly op: 'neg'; readonly a: Term }
  | { readonly op: 'add' | 'sub' | 'mul' | 'div'; readonly a: Term; readonly b: Term }
  | { readonly op: 'call'; readonly name: TermFunction; readonly args: readonly Term[] }
  | { readonly op: 'choose'; readonly c: Truth; readonly a: Term; readonly b: Term }
  /** 1 where it is true, 0 where not. */
  | { readonly op: 'bit'; readonly c: Truth }
  /** Stores what a condition is now, and has it as its value. One with a distance keeps what it was while it rests within it. */
  | { readonly op: 'hold'; readonly condition: number; readonly a: Term; readonly distance: Term | undefined }
  | { readonly op: 'table'; readonly table: number; readonly a: Term; readonly slope: boolean }
  /** The value of `a`; how the conditions come out then is told. */
  | { readonly op: 'noted'; readonly decision: number; readonly a: Term; readonly conditions: readonly Truth[] }
  /** What was noted some seconds ago. */
  | { readonly op: 'past'; readonly past: number; readonly by: Term };

/** An expression that is true or not. */
export type Truth =
  | {
      readonly op: 'lt' | 'le' | 'gt' | 'ge' | 'eq' | 'ne';
      readonly a: Term;
      readonly b: Term;
      /** Where the condition was written. */
      readonly from?: Written;
    }
  | { readonly op: 'and' | 'or'; readonly a: Truth; readonly b: Truth }
  | { readonly op: 'not'; readonly a: Truth }
  | { readonly op: 'always' }
  | { readonly op: 'told'; readonly decision: number; readonly a: Truth; readonly conditions: readonly Truth[] }
  /** A number other than 0, and a number at all: NaN is not true. */
  | { readonly op: 'is'; readonly a: Term };

/** `from`: what was written that this comes from. */
export type Instruction = { readonly from?: Origin } & (
  | { readonly do: 'set'; readonly to: Slot; readonly value: Term }
  /** A local that keeps its value. */
  | { readonly do: 'let'; readonly to: Local; readonly value: Term }
  /** A local declared by its routine, given another value. */
  | { readonly do: 'change'; readonly to: Local; readonly value: Term }
  /** Instructions at another time, with locals of their own. */
  | { readonly do: 'at'; readonly time: Term; readonly body: readonly Instruction[] }
  | {
      readonly do: 'if';
      readonly branches: readonly { readonly condition: Truth; readonly body: readonly Instruction[] }[];
      readonly otherwise: readonly Instruction[];
    }
  /** Solves a block of equations from the values in memory. */
  | { readonly do: 'solve'; readonly block: number }
  /** Hands over message number `message` of the program. */
  | { readonly do: 'send'; readonly message: number; readonly args: readonly Term[]; readonly after?: Term }
  | { readonly do: 'cancel'; readonly message: number }
);

/** A condition or step function whose change is an event. */
export interface Condition {
  /** How far it is from changing, undefined for a step function, whose value `now` is. */
  readonly distance: Term | undefined;
  readonly now: Term;
  /** Where it was written; undefined for those that no text has, such as the jumps of a step function. */
  readonly from: Written | undefined;
  /** It is watched only while this is true: what stands in a branch that is not taken decides nothing. */
  readonly taken: Truth;
}

/** A root that must not be taken of what is negative, where its branch is taken. */
export interface Root {
  readonly argument: Term;
  /** How large the terms of the argument are together: what its rounding is measured against. */
  readonly size: Term;
  readonly taken: Truth;
}

/** A quotient whose divisor moves. */
export interface Quotient {
  readonly dividend: Term;
  readonly divisor: Term;
  readonly taken: Truth;
}

/** Equations to be solved together by Newton's method: given the torn unknowns, the inner ones follow, and the residuals have to vanish. */
export interface SolvedBlock {
  readonly tears: readonly Slot[];
  readonly inner: readonly Instruction[];
  readonly residuals: readonly Term[];
  /** Partial derivatives of the residuals, row after row, after the locals they need. */
  readonly partials: readonly Instruction[];
  readonly jacobian: readonly Term[];
  readonly linear: boolean;
}

/** The right-hand side: on locals alone where nothing has to be solved and it is short enough, otherwise through memory. */
export type Derivatives =
  | { readonly through: 'locals'; readonly body: readonly Instruction[] }
  | { readonly through: 'memory'; readonly body: readonly Instruction[] };

/** Partial derivatives of the derivatives by the states, after the values of all blocks stand in memory. */
export interface JacobianList {
  readonly values: readonly Instruction[];
  readonly partials: readonly Instruction[];
  /** Numbers kept in `g`. */
  readonly size: number;
  readonly dense: boolean;
}

/** All lists of a program. */
export interface InstructionList {
  /** Lengths of the arrays of memory. */
  readonly sizes: {
    readonly variables: number;
    readonly conditions: number;
    readonly samples: number;
    readonly pasts: number;
  };
  /** Variables of the states. */
  readonly states: readonly number[];
  readonly outputs: readonly Instruction[];
  readonly event: readonly Instruction[];
  /** Undefined where the equations at the start are those of any event. */
  readonly initial: readonly Instruction[] | undefined;
  readonly derivatives: Derivatives;
  /** The stages of an explicit step, with locals that keep their values between them. */
  readonly flatStep: { readonly locals: readonly Local[]; readonly body: readonly Instruction[] } | undefined;
  readonly jacobian: JacobianList | undefined;
  readonly blocks: readonly SolvedBlock[];
  readonly conditions: readonly Condition[];
  readonly roots: readonly Root[];
  readonly quotients: readonly Quotient[];
  /** How far constraints, and equations of the start that are solved with them, are from holding. */
  readonly constraints: readonly Term[];
  readonly startEquations: readonly Term[];
  /** Constants and parameters in the order in which they can be computed, unless they are given. */
  readonly parameters: readonly { readonly variable: number; readonly value: Term }[];
  readonly starts: readonly Instruction[];
  /** What is delayed. */
  readonly pasts: readonly Term[];
  readonly guards: readonly Truth[];
  /** Of each trigger what is told when it is asked; nothing where nothing is. */
  readonly asked: readonly (Truth | undefined)[];
  /** Seconds of time triggers and between do texts. */
  readonly delays: readonly Term[];
  readonly periods: readonly Term[];
  readonly effects: readonly (readonly Instruction[])[];
  /** Of each action of equations: whether it is done, and the values it needs. */
  readonly actions: readonly (readonly Term[])[];
  readonly assertions: readonly Truth[];
  readonly samples: readonly { readonly start: Term; readonly interval: Term }[];
  readonly tables: readonly { readonly x: readonly number[]; readonly y: readonly number[] }[];
}

export const number = (value: number): Term => ({ op: 'const', value });
export const slot = (of: ArrayName, index: number): Slot => ({ op: 'slot', of, index });
export const local = (id: number): Local => ({ op: 'local', id });
export const scalar = (name: ScalarName): Term => ({ op: 'scalar', name });
export const call = (name: TermFunction, ...args: readonly Term[]): Term => ({ op: 'call', name, args });
export const plus = (a: Term, b: Term): Term => ({ op: 'add', a, b });
export const times = (a: Term, b: Term): Term => ({ op: 'mul', a, b });
export const minus = (a: Term, b: Term): Term => ({ op: 'sub', a, b });
/** From left to right; at least one. */
export const sumOfTerms = (terms: readonly Term[]): Term => terms.slice(1).reduce(plus, terms[0]);
