import type { Storage } from './number-kinds';

/**
 * A controller as one small list of typed instructions: what stands between its charts, procedures and sheets and everything that runs it
 * off the simulator. Text in C and JavaScript come from it; neither reads the model again.
 */

/** Real numbers are single precision, whole ones have 32 bits; constants are as they are written. */
export type StepType = 'f32' | 'i32' | 'bool';

/** `part`: kept from step to step. `constant`: an array of numbers that stay. */
export type SlotRole = 'input' | 'output' | 'parameter' | 'part' | 'local' | 'constant';

export interface Slot {
  /** As the model has it; several may be called the same in different roles. */
  readonly name: string;
  readonly role: SlotRole;
  readonly type: StepType;
  /** Elements of an array; 0 for a single value. */
  readonly size: number;
  readonly unit: string;
  readonly note: string;
  /** Address of the element it is; empty where it is of none alone. */
  readonly from: string;
  /** What it begins with. */
  readonly start: StepExpr;
  /** Names of its values, where it is one of a list: of the states of a region. */
  readonly list: number;
  /** It counts messages, or says where a chart or a lane of it is. */
  readonly is?: 'messages' | 'region';
  /** How it is kept, where that is not as usual for its type. */
  readonly storage?: Storage;
  /** Of one with a storage whose formula is one of single precision all the same: what in it is none of whole numbers. */
  readonly float?: string;
  /** Of an array of the role `constant`. */
  readonly values?: readonly number[];
}

/** Names of whole numbers, such as the states of a chart. */
export interface NameList {
  readonly name: string;
  readonly members: readonly { readonly name: string; readonly value: number; readonly from: string }[];
}

export type StepExpr =
  | { readonly op: 'const'; readonly type: StepType; readonly value: number; readonly list?: number }
  | {
      readonly op: 'slot';
      readonly type: StepType;
      readonly slot: number;
      readonly at?: StepExpr;
      /** Of a slot with a storage: the whole number that is kept. */
      readonly isKept?: true;
    }
  | { readonly op: 'neg' | 'not' | 'toReal' | 'toInteger'; readonly type: StepType; readonly a: StepExpr }
  | {
      readonly op: StepPairOp;
      readonly type: StepType;
      readonly a: StepExpr;
      readonly b: StepExpr;
      /** Whole numbers that cannot leave their range here. */
      readonly isBounded?: true;
    }
  | { readonly op: 'choose'; readonly type: StepType; readonly c: StepExpr; readonly a: StepExpr; readonly b: StepExpr }
  | {
      readonly op: 'fn';
      readonly type: StepType;
      readonly name: StepFunctionName;
      readonly args: readonly StepExpr[];
    }
  | { readonly op: 'call'; readonly type: StepType; readonly routine: number; readonly args: readonly StepExpr[] }
  /** The value of `a`; where it is counted what a run comes through, how the conditions come out is told. */
  | {
      readonly op: 'noted';
      readonly type: StepType;
      readonly decision: number;
      readonly a: StepExpr;
      readonly conditions: readonly StepExpr[];
    };
export type StepPairOp = 'add' | 'sub' | 'mul' | 'div' | 'lt' | 'le' | 'gt' | 'ge' | 'eq' | 'ne' | 'and' | 'or';
/** Whole numbers wrap in `add`, `sub` and `mul`; `quotient` and `remainder` by 0 are 0. */
export type StepFunctionName =
  | 'sqrt'
  | 'abs'
  | 'min'
  | 'max'
  | 'floor'
  | 'ceil'
  | 'sign'
  | 'quotient'
  | 'remainder'
  | 'modulo'
  /** Divided by a power of two, to the nearest, halves away from 0. */
  | 'scaled'
  /** How many steps pass before so many seconds have. */
  | 'steps';

export type StepInstruction =
  | {
      readonly op: 'set';
      readonly slot: number;
      readonly at?: StepExpr;
      readonly value: StepExpr;
      /** The value is what is to be kept, as a whole number. */
      readonly isKept?: true;
      /** What that stands for, as a real number. */
      readonly meant?: StepExpr;
      readonly from: string;
    }
  | {
      readonly op: 'if';
      readonly branches: readonly { readonly when: StepExpr; readonly body: readonly StepInstruction[] }[];
      readonly otherwise: readonly StepInstruction[];
      readonly from: string;
    }
  | {
      readonly op: 'switch';
      readonly on: StepExpr;
      readonly cases: readonly {
        readonly values: readonly number[];
        readonly body: readonly StepInstruction[];
        readonly from: string;
      }[];
      readonly from: string;
    }
  /** Turns while `when` holds, but no more than `most`. */
  | {
      readonly op: 'while';
      readonly when: StepExpr;
      readonly body: readonly StepInstruction[];
      readonly from: string;
    }
  | { readonly op: 'call'; readonly routine: number; readonly args: readonly StepExpr[]; readonly from: string }
  | { readonly op: 'return'; readonly value?: StepExpr; readonly from: string }
  /** A point that a run has come through, where that is counted. */
  | { readonly op: 'note'; readonly point: number; readonly from: string };

export interface Routine {
  /** Words that make its name, such as `mode`, `leave`. */
  readonly name: string;
  readonly note: string;
  /** Address of the element it is of. */
  readonly from: string;
  /** Slots of the role `local`. */
  readonly takes: readonly number[];
  readonly locals: readonly number[];
  readonly gives: StepType | undefined;
  /** The function of mathematics it is in basic operations, where it is one. */
  readonly standard?: string;
  readonly body: readonly StepInstruction[];
}

export interface StepProgram {
  readonly name: string;
  readonly note: string;
  /** Seconds from step to step. */
  readonly period: number;
  readonly slots: readonly Slot[];
  readonly lists: readonly NameList[];
  /** Each calls only those before it. */
  readonly routines: readonly Routine[];
  /** Numbers of the routines that begin and that go one step. */
  readonly init: number;
  readonly step: number;
}

export const number = (value: number, type: StepType = 'f32', list?: number): StepExpr => ({
  op: 'const',
  type,
  value,
  ...(list !== undefined && { list }),
});
export const truth = (value: boolean): StepExpr => ({ op: 'const', type: 'bool', value: Number(value) });
export const isTruth = (e: StepExpr, value: boolean): boolean =>
  e.op === 'const' && e.type === 'bool' && (e.value !== 0) === value;

/** Operands of an expression. */
export function operandsOf(e: StepExpr): readonly StepExpr[] {
  switch (e.op) {
    case 'const':
      return [];
    case 'slot':
      return e.at ? [e.at] : [];
    case 'neg':
    case 'not':
    case 'toReal':
    case 'toInteger':
      return [e.a];
    case 'choose':
      return [e.c, e.a, e.b];
    case 'fn':
    case 'call':
      return e.args;
    case 'noted':
      return [e.a, ...e.conditions];
    default:
      return [e.a, e.b];
  }
}
/** The same with other operands. */
export function withOperands(e: StepExpr, change: (x: StepExpr) => StepExpr): StepExpr {
  switch (e.op) {
    case 'const':
      return e;
    case 'slot':
      return e.at ? { ...e, at: change(e.at) } : e;
    case 'neg':
    case 'not':
    case 'toReal':
    case 'toInteger':
      return { ...e, a: change(e.a) };
    case 'choose':
      return { ...e, c: change(e.c), a: change(e.a), b: change(e.b) };
    case 'fn':
    case 'call':
      return { ...e, args: e.args.map(change) };
    case 'noted':
      return { ...e, a: change(e.a), conditions: e.conditions.map(change) };
    default:
      return { ...e, a: change(e.a), b: change(e.b) };
  }
}
/** An instruction with other expressions, and other instructions in it. */
export function withParts(
  x: StepInstruction,
  expr: (e: StepExpr) => StepExpr,
  lines: (list: readonly StepInstruction[]) => readonly StepInstruction[],
): StepInstruction {
  switch (x.op) {
    case 'set':
      return { ...x, value: expr(x.value), ...(x.at && { at: expr(x.at) }) };
    case 'if':
      return {
        ...x,
        branches: x.branches.map((b) => ({ when: expr(b.when), body: lines(b.body) })),
        otherwise: lines(x.otherwise),
      };
    case 'switch':
      return { ...x, on: expr(x.on), cases: x.cases.map((c) => ({ ...c, body: lines(c.body) })) };
    case 'while':
      return { ...x, when: expr(x.when), body: lines(x.body) };
    case 'call':
      return { ...x, args: x.args.map(expr) };
    case 'return':
      return x.value ? { ...x, value: expr(x.value) } : x;
    case 'note':
      return x;
  }
}
export const and = (a: StepExpr, b: StepExpr): StepExpr =>
  isTruth(a, true)
    ? b
    : isTruth(b, true)
      ? a
      : isTruth(a, false) || isTruth(b, false)
        ? truth(false)
        : pair('and', a, b);
export const or = (a: StepExpr, b: StepExpr): StepExpr =>
  isTruth(a, false) ? b : isTruth(b, false) ? a : isTruth(a, true) || isTruth(b, true) ? truth(true) : pair('or', a, b);
export const not = (a: StepExpr): StepExpr =>
  a.op === 'const'
    ? truth(a.value === 0)
    : a.op === 'not'
      ? a.a
      : a.op === 'eq' || a.op === 'ne'
        ? { ...a, op: a.op === 'eq' ? 'ne' : 'eq' }
        : { op: 'not', type: 'bool', a };
export const pair = (op: StepPairOp, a: StepExpr, b: StepExpr): StepExpr => ({
  op,
  type: op === 'add' || op === 'sub' || op === 'mul' || op === 'div' ? a.type : 'bool',
  a,
  b,
});
/** Of whole numbers that stay small. */
export const plus = (a: StepExpr, b: StepExpr): StepExpr => ({ op: 'add', type: 'i32', a, b, isBounded: true });
export const minus = (a: StepExpr, b: StepExpr): StepExpr => ({ op: 'sub', type: 'i32', a, b, isBounded: true });
