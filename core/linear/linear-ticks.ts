import type { SolvableModel } from '../analysis/solvable-model';
import { exponential, product } from './matrices';
import { linearise, type LinearModel, type OperatingPoint } from './linearise';

/**
 * The linear model of continuous parts under values that are set at the ticks of one clock and held between them, from tick to tick:
 * z = (x before the tick, held values). At a tick q = Fx x + Fq q' + Fu u; up to the next x goes on with q and u held, exactly
 * (Van Loan 1978). The output is that just after the tick. Undefined where it has delays inside, or the loop is opened at a value that looks at its own past.
 */
export function linearTicks(
  solvable: SolvableModel,
  point: OperatingPoint,
  input: number,
  output: number,
  cut: ReadonlySet<number>,
  allHeld: readonly number[],
  period: number,
): LinearModel | undefined {
  const held = allHeld.filter((k) => !cut.has(k));
  const between = linearise(solvable, point, [input, ...held], [output], cut);
  const isCutHeld = allHeld.some((k) => cut.has(k));
  const atTick = linearise(
    solvable,
    point,
    [input],
    isCutHeld ? [...held, output] : held,
    cut,
    isCutHeld ? [...held, input] : held,
  );
  if (between.delays.length + atTick.delays.length > 0) return undefined;
  const n = between.states.length;
  const m = held.length;
  // rows of the tick: from x, from u, from what was held
  const row = (k: number): { x: Float64Array; u: number; q: Float64Array } => ({
    x: atTick.C[k],
    u: atTick.D[k][0],
    q: atTick.D[k].slice(1, 1 + m),
  });
  const rows = Array.from({ length: isCutHeld ? m + 1 : m }, (_, k) => row(k));
  if (isCutHeld && atTick.D.some((d) => d[1 + m] !== 0)) return undefined;
  const E = exponential(
    Array.from({ length: n + 1 + m }, (_, i) => {
      const line = new Float64Array(n + 1 + m);
      if (i < n) {
        between.A[i].forEach((x, j) => (line[j] = x * period));
        between.B[i].forEach((x, j) => (line[n + j] = x * period));
      }
      return line;
    }),
  );
  const Fx = rows.slice(0, m).map((r) => r.x);
  const Fq = rows.slice(0, m).map((r) => r.q);
  const Gq = E.slice(0, n).map((line) => line.slice(n + 1));
  const [GFx, GFq] = [product(Gq, Fx), product(Gq, Fq)];
  const joined = (a: Float64Array, b: Float64Array): Float64Array => Float64Array.from([...a, ...b]);
  const A = [
    ...Array.from({ length: n }, (_, i) =>
      joined(
        E[i].slice(0, n).map((x, j) => x + (m > 0 ? GFx[i][j] : 0)),
        m > 0 ? GFq[i] : new Float64Array(0),
      ),
    ),
    ...rows.slice(0, m).map((r) => joined(r.x, r.q)),
  ];
  const B = [
    ...Array.from({ length: n }, (_, i) =>
      Float64Array.of(E[i][n] + rows.slice(0, m).reduce((sum, r, k) => sum + Gq[i][k] * r.u, 0)),
    ),
    ...rows.slice(0, m).map((r) => Float64Array.of(r.u)),
  ];
  const last = isCutHeld ? rows[m] : undefined;
  const Dq = between.D[0].slice(1);
  const c = last
    ? joined(last.x, last.q)
    : joined(
        between.C[0].map((x, j) => x + Dq.reduce((sum, d, k) => sum + d * Fx[k][j], 0)),
        Float64Array.from({ length: m }, (_, j) => Dq.reduce((sum, d, k) => sum + d * Fq[k][j], 0)),
      );
  const d = last ? last.u : between.D[0][0] + Dq.reduce((sum, x, k) => sum + x * rows[k].u, 0);
  // what was held and counts for nothing afterwards is no state
  const kept = A.flatMap((_, k) => (k < n || c[k] !== 0 || A.some((line) => line[k] !== 0) ? [k] : []));
  const columns = (line: Float64Array): Float64Array => Float64Array.from(kept, (k) => line[k]);
  return {
    states: kept.map((k) => (k < n ? between.states[k] : held[k - n])),
    inputs: [input],
    outputs: [output],
    A: kept.map((k) => columns(A[k])),
    B: kept.map((k) => B[k]),
    C: [columns(c)],
    D: [Float64Array.of(d)],
    delays: [],
  };
}
