import {
  operandsOf,
  type Routine,
  type Slot,
  type StepExpr,
  type StepInstruction,
  type StepProgram,
} from './step-program';
import { visitAll } from './tidy';

type SetLine = Extract<StepInstruction, { op: 'set' }>;
interface Branch {
  readonly when: StepExpr | undefined;
  readonly before: readonly SetLine[];
  readonly value: StepExpr;
}

/**
 * What only one way of a choice needs is worked out on that way: `v = if a then x else y`, where `x` is a line of its own and read nowhere else,
 * becomes a choice of what to do. The values are the same; a step does less.
 */
export const withLateWork = (program: StepProgram): StepProgram => ({
  ...program,
  routines: program.routines.map((r) => late(r, program.slots)),
});

function late(r: Routine, slots: readonly Slot[]): Routine {
  const reads = new Map<number, number>();
  const writes = new Map<number, number>();
  const count =
    (of: Map<number, number>) =>
    (slot: number): unknown =>
      of.set(slot, (of.get(slot) ?? 0) + 1);
  visitAll(r.body, { read: count(reads), write: count(writes) });
  /** Whether a line may be worked out later, where only that reads it. */
  const canWait = (x: StepInstruction): x is SetLine =>
    x.op === 'set' && !x.at && slots[x.slot].role === 'local' && writes.get(x.slot) === 1 && isPlain(x.value);
  let body = r.body;
  for (let k = body.length - 1; k > 0; k--) {
    const x = body[k];
    if (x.op !== 'set' || x.at || x.value.op !== 'choose') continue;
    let branches = branchesOf(x.value);
    const moved = new Map<number, number>();
    // from the last line upwards: what is read by one that has been moved may follow it
    for (let j = k - 1; j >= 0; j--) {
      const line = body[j];
      if (!canWait(line)) continue;
      const needed = branches.map((b) => readsOf(b, line.slot));
      const owner = needed.findIndex((n) => n > 0);
      if (owner < 0 || needed[owner] !== reads.get(line.slot)) continue;
      const between = body.slice(j + 1, k).filter((_, n) => !moved.has(j + 1 + n));
      if (between.some((y) => changesWhat(y, line.value))) continue;
      moved.set(j, owner);
      branches = branches.map((b, n) => (n === owner ? { ...b, before: [line, ...b.before] } : b));
    }
    if (moved.size === 0) continue;
    const way = ({ before, value }: Branch): readonly StepInstruction[] => [...before, { ...x, value }];
    const choice: StepInstruction = {
      op: 'if',
      branches: branches.flatMap((b) => (b.when ? [{ when: b.when, body: way(b) }] : [])),
      otherwise: branches.flatMap((b) => (b.when ? [] : way(b))),
      from: x.from,
    };
    body = [...body.slice(0, k).filter((_, j) => !moved.has(j)), choice, ...body.slice(k + 1)];
    k -= moved.size;
  }
  return { ...r, body };
}

/** The ways of a choice in their order; the last one has no condition. */
const branchesOf = (e: StepExpr): readonly Branch[] =>
  e.op === 'choose'
    ? [{ when: e.c, before: [], value: e.a }, ...branchesOf(e.b)]
    : [{ when: undefined, before: [], value: e }];

/** How often a slot is read on a way; a condition is read on every one, and counts as not on it. */
function readsOf({ before, value }: Branch, slot: number): number {
  let n = 0;
  const look = (e: StepExpr): void => {
    if (e.op === 'slot' && e.slot === slot) n++;
    operandsOf(e).forEach(look);
  };
  look(value);
  before.forEach((x) => look(x.value));
  return n;
}

/** Nothing but arithmetic: routines may do more. */
const isPlain = (e: StepExpr): boolean => e.op !== 'call' && operandsOf(e).every(isPlain);

/** Whether an instruction may give something another value that an expression reads. */
function changesWhat(x: StepInstruction, e: StepExpr): boolean {
  const read = new Set<number>();
  const look = (y: StepExpr): void => {
    if (y.op === 'slot') read.add(y.slot);
    operandsOf(y).forEach(look);
  };
  look(e);
  let found = false;
  visitAll([x], { write: (slot) => void (found ||= read.has(slot)), call: () => void (found = true) });
  return found;
}
