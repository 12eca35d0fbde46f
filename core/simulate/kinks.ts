import { differentiate } from '../flatten/differentiate';
import { createSubstitution, evaluate, isConstant, one, walk, zero, type FlatExpr } from '../flatten/flat-expression';
import type { Program } from '../program/program';

/** Where tables of time turn: a step across such a place may miss what lies between two of them. */
export interface Kinks {
  /** The first kink after a time, for the values at hand. */
  next(time: number): number;
}

/** A table looked up at `offset + rate * time`. */
interface TimeTable {
  readonly offset: FlatExpr;
  readonly rate: FlatExpr;
  /** Places between which the table is straight, in order. */
  readonly places: Float64Array;
}

export function createKinks(program: Program, values: Float64Array): Kinks {
  const tables = timeTables(program);
  const value = (k: number): number => values[k];
  return {
    next(time) {
      let first = Infinity;
      for (const { offset, rate, places } of tables) {
        const [a, b] = [evaluate(offset, value), evaluate(rate, value)];
        if (!(Number.isFinite(a) && Number.isFinite(b)) || b === 0) continue;
        // rounding must not find the kink again that has just been reached
        const after = a + b * (time + 1e-12 * Math.max(1, Math.abs(time)));
        const k = firstBeyond(places, after);
        const place = b > 0 ? places[k] : places[k - 1];
        if (place !== undefined) first = Math.min(first, (place - a) / b);
      }
      return first > time ? first : Infinity;
    },
  };
}

/** The number of places that do not lie beyond `x`. */
function firstBeyond(places: Float64Array, x: number): number {
  let low = 0,
    high = places.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (places[middle] <= x) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** Tables whose place follows from time, parameters and what changes at events only, in equations that move. */
function timeTables({ solvable, moving }: Program): TimeTable[] {
  const definitions = new Map(
    solvable.blocks.flatMap((b) =>
      b.kind === 'assign' && b.target.kind === 'var' && !b.discrete ? [[b.target.index, b.value] as const] : [],
    ),
  );
  const steady = (e: FlatExpr): boolean => {
    let found = true;
    walk(e, (x) => {
      if (
        x.op === 'time' ||
        x.op === 'der' ||
        x.op === 'delay' ||
        x.op === 'sample' ||
        (x.op === 'var' && moving.has(x.index))
      )
        found = false;
    });
    return found;
  };
  /** The expression by time and what rests between events; undefined where it has other reasons to move. */
  const byTime = (e: FlatExpr, depth = 0): FlatExpr | undefined => {
    let known = true;
    const inside = createSubstitution((x) => {
      if (x.op === 'der' || x.op === 'delay' || x.op === 'sample') known = false;
      if (x.op !== 'var' || !moving.has(x.index)) return undefined;
      const definition = depth < 20 ? definitions.get(x.index) : undefined;
      const deeper = definition && byTime(definition, depth + 1);
      if (!deeper) known = false;
      return deeper;
    })(e);
    return known ? inside : undefined;
  };
  const atStart = createSubstitution((x) => (x.op === 'time' ? zero : undefined));
  const seen = new Set<FlatExpr>();
  const found: TimeTable[] = [];
  for (const b of solvable.blocks) {
    const values =
      b.kind === 'assign' ? [b.value] : [...b.inner.map((x) => x.value), ...b.residuals.map((r) => r.value)];
    for (const e of values)
      walk(e, (x) => {
        if (x.op !== 'table' || x.slope || seen.has(x)) return;
        seen.add(x);
        const place = byTime(x.a);
        if (!place) return;
        const rate = differentiate(place, (leaf) => (leaf.op === 'time' ? one : zero));
        const places = kinksOf(x.x, x.y);
        if (steady(rate) && !isConstant(rate, 0) && places.length > 0)
          found.push({ offset: atStart(place), rate, places });
      });
  }
  return found;
}

/** The places of a table at which it is not straight. */
function kinksOf(x: readonly number[], y: readonly number[]): Float64Array {
  const slope = (k: number): number => (k < 0 || k >= x.length - 1 ? 0 : (y[k + 1] - y[k]) / (x[k + 1] - x[k]));
  return Float64Array.from(
    x.filter((_, k) => Math.abs(slope(k) - slope(k - 1)) > 1e-9 * Math.max(Math.abs(slope(k)), Math.abs(slope(k - 1)))),
  );
}
