import {
  operandsOf,
  withOperands,
  withParts,
  type Routine,
  type Slot,
  type StepExpr,
  type StepInstruction,
  type StepProgram,
} from './step-program';

/** Passes over a program that is complete: what need not be kept is local, and what nobody needs is gone. */

interface Visit {
  read?(slot: number): void;
  write?(slot: number): void;
  set?(x: Extract<StepInstruction, { op: 'set' }>): void;
  call?(routine: number): void;
}

/** Everything in the order in which it is done. */
export function visitAll(list: readonly StepInstruction[], visit: Visit): void {
  const expr = (e: StepExpr): void => {
    operandsOf(e).forEach(expr);
    if (e.op === 'slot') visit.read?.(e.slot);
    if (e.op === 'call') visit.call?.(e.routine);
  };
  for (const x of list)
    switch (x.op) {
      case 'set':
        if (x.at) expr(x.at);
        expr(x.value);
        visit.write?.(x.slot);
        visit.set?.(x);
        break;
      case 'if':
        for (const y of x.branches) {
          expr(y.when);
          visitAll(y.body, visit);
        }
        visitAll(x.otherwise, visit);
        break;
      case 'switch':
        expr(x.on);
        for (const y of x.cases) visitAll(y.body, visit);
        break;
      case 'while':
        expr(x.when);
        visitAll(x.body, visit);
        break;
      case 'call':
        x.args.forEach(expr);
        visit.call?.(x.routine);
        break;
      case 'return':
        if (x.value) expr(x.value);
    }
}

/** Slots a routine reads. */
export function readSlots(r: Routine): ReadonlySet<number> {
  const found = new Set<number>();
  visitAll(r.body, { read: (slot) => void found.add(slot) });
  return found;
}

const changed = (r: Routine, change: (x: StepInstruction) => readonly StepInstruction[]): Routine => {
  const all = (list: readonly StepInstruction[]): readonly StepInstruction[] =>
    list.flatMap((x): readonly StepInstruction[] => {
      switch (x.op) {
        case 'if':
          return [
            { ...x, branches: x.branches.map((y) => ({ ...y, body: all(y.body) })), otherwise: all(x.otherwise) },
          ];
        case 'switch':
          return [{ ...x, cases: x.cases.map((y) => ({ ...y, body: all(y.body) })) }];
        case 'while':
          return [{ ...x, body: all(x.body) }];
        default:
          return change(x);
      }
    });
  return { ...r, body: all(r.body) };
};

/** What these routines set before they read it, and nobody else uses, is local to them. */
export function withLocals(program: StepProgram, sheets: readonly number[]): StepProgram {
  const users = program.slots.map(() => new Set<number>());
  program.routines.forEach((r, k) => {
    if (k === program.init) return;
    const note = (slot: number): void => void users[slot].add(k);
    visitAll(r.body, { read: note, write: note });
  });
  const slots: Slot[] = [...program.slots];
  const routines = [...program.routines];
  for (const k of sheets) {
    const first = new Map<number, 'read' | 'write'>();
    const note =
      (how: 'read' | 'write') =>
      (slot: number): void =>
        void (first.has(slot) || first.set(slot, how));
    visitAll(routines[k].body, { read: note('read'), write: note('write') });
    const own = [...first].flatMap(([slot, how]) =>
      how === 'write' && slots[slot].role === 'part' && users[slot].size === 1 ? [slot] : [],
    );
    for (const slot of own) slots[slot] = { ...slots[slot], role: 'local' };
    routines[k] = { ...routines[k], locals: [...routines[k].locals, ...own] };
  }
  routines[program.init] = changed(routines[program.init], (x) =>
    x.op === 'set' && slots[x.slot].role === 'local' ? [] : [x],
  );
  return { ...program, slots, routines };
}

/** Without what is set and never read, routines that nobody calls, and slots that nobody uses. */
export function withoutIdle(program: StepProgram): StepProgram {
  let { routines } = program;
  // what only gives a value may be left out where nobody wants it
  const changes = program.routines.map(() => false);
  program.routines.forEach((r, k) =>
    visitAll(r.body, {
      write: (slot) => void (changes[k] ||= program.slots[slot].role !== 'local'),
      call: (other) => void (changes[k] ||= changes[other]),
    }),
  );
  const acts = (e: StepExpr): boolean => (e.op === 'call' && changes[e.routine]) || operandsOf(e).some(acts);
  for (let isOver = false; !isOver;) {
    isOver = true;
    const read = new Set<number>();
    for (const r of routines) visitAll(r.body, { read: (slot) => void read.add(slot) });
    routines = routines.map((r) =>
      changed(r, (x) => {
        const isIdle = x.op === 'set' && program.slots[x.slot].role === 'local' && !read.has(x.slot) && !acts(x.value);
        if (isIdle) isOver = false;
        return isIdle ? [] : [x];
      }),
    );
  }
  // --- routines that are reached, in their order
  const reached = new Set<number>();
  const reach = (k: number): void => {
    if (reached.has(k)) return;
    reached.add(k);
    visitAll(routines[k].body, { call: reach });
  };
  reach(program.init);
  reach(program.step);
  const kept = routines.flatMap((_, k) => (reached.has(k) ? [k] : []));
  const place = new Map(kept.map((k, j) => [k, j]));
  const moved = (e: StepExpr): StepExpr => {
    const found = withOperands(e, moved);
    return found.op === 'call' ? { ...found, routine: place.get(found.routine)! } : found;
  };
  const renumbered = (list: readonly StepInstruction[]): readonly StepInstruction[] =>
    list.map((x): StepInstruction => {
      const found = withParts(x, moved, renumbered);
      return found.op === 'call' ? { ...found, routine: place.get(found.routine)! } : found;
    });
  const shown = kept.map((k): Routine => ({ ...routines[k], body: renumbered(routines[k].body) }));
  const used = new Set<number>();
  const note = (slot: number): void => void used.add(slot);
  shown.forEach((r, k) => k !== place.get(program.init) && visitAll(r.body, { read: note, write: note }));
  // what only begins is nothing; an input, output or parameter stays what it is for others
  const isGone = (slot: number): boolean => program.slots[slot].role === 'part' && !used.has(slot);
  return {
    ...program,
    slots: program.slots.map((s, k) => (isGone(k) ? { ...s, role: 'local' as const } : s)),
    routines: shown.map((r) => ({
      ...changed(r, (x) => (x.op === 'set' && isGone(x.slot) ? [] : [x])),
      locals: r.locals.filter((s) => used.has(s)),
    })),
    init: place.get(program.init)!,
    step: place.get(program.step)!,
  };
}
