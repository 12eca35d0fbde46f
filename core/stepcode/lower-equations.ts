import { binary, createSubstitution, operands, walk, type FlatExpr } from '../flatten/flat-expression';
import type { FlatEquation, FlatModel } from '../flatten/flat-model';
import type { SolvableModel } from '../analysis/solvable-model';
import { Refusal } from './builder';

/** What the equations of a part give: each quantity by one formula, at a rhythm or whenever it is asked for. */
export interface Given {
  readonly variable: number;
  readonly value: FlatExpr;
  readonly place: string;
  /** Number of the rhythm it is worked out at, and held in between; -1: whenever it is asked for. */
  readonly rhythm: number;
}

/** Every so many steps, the first time at step `first`. */
export interface Rhythm {
  readonly every: number;
  readonly first: number;
  readonly name: string;
  readonly place: string;
}

export interface GivenEquations {
  readonly given: ReadonlyMap<number, Given>;
  readonly rhythms: readonly Rhythm[];
}

/** The formulas of a model, with rhythms in steps of a period; `stop` is told what cannot be done. */
export function givenBy(
  { model, blocks }: SolvableModel,
  period: number,
  stop: (error: Refusal) => void,
): GivenEquations {
  const { variables } = model;
  const isOpen = (k: number): boolean => variables[k].kind === 'continuous' || variables[k].kind === 'discrete';
  const formulas = new Map<number, { readonly value: FlatExpr; readonly equation: FlatEquation }>();
  const solved = new Map(
    blocks.flatMap((b) =>
      (b.kind === 'assign' ? [b] : b.inner).flatMap((x) =>
        x.target.kind === 'var' ? [[x.equation, { target: x.target.index, value: x.value }] as const] : [],
      ),
    ),
  );
  const rest: FlatEquation[] = [];
  const take = (target: number, value: FlatExpr, equation: FlatEquation): void =>
    void formulas.set(target, { value, equation });
  for (const e of model.equations) {
    const { left, right } = e;
    if (left.op === 'var' && isOpen(left.index) && !formulas.has(left.index)) take(left.index, right, e);
    else rest.push(e);
  }
  for (const e of rest) {
    const known = solved.get(e);
    const free = (x: FlatExpr): x is { op: 'var'; index: number } =>
      x.op === 'var' && isOpen(x.index) && !formulas.has(x.index);
    if (known && !formulas.has(known.target)) take(known.target, known.value, e);
    else if (free(e.right)) take(e.right.index, e.left, e);
    else if (free(e.left)) take(e.left.index, e.right, e);
    else
      stop(
        new Refusal(
          `"${e.origin.text}" has to be solved together with others: write it so that each quantity stands alone on its left`,
          e.origin.place,
        ),
      );
  }

  // --- rhythms
  const rhythms: Rhythm[] = [];
  const rhythmOf = new Map<number, number>();
  const steps = (e: FlatExpr): number => {
    const seconds = constantOf(model, e);
    const count = seconds === undefined ? NaN : seconds / period;
    const whole = Math.round(count);
    return Math.abs(count - whole) <= 1e-6 * Math.max(1, whole) ? whole : NaN;
  };
  for (const [k, { value, equation }] of formulas) {
    if (value.op !== 'sample') continue;
    const [every, first] = [steps(value.interval), steps(value.start)];
    const { place } = equation.origin;
    const isWhole = every >= 1 && first >= 0;
    if (!isWhole) {
      const seconds = constantOf(model, value.interval);
      const often =
        seconds === undefined ? 'How often this works is known in a run only' : `This works every ${seconds} s`;
      stop(new Refusal(`${often}: ${variables[k].name} ticks at no whole number of steps of ${period} s`, place));
    }
    // what has been told once is not told again of all that works at it
    const of = isWhole ? { every, first } : { every: 1, first: 0 };
    let n = rhythms.findIndex((r) => r.every === of.every && r.first === of.first);
    if (n < 0) n = rhythms.push({ ...of, name: variables[k].name, place }) - 1;
    rhythmOf.set(k, n);
  }
  // other names of a tick
  for (let size = -1; size !== rhythmOf.size;) {
    size = rhythmOf.size;
    for (const [k, { value }] of formulas)
      if (value.op === 'var' && rhythmOf.has(value.index)) rhythmOf.set(k, rhythmOf.get(value.index)!);
  }
  const atTick = (ticks: boolean) =>
    createSubstitution((x) => {
      if (x.op === 'initial' || x.op === 'terminal') return { op: 'const', value: 0 };
      if (x.op === 'var' && rhythmOf.has(x.index)) return { op: 'const', value: ticks ? 1 : 0 };
      if (x.op === 'pre' && rhythmOf.has(x.index)) return { op: 'const', value: 0 };
      return undefined;
    });
  const [ticking, resting] = [atTick(true), atTick(false)];
  const fold = foldConstants(model);
  const given = new Map<number, Given>();
  for (const [k, { value, equation }] of formulas) {
    if (rhythmOf.has(k)) continue;
    const { place } = equation.origin;
    const used = new Set<number>();
    let hasPre = false;
    walk(value, (x) => {
      if ((x.op === 'var' || x.op === 'pre') && rhythmOf.has(x.index)) used.add(rhythmOf.get(x.index)!);
      else if (x.op === 'pre') hasPre = true;
      return false;
    });
    if (used.size > 1) {
      stop(new Refusal(`${variables[k].name} follows two rhythms at once`, place));
      continue;
    }
    const [rhythm] = used;
    if (rhythm === undefined) {
      // what remembers is worked out once in every step
      given.set(k, { variable: k, value: fold(resting(value)), place, rhythm: hasPre ? everyStep(rhythms) : -1 });
      continue;
    }
    const rests = fold(resting(value));
    if (rests.op !== 'pre' || rests.index !== k) {
      stop(new Refusal(`${variables[k].name} changes at its ticks and in between`, place));
      continue;
    }
    given.set(k, { variable: k, value: fold(ticking(value)), place, rhythm });
  }
  return { given, rhythms };
}

/** The rhythm of every step. */
function everyStep(rhythms: Rhythm[]): number {
  const known = rhythms.findIndex((r) => r.every === 1 && r.first === 0);
  return known >= 0 ? known : rhythms.push({ every: 1, first: 0, name: 'step', place: '' }) - 1;
}

/** The number of a formula of constants and of values of parameters that belong to blocks. */
export function constantOf(model: FlatModel, e: FlatExpr): number | undefined {
  const folded = foldConstants(model)(e);
  return folded.op === 'const' ? folded.value : undefined;
}

/** Whether a parameter stays one in the code: those of the part itself do, those of blocks and parts inside become what they are bound to. */
export const isOwn = (model: FlatModel, k: number): boolean => {
  const { kind, name, hidden, isFinal } = model.variables[k];
  return kind === 'parameter' && !name.includes('.') && !hidden && isFinal !== true;
};

/** Puts in what is known, and works out what follows; `staysOne`: parameters that are left as they are. */
export function foldConstants(
  model: FlatModel,
  staysOne = (k: number): boolean => isOwn(model, k),
): (e: FlatExpr) => FlatExpr {
  const within = new Set<number>();
  const visit: (e: FlatExpr) => FlatExpr = createSubstitution((x) => {
    if (x.op === 'var') {
      const { kind, binding, start } = model.variables[x.index];
      const said = binding ?? start;
      if ((kind !== 'constant' && kind !== 'parameter') || staysOne(x.index) || !said || within.has(x.index))
        return undefined;
      within.add(x.index);
      const found = visit(said);
      within.delete(x.index);
      return found;
    }
    if (x.op === 'if') {
      const c = visit(x.c);
      if (c.op === 'const') return visit(c.value ? x.a : x.b);
    }
    if (x.op === 'and' || x.op === 'or') {
      const [a, b] = [visit(x.a), visit(x.b)];
      return binary(x.op, a, b);
    }
    return undefined;
  });
  return visit;
}

export const uses = (e: FlatExpr, op: 'var' | 'pre'): ReadonlySet<number> => {
  const found = new Set<number>();
  const visit = (x: FlatExpr): void => {
    if (x.op === op) found.add(x.index);
    operands(x).forEach(visit);
  };
  visit(e);
  return found;
};
