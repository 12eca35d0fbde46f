import { evaluate, subtract, walk, type FlatExpr } from '../flatten/flat-expression';
import { solveDense } from '../program/newton';
import { differentiate } from '../flatten/differentiate';

export interface BlockResult {
  readonly solved: boolean;
  readonly reason: string;
}

/** Solves relations for some of their variables, in place; others are known by then. */
export function createNewton(
  memory: Float64Array,
  start: (k: number) => number,
): { solve(equations: readonly { left: FlatExpr; right: FlatExpr }[], targets: readonly number[]): BlockResult } {
  const value = (k: number): number => memory[k];
  return {
    solve(equations, targets) {
      const residuals = equations.map((e) => subtract(e.left, e.right));
      const slopes = residuals.map((r) =>
        targets.map((t) =>
          mentions(r, t)
            ? differentiate(r, (leaf) => ({ op: 'const', value: leaf.op === 'var' && leaf.index === t ? 1 : 0 }))
            : undefined,
        ),
      );
      const scale = (): number[] =>
        equations.map((e) => Math.max(Math.abs(evaluate(e.left, value)), Math.abs(evaluate(e.right, value)), 1e-9));
      const F = (): number[] => residuals.map((r) => evaluate(r, value));
      const size = (f: readonly number[], s: readonly number[]): number =>
        Math.max(...f.map((x, k) => Math.abs(x) / s[k]));
      let best = Infinity;
      // several unknowns never start alike: relations are often symmetric, and singular there
      for (const guess of guesses) {
        targets.forEach((t, j) => (memory[t] = guess(start(t)) * (1 + 0.37 * j)));
        let f = F();
        if (!f.every(Number.isFinite)) continue;
        for (let turn = 0; turn < 60; turn++) {
          const s = scale();
          const now = size(f, s);
          best = Math.min(best, now);
          const step = solveLinear(
            slopes.map((row) => row.map((e) => (e ? evaluate(e, value) : 0))),
            f.map((x) => -x),
          );
          if (!step) break;
          const before = targets.map((t) => memory[t]);
          let damping = 1;
          for (; damping > 1e-6; damping /= 2) {
            targets.forEach((t, j) => (memory[t] = before[j] + damping * step[j]));
            f = F();
            if (f.every(Number.isFinite) && size(f, s) <= now * (1 - 0.1 * damping) + 1e-15) break;
          }
          const moved = Math.max(
            ...targets.map((t, j) => Math.abs(memory[t] - before[j]) / Math.max(Math.abs(memory[t]), 1e-12)),
          );
          if (f.every(Number.isFinite) && (moved < 1e-13 || size(f, scale()) < 1e-15)) break;
          if (damping <= 1e-6) {
            targets.forEach((t, j) => (memory[t] = before[j]));
            f = F();
            break;
          }
        }
        if (f.every(Number.isFinite) && size(f, scale()) < 1e-9) return { solved: true, reason: '' };
      }
      if (targets.length === 1 && bisect(memory, targets[0], () => evaluate(residuals[0], value)))
        return { solved: true, reason: '' };
      targets.forEach((t) => (memory[t] = NaN));
      return {
        solved: false,
        reason: Number.isFinite(best)
          ? `No value was found for which both sides are equal; the nearest is ${(best * 100).toPrecision(2)} % apart`
          : 'It has no value for the known quantities',
      };
    },
  };
}

const guesses: readonly ((start: number) => number)[] = [
  (x) => (x === 0 ? 1 : x),
  () => 1,
  (x) => x * 2 + 0.1,
  () => 1e-3,
  () => 1e3,
  () => -1,
  () => 0.5,
  () => 1e-6,
  () => 1e6,
  () => -1e-3,
  () => -1e3,
  () => 0,
];

const mentions = (e: FlatExpr, index: number): boolean => {
  let found = false;
  walk(e, (x) => void (x.op === 'var' && x.index === index && (found = true)));
  return found;
};

/** Looks for a change of sign over many orders of magnitude and halves it down. */
function bisect(memory: Float64Array, target: number, f: () => number): boolean {
  const points = [0, ...Array.from({ length: 121 }, (_, k) => 10 ** (-12 + k / 5))]
    .flatMap((x) => [x, -x])
    .sort((a, b) => a - b);
  const at = (x: number): number => {
    memory[target] = x;
    return f();
  };
  let [x0, y0] = [points[0], at(points[0])];
  for (const x of points.slice(1)) {
    const y = at(x);
    if (Number.isFinite(y0) && Number.isFinite(y) && y0 * y <= 0) {
      let [a, b, ya] = [x0, x, y0];
      for (let k = 0; k < 200 && Math.abs(b - a) > 1e-15 * Math.max(Math.abs(a), Math.abs(b)); k++) {
        const m = (a + b) / 2;
        const ym = at(m);
        if (ya * ym <= 0) b = m;
        else [a, ya] = [m, ym];
      }
      // a pole changes its sign too
      if (Math.abs(at((a + b) / 2)) <= 1e-6 * Math.max(Math.abs(y0), Math.abs(y))) return true;
    }
    [x0, y0] = [x, y];
  }
  return false;
}

function solveLinear(rows: readonly (readonly number[])[], b: readonly number[]): number[] | undefined {
  const x = Float64Array.from(b);
  return solveDense(b.length, Float64Array.from(rows.flat()), x) && x.every(Number.isFinite) ? [...x] : undefined;
}
