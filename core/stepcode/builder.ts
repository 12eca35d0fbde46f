import { problem, type Problem } from '../language/diagnostics';
import type { FlatModel } from '../flatten/flat-model';
import {
  number,
  pair,
  plus,
  truth,
  type NameList,
  type Routine,
  type Slot,
  type StepExpr,
  type StepInstruction,
  type StepType,
} from './step-program';

/** What is put together while a model is lowered. */
export interface Builder {
  readonly model: FlatModel;
  readonly period: number;
  readonly slots: Slot[];
  readonly lists: NameList[];
  readonly routines: Routine[];
  readonly problems: Problem[];
  slot(slot: Pick<Slot, 'name' | 'role' | 'type'> & Partial<Slot>): number;
  /** Its number; what it calls has to be there already. */
  routine(routine: Pick<Routine, 'name' | 'from' | 'body'> & Partial<Routine>): number;
  read(slot: number, at?: StepExpr): StepExpr;
  /** Does a piece of the work; what it refuses is told at its place, and the rest goes on. */
  piece<T>(place: string, otherwise: T, work: () => T): T;
}

/** A step cannot do what is written there. */
export class Refusal extends Error {
  constructor(
    message: string,
    readonly place?: string,
  ) {
    super(message);
  }
}

export function createBuilder(model: FlatModel, period: number): Builder {
  const slots: Slot[] = [];
  const routines: Routine[] = [];
  const problems: Problem[] = [];
  return {
    model,
    period,
    slots,
    lists: [],
    routines,
    problems,
    slot: (s) =>
      slots.push({
        size: 0,
        unit: '',
        note: '',
        from: '',
        start: s.type === 'bool' ? truth(false) : number(0, s.type),
        list: -1,
        ...s,
      }) - 1,
    routine: (r) => routines.push({ note: '', takes: [], locals: [], gives: undefined, ...r }) - 1,
    read: (slot, at) => ({ op: 'slot', type: slots[slot].type, slot, ...(at && { at }) }),
    piece(place, otherwise, work) {
      try {
        return work();
      } catch (error) {
        if (!(error instanceof Refusal)) throw error;
        const at = error.place ?? place;
        if (!problems.some((p) => p.message === error.message && p.place === at))
          problems.push({ ...problem('error', 'step', error.message), place: at });
        return otherwise;
      }
    },
  };
}

// --- instructions in short

export const set = (slot: number, value: StepExpr, from = '', at?: StepExpr): StepInstruction => ({
  op: 'set',
  slot,
  value,
  from,
  ...(at && { at }),
});
export const call = (routine: number, args: readonly StepExpr[] = [], from = ''): StepInstruction => ({
  op: 'call',
  routine,
  args,
  from,
});
export const give = (value?: StepExpr, from = ''): StepInstruction => ({ op: 'return', ...(value && { value }), from });
export const when = (
  condition: StepExpr,
  body: readonly StepInstruction[],
  otherwise: readonly StepInstruction[] = [],
  from = '',
): readonly StepInstruction[] => {
  if (condition.op === 'const') return condition.value ? body : otherwise;
  return body.length === 0 && otherwise.length === 0
    ? []
    : [{ op: 'if', branches: [{ when: condition, body }], otherwise, from }];
};
/** Turns while something holds. */
export const turn = (condition: StepExpr, body: readonly StepInstruction[], from = ''): StepInstruction => ({
  op: 'while',
  when: condition,
  body,
  from,
});
/** For every place of a list from its first to its last; `k` is a local of its own. */
export const each = (
  b: Builder,
  k: number,
  count: StepExpr,
  body: readonly StepInstruction[],
): readonly StepInstruction[] => [
  set(k, number(0, 'i32')),
  turn(pair('lt', b.read(k), count), [...body, set(k, plus(b.read(k), number(1, 'i32')))]),
];
export const result = (routine: number, type: StepType, args: readonly StepExpr[] = []): StepExpr => ({
  op: 'call',
  type,
  routine,
  args,
});
