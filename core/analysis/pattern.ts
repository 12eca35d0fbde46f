import { walk, type FlatExpr } from '../flatten/flat-expression';
import type { SolvableModel } from './solvable-model';

/** Past this, what depends on what is not worth being told apart. */
const mostEntries = 4_000_000;

/** Which derivatives depend on which states, as rows of columns in ascending order; undefined where nearly all do on all. */
export function jacobianPattern(
  solvable: SolvableModel,
): { size: number; start: Int32Array; columns: Int32Array } | undefined {
  const { states, blocks } = solvable;
  const n = states.length;
  if (n <= 40) return undefined;
  const slot = new Map(states.map((s, k) => [s, k]));
  const none: ReadonlySet<number> = new Set();
  const depends = new Map<string, ReadonlySet<number>>();
  const of = (e: FlatExpr, into: Set<number>): void =>
    walk(e, (x) => {
      if (x.op !== 'var' && x.op !== 'der') return;
      const state = x.op === 'var' ? slot.get(x.index) : undefined;
      if (state !== undefined) into.add(state);
      else (depends.get(x.op + x.index) ?? none).forEach((k) => into.add(k));
    });
  let entries = 0;
  for (const b of blocks) {
    const found = new Set<number>();
    if (b.kind === 'assign') {
      of(b.value, found);
      depends.set(b.target.kind + b.target.index, found);
    } else {
      for (const x of b.inner) of(x.value, found);
      for (const r of b.residuals) of(r.value, found);
      for (const u of [...b.tears, ...b.inner.map((x) => x.target)]) depends.set(u.kind + u.index, found);
    }
    entries += found.size;
    if (entries > mostEntries) return undefined;
  }
  const rows = states.map((s) => [...(depends.get(`der${s}`) ?? none)].sort((a, b) => a - b));
  const start = new Int32Array(n + 1);
  rows.forEach((r, i) => (start[i + 1] = start[i] + r.length));
  const columns = new Int32Array(start[n]);
  rows.forEach((r, i) => columns.set(r, start[i]));
  return { size: n, start, columns };
}
