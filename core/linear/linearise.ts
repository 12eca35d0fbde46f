import type { Block, SolvableModel, TornBlock } from '../analysis/solvable-model';
import { differentiate, type Unknown } from '../flatten/differentiate';
import { createSubstitution, evaluate, one, walk, zero, type FlatExpr, type Moment } from '../flatten/flat-expression';
import { solveDense, type Matrix } from './dense';

/**
 * The linear model of a model around a moment: dx/dt = A x + B u, y = C x + D u for small changes of states x, inputs u and
 * outputs y. Every number is the exact partial derivative there, followed by the chain rule through the equations in the order in
 * which they are solved; loops are closed by the implicit function theorem.
 */
export interface LinearModel {
  /** Variables of the states, inputs and outputs. */
  readonly states: readonly number[];
  readonly inputs: readonly number[];
  readonly outputs: readonly number[];
  readonly A: Matrix;
  readonly B: Matrix;
  readonly C: Matrix;
  readonly D: Matrix;
  /**
   * Delays inside: each is one more input, behind those asked for, and one more output; it gives as its input what the output was
   * some seconds before.
   */
  readonly delays: readonly number[];
}

/** Where a model is: values of its variables, derivatives of its states, and the time. */
export interface OperatingPoint {
  readonly time: number;
  readonly values: ArrayLike<number>;
  /** In the order of the states. */
  readonly derivatives: ArrayLike<number>;
}

/** How something changes with the seeds: states, then inputs, then delays; only what differs from zero. */
type Slopes = ReadonlyMap<number, number>;
const none: Slopes = new Map();

export function linearise(
  solvable: SolvableModel,
  { time, values, derivatives }: OperatingPoint,
  inputs: readonly number[],
  outputs: readonly number[],
  /** Inputs that have equations: these are cut, and as an output stands what they would have been. */
  cut: ReadonlySet<number> = new Set(),
  /** At a tick: what is set there, as outputs; what it was before are inputs behind those asked for. */
  held?: readonly number[],
): LinearModel {
  const { states, aliases, model } = solvable;
  const n = states.length;
  const count = model.variables.length;
  const seedOf = new Map<number, number>(states.map((s, k) => [s, k]));
  inputs.forEach((u, j) => seedOf.set(u, n + j));
  const slotOf = new Map(states.map((s, k) => [s, k]));
  const known = new Map<string, Slopes>();
  const delays: { readonly by: number; readonly of: FlatExpr }[] = [];
  /** Stand-ins for what is no variable: delays, or values before the tick. */
  const standIns: (() => number)[] = held ? held.map((k) => () => values[k]) : [];
  const heldAt = new Map((held ?? []).map((k, j) => [k, j]));
  const ticks = new Set(
    held ? solvable.blocks.flatMap((b) => (b.kind === 'assign' && isTick(b.value) ? [b.target.index] : [])) : [],
  );
  // conditions at a tick are those of the tick
  const now = held ? Float64Array.from(values) : values;

  const moment = (x: Moment): number => {
    switch (x.op) {
      case 'time':
        return time;
      case 'der':
        return derivatives[slotOf.get(x.index) ?? -1] ?? NaN;
      case 'pre':
        return ticks.has(x.index) ? 0 : values[x.index];
      case 'sample':
        return held ? 1 : 0;
      default:
        return 0;
    }
  };
  const valueOf = (e: FlatExpr): number => evaluate(e, (k) => (k < count ? now[k] : standIns[k - count]()), moment);
  const prepared = createSubstitution((x) => {
    if (x.op === 'pre' && heldAt.has(x.index)) return { op: 'var', index: count + heldAt.get(x.index)! };
    // a delay stands for an input of its own
    if (x.op !== 'delay') return undefined;
    const of = x.a;
    delays.push({ by: valueOf(x.by), of });
    return { op: 'var', index: count + standIns.push(() => valueOf(of)) - 1 };
  });
  const slopesOf = (leaf: Unknown): Slopes => {
    if (leaf.kind === 'var') {
      const seed = leaf.index >= count ? n + inputs.length + leaf.index - count : seedOf.get(leaf.index);
      if (seed !== undefined) return new Map([[seed, 1]]);
    }
    return known.get(leaf.kind + leaf.index) ?? none;
  };
  /** The chain rule through one expression. */
  const through = (e: FlatExpr): Map<number, number> => {
    const leaves = new Map<string, Unknown>();
    walk(e, (x) => {
      if (x.op === 'var' || x.op === 'der') leaves.set(x.op + x.index, { kind: x.op, index: x.index });
    });
    const sum = new Map<number, number>();
    for (const leaf of leaves.values()) {
      const inner = slopesOf(leaf);
      if (inner.size === 0) continue;
      const partial = valueOf(differentiate(e, (x) => (x.op === leaf.kind && x.index === leaf.index ? one : zero)));
      if (partial === 0) continue;
      for (const [k, slope] of inner) sum.set(k, (sum.get(k) ?? 0) + partial * slope);
    }
    return sum;
  };
  const note = (u: Unknown, slopes: Slopes): void => void known.set(u.kind + u.index, slopes);

  for (const b of solvable.blocks) {
    if (held ? b.only === 'between' : !isBetween(b)) continue;
    if (held && b.kind === 'assign' && b.discrete && model.variables[b.target.index].type !== 'Real')
      (now as Float64Array)[b.target.index] = valueOf(b.value);
    if (b.kind === 'assign') note(b.target, through(prepared(b.value)));
    else for (const [u, slopes] of ofLoop(b, through, prepared, known)) note(u, slopes);
  }
  // what is delayed is an output of its own; there may be delays in it in turn
  const delayedSlopes: Slopes[] = [];
  for (let k = 0; k < delays.length; k++) delayedSlopes.push(through(prepared(delays[k].of)));

  const width = inputs.length + standIns.length;
  const outputSlopes = outputs.map((y): Slopes => {
    const alias = aliases.get(y);
    const index = alias?.index ?? y;
    const slopes = cut.has(index) ? (known.get(`var${index}`) ?? none) : slopesOf({ kind: 'var', index });
    return alias?.sign === -1 ? new Map([...slopes].map(([k, x]) => [k, -x])) : slopes;
  });
  const stateRows = states.map((s) => slopesOf({ kind: 'der', index: s }));
  const part = (rows: readonly Slopes[], from: number, size: number): Matrix =>
    rows.map((slopes) => {
      const row = new Float64Array(size);
      for (const [k, x] of slopes) if (k >= from && k < from + size) row[k - from] = x;
      return row;
    });
  const outside = [...outputSlopes, ...delayedSlopes];
  return {
    states,
    inputs,
    outputs,
    A: part(stateRows, 0, n),
    B: part(stateRows, n, width),
    C: part(outside, 0, n),
    D: part(outside, n, width),
    delays: delays.map((x) => x.by),
  };
}

/**
 * The states through which an input can come to an output at all, by the pattern of the matrices: an angle that nothing asks for has no part
 * in the speed, and its pole at zero none in the gain at rest. All inputs and outputs count; delays inside are both.
 */
export function essential(model: LinearModel): LinearModel {
  const { A, B, C } = model;
  const n = A.length;
  const moved = spread(
    n,
    (k) => B[k].some((x) => x !== 0),
    (from, to) => A[to][from] !== 0,
  );
  const seen = seenIn(model);
  const kept = A.flatMap((_, k) => (moved[k] && seen[k] ? [k] : []));
  if (kept.length === n) return model;
  const columns = (row: Float64Array): Float64Array => Float64Array.from(kept, (k) => row[k]);
  return {
    ...model,
    states: kept.map((k) => model.states[k]),
    A: kept.map((k) => columns(A[k])),
    B: kept.map((k) => B[k]),
    C: C.map(columns),
  };
}

/** For each state whether an output depends on it, directly or through others. */
export const seenIn = ({ A, C }: Pick<LinearModel, 'A' | 'C'>): boolean[] =>
  spread(
    A.length,
    (k) => C.some((row) => row[k] !== 0),
    (from, to) => A[from][to] !== 0,
  );

function spread(n: number, seed: (k: number) => boolean, leads: (from: number, to: number) => boolean): boolean[] {
  const reached = Array.from({ length: n }, (_, k) => seed(k));
  const open = reached.flatMap((x, k) => (x ? [k] : []));
  for (let at = open.pop(); at !== undefined; at = open.pop())
    for (let k = 0; k < n; k++)
      if (!reached[k] && leads(at, k)) {
        reached[k] = true;
        open.push(k);
      }
  return reached;
}

const isTick = (e: FlatExpr): boolean => {
  let found = false;
  walk(e, (x) => (found ||= x.op === 'sample'));
  return found;
};
const isBetween = (b: Block): boolean => b.only !== 'events' && !(b.kind === 'assign' && b.discrete);

/**
 * How the unknowns of a loop change: with r(t, s) = 0 for its torn unknowns t and all seeds s, dt/ds = -(dr/dt)^-1 dr/ds.
 * Torn unknowns are seeds below zero meanwhile.
 */
function ofLoop(
  b: TornBlock,
  through: (e: FlatExpr) => Map<number, number>,
  prepared: (e: FlatExpr) => FlatExpr,
  known: Map<string, Slopes>,
): (readonly [Unknown, Slopes])[] {
  const m = b.tears.length;
  const name = (u: Unknown): string => u.kind + u.index;
  b.tears.forEach((u, j) => known.set(name(u), new Map([[-1 - j, 1]])));
  const inner = b.inner.map((x) => {
    const slopes = through(prepared(x.value));
    known.set(name(x.target), slopes);
    return [x.target, slopes] as const;
  });
  const residuals = b.residuals.map((r) => through(prepared(r.value)));
  const J = residuals.map((slopes) => Float64Array.from({ length: m }, (_, j) => slopes.get(-1 - j) ?? 0));
  const seeds = [...new Set(residuals.flatMap((slopes) => [...slopes.keys()].filter((k) => k >= 0)))];
  const right = residuals.map((slopes) => Float64Array.from(seeds, (k) => -(slopes.get(k) ?? 0)));
  const solved = solveDense(J, right);
  const tears = b.tears.map((u, j) => [u, new Map(seeds.map((k, c) => [k, solved[j][c]] as const))] as const);
  /** Torn unknowns give way to the seeds they follow. */
  const closed = (slopes: Slopes): Slopes => {
    const sum = new Map<number, number>();
    for (const [k, x] of slopes) {
      if (k >= 0) sum.set(k, (sum.get(k) ?? 0) + x);
      else for (const [seed, y] of tears[-1 - k][1]) sum.set(seed, (sum.get(seed) ?? 0) + x * y);
    }
    return sum;
  };
  return [...tears, ...inner.map(([u, slopes]) => [u, closed(slopes)] as const)];
}
