import type { Block } from '../analysis/solvable-model';
import { differentiate } from '../flatten/differentiate';
import { walk, type FlatExpr } from '../flatten/flat-expression';

/** The partial derivatives of all derivatives by all states, written out: the chain rule, forwards through the blocks. */
export interface JacobianText {
  /** Statements that fill `J`, after the values of all blocks stand in memory. */
  readonly statements: readonly string[];
  /** Columns of each row. */
  readonly rows: readonly (readonly number[])[];
  /** Numbers the statements keep in `g`. */
  readonly slots: number;
}

const mostStatements = 400_000;

/**
 * Undefined where a block has to be solved by iteration, or the text would become too long. `offset(row, column)` says where an
 * entry stands in `J`.
 */
export function writeJacobian(
  states: readonly number[],
  needed: readonly Block[],
  value: (e: FlatExpr) => string,
  dense: boolean,
): JacobianText | undefined {
  const n = states.length;
  const slot = new Map(states.map((s, k) => [s, k]));
  const inner = new Map<string, ReadonlyMap<number, string>>();
  const statements: string[] = [];
  let slots = 0;
  const unit = { op: 'const', value: 1 } as const,
    nothing = { op: 'const', value: 0 } as const;
  for (const b of needed) {
    if (b.kind !== 'assign') return undefined;
    const leaves = new Map<string, FlatExpr>();
    walk(b.value, (x) => void ((x.op === 'var' || x.op === 'der') && leaves.set(x.op + x.index, x)));
    const sums = new Map<number, string[]>();
    for (const [name, leaf] of leaves) {
      const state = leaf.op === 'var' ? slot.get(leaf.index) : undefined;
      const chain = state === undefined ? inner.get(name) : undefined;
      if (state === undefined && (!chain || chain.size === 0)) continue;
      const partial = differentiate(b.value, (x) =>
        x.op === leaf.op && 'index' in x && 'index' in leaf && x.index === leaf.index ? unit : nothing,
      );
      if (partial.op === 'const' && partial.value === 0) continue;
      const isOne = partial.op === 'const' && partial.value === 1;
      const add = (k: number, term: string): void => void (sums.get(k)?.push(term) ?? sums.set(k, [term]));
      if (state !== undefined) add(state, value(partial));
      else if (isOne || chain!.size === 1)
        chain!.forEach((text, k) => add(k, isOne ? text : `${value(partial)}*${text}`));
      else {
        // the partial is used for several states: it is computed once
        const at = `g[${slots++}]`;
        statements.push(`${at}=${value(partial)};`);
        chain!.forEach((text, k) => add(k, `${at}*${text}`));
      }
    }
    const own = new Map<number, string>();
    for (const [k, terms] of sums) {
      const at = `g[${slots++}]`;
      statements.push(`${at}=${terms.join('+')};`);
      own.set(k, at);
    }
    inner.set(b.target.kind + b.target.index, own);
    if (statements.length > mostStatements) return undefined;
  }
  const rows = states.map((s) => [...(inner.get(`der${s}`)?.keys() ?? [])].sort((a, b) => a - b));
  let at = 0;
  rows.forEach((columns, i) => {
    const own = inner.get(`der${states[i]}`);
    for (const k of columns) statements.push(`J[${dense ? i * n + k : at++}]=${own!.get(k)};`);
  });
  return { statements, rows, slots };
}
