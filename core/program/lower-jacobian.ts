import type { Block } from '../analysis/solvable-model';
import { differentiate } from '../flatten/differentiate';
import { one, walk, zero, type FlatExpr } from '../flatten/flat-expression';
import { slot, sumOfTerms, times, type Instruction, type Slot, type Term } from './instructions';

/** The partial derivatives of all derivatives by all states: the chain rule, forwards through the blocks. */
export interface LoweredJacobian {
  /** Instructions that fill the matrix, after the values of all blocks stand in memory. */
  readonly partials: readonly Instruction[];
  /** Columns of each row. */
  readonly rows: readonly (readonly number[])[];
  /** Numbers kept in `g`. */
  readonly size: number;
}

const mostInstructions = 400_000;

/** Undefined where a block has to be solved by iteration, or the list would become too long. */
export function lowerJacobian(
  states: readonly number[],
  needed: readonly Block[],
  lower: (e: FlatExpr) => Term,
  dense: boolean,
): LoweredJacobian | undefined {
  const n = states.length;
  const slotOf = new Map(states.map((s, k) => [s, k]));
  const inner = new Map<string, ReadonlyMap<number, Slot>>();
  const partials: Instruction[] = [];
  let size = 0;
  const keep = (value: Term): Slot => {
    const to = slot('g', size++);
    partials.push({ do: 'set', to, value });
    return to;
  };
  for (const b of needed) {
    if (b.kind !== 'assign') return undefined;
    const leaves = new Map<string, FlatExpr>();
    walk(b.value, (x) => void ((x.op === 'var' || x.op === 'der') && leaves.set(x.op + x.index, x)));
    const sums = new Map<number, Term[]>();
    const add = (k: number, term: Term): void => void (sums.get(k)?.push(term) ?? sums.set(k, [term]));
    for (const [name, leaf] of leaves) {
      const state = leaf.op === 'var' ? slotOf.get(leaf.index) : undefined;
      const chain = state === undefined ? inner.get(name) : undefined;
      if (state === undefined && (!chain || chain.size === 0)) continue;
      const partial = differentiate(b.value, (x) =>
        x.op === leaf.op && 'index' in x && 'index' in leaf && x.index === leaf.index ? one : zero,
      );
      if (partial.op === 'const' && partial.value === 0) continue;
      const isOne = partial.op === 'const' && partial.value === 1;
      if (state !== undefined) add(state, lower(partial));
      else if (isOne) chain!.forEach((at, k) => add(k, at));
      else if (chain!.size === 1) chain!.forEach((at, k) => add(k, times(lower(partial), at)));
      else {
        // the partial is used for several states: it is computed once
        const factor = keep(lower(partial));
        chain!.forEach((at, k) => add(k, times(factor, at)));
      }
    }
    inner.set(b.target.kind + b.target.index, new Map([...sums].map(([k, terms]) => [k, keep(sumOfTerms(terms))])));
    if (partials.length > mostInstructions) return undefined;
  }
  const rows = states.map((s) => [...(inner.get(`der${s}`)?.keys() ?? [])].sort((a, b) => a - b));
  let at = 0;
  rows.forEach((columns, i) => {
    const own = inner.get(`der${states[i]}`);
    for (const k of columns)
      partials.push({ do: 'set', to: slot('into', dense ? i * n + k : at++), value: own!.get(k)! });
  });
  return { partials, rows, size };
}
