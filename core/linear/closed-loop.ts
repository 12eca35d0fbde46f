import type { Complex } from './complex';
import type { LinearModel } from './linearise';

/**
 * The loop closed again around the place where it was opened, L being `sign` times the model: what is put in there in addition is its input, what
 * comes back of it its output (the complementary sensitivity L/(1 + L)).
 */
export function closedLoop({ A, B, C, D, ...rest }: LinearModel, sign = -1): LinearModel {
  const d = D[0]?.[0] ?? 0;
  const k = 1 / (1 + sign * d);
  return {
    ...rest,
    A: A.map((row, i) => row.map((a, j) => a - sign * B[i][0] * k * C[0][j])),
    B: B.map((row) => Float64Array.from([row[0] * k])),
    C: [Float64Array.from(C[0] ?? [], (c) => sign * c * k)],
    D: [Float64Array.from([sign * d * k])],
  };
}

/** Whether everything dies away, by poles in the s plane or, of ticks, in the z plane. */
export const isDyingAway = (poles: readonly Complex[], every: number | undefined): boolean =>
  poles.every(([re, im]) => (every === undefined ? re < 0 : Math.hypot(re, im) < 1));

/** What comes back in the loop closed again, for what is put in where it was opened: L/(1 + L). */
export function comesBack(L: Complex): Complex {
  const [re, im] = L;
  // with an integral in it, at rest all of it comes back
  if (!Number.isFinite(re) || !Number.isFinite(im)) return [1, 0];
  const size = (1 + re) ** 2 + im ** 2;
  return [(re * (1 + re) + im * im) / size, im / size];
}
