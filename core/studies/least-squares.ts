import { Matrix, SingularValueDecomposition, solve } from 'ml-matrix';

/** The least sum of squares over a box: Levenberg (1944), Marquardt (1963), with the scaling of Moré (1978); steps that leave the box end at its edge. */

/** Of each point what is left over; undefined where there is no run. */
export type Residuals = (points: readonly (readonly number[])[]) => Promise<readonly (Float64Array | undefined)[]>;

export interface LeastSquares {
  /** In the unit cube. */
  readonly z: readonly number[];
  readonly residuals: Float64Array;
  readonly cost: number;
  readonly evaluations: number;
  readonly settled: boolean;
}

const squares = (r: Float64Array): number => r.reduce((s, x) => s + x * x, 0);

/** Columns of the Jacobian at a point, where they are known otherwise than by differences. */
export type Slopes = (z: readonly number[]) => Promise<readonly Float64Array[] | undefined>;

/** Columns of the Jacobian by central differences, one-sided at the edges; undefined where a run is missing. */
export async function jacobianAt(
  residuals: Residuals,
  z: readonly number[],
  here: Float64Array,
  step: number,
): Promise<readonly Float64Array[] | undefined> {
  const steps = z.flatMap((x, j) => [
    ...(x + step <= 1 ? [{ j, by: step }] : []),
    ...(x - step >= 0 ? [{ j, by: -step }] : []),
  ]);
  const runs = await residuals(steps.map(({ j, by }) => z.map((x, k) => (k === j ? x + by : x))));
  const columns: Float64Array[] = [];
  for (let j = 0; j < z.length; j++) {
    const moved = (by: number): Float64Array | undefined => runs[steps.findIndex((s) => s.j === j && s.by === by)];
    const [up, down] = [moved(step), moved(-step)];
    if (!up && !down) return undefined;
    const [a, b, by] = up && down ? [up, down, 2 * step] : up ? [up, here, step] : [here, down!, step];
    columns.push(a.map((x, k) => (x - b[k]) / by));
  }
  return columns;
}

export async function leastSquares(
  residuals: Residuals,
  start: readonly number[],
  options: {
    readonly most?: number;
    readonly step?: number;
    readonly goOn?: () => boolean;
    /** What is left over at the start, where that is known. */
    readonly here?: Float64Array;
    readonly slopes?: Slopes;
  } = {},
): Promise<LeastSquares | undefined> {
  const { most = 40, step = 1e-4, goOn = () => true, slopes } = options;
  const n = start.length;
  let z = start.map((x) => Math.min(1, Math.max(0, x)));
  let [here] = options.here ? [options.here] : await residuals([z]);
  let evaluations = options.here ? 0 : 1;
  if (!here) return undefined;
  let cost = squares(here);
  let damping = 1e-3;
  const sizes = new Float64Array(n);
  for (let round = 0; round < most; round++) {
    if (!goOn()) return { z, residuals: here, cost, evaluations, settled: false };
    let J = await slopes?.(z);
    if (J) evaluations++;
    else {
      J = await jacobianAt(residuals, z, here, step);
      evaluations += 2 * n;
    }
    if (!J) return { z, residuals: here, cost, evaluations, settled: false };
    const gradient = J.map((c) => c.reduce((s, x, k) => s + x * here![k], 0));
    // what stands at an edge and wants out stays there
    const free = z.flatMap((x, j) => ((x <= 0 && gradient[j] > 0) || (x >= 1 && gradient[j] < 0) ? [] : [j]));
    const normal = free.map((i) => free.map((j) => J[i].reduce((s, x, k) => s + x * J[j][k], 0)));
    free.forEach((j, i) => (sizes[j] = Math.max(sizes[j], Math.sqrt(normal[i][i]), 1e-30)));
    const steepest = Math.max(0, ...free.map((j) => Math.abs(gradient[j]) / (sizes[j] * Math.sqrt(cost) || 1)));
    if (free.length === 0 || steepest < 1e-9) return { z, residuals: here, cost, evaluations, settled: true };
    let isDone = false;
    for (let tries = 0; tries < 14; tries++) {
      const A = normal.map((row, i) => row.map((x, k) => (i === k ? x + damping * sizes[free[i]] ** 2 : x)));
      let move: number[];
      try {
        move = solve(new Matrix(A), Matrix.columnVector(free.map((j) => -gradient[j]))).to1DArray();
      } catch {
        damping *= 10;
        continue;
      }
      const next = z.map((x, j) => {
        const k = free.indexOf(j);
        return k < 0 ? x : Math.min(1, Math.max(0, x + move[k]));
      });
      const [there] = await residuals([next]);
      evaluations++;
      const found = there ? squares(there) : Infinity;
      const moved = Math.max(...next.map((x, j) => Math.abs(x - z[j])));
      if (found < cost) {
        const gain = (cost - found) / cost;
        z = next;
        here = there!;
        cost = found;
        damping = Math.max(1e-12, damping / 5);
        isDone = gain < 1e-12 || (gain < 1e-8 && moved < 1e-7);
        break;
      }
      if (moved < 1e-11) {
        isDone = true;
        break;
      }
      damping *= 6;
      if (tries === 13) isDone = true;
    }
    if (isDone || cost === 0) return { z, residuals: here, cost, evaluations, settled: true };
  }
  return { z, residuals: here, cost, evaluations, settled: false };
}

/** What a Jacobian says of how certain each value is. */
export interface Certainty {
  /** (J'J)^-1, of directions that are decided. */
  readonly inverse: readonly (readonly number[])[];
  /** Directions nothing is decided in, each with the share every value has in it. */
  readonly open: readonly (readonly number[])[];
}

/** `scale` is what residuals vary by; a direction is open where that would move it across `width` of the cube. */
export function certaintyOf(J: readonly Float64Array[], scale: number, width: number): Certainty {
  const n = J.length;
  const rows = J[0]?.length ?? 0;
  const size = Math.max(...J.map((c) => Math.sqrt(c.reduce((s, x) => s + x * x, 0))), 0);
  if (size === 0)
    return {
      inverse: J.map(() => J.map(() => 0)),
      open: J.map((_, j) => J.map((__, k) => Number(j === k))),
    };
  // of J'J through the triangle of J, so that small directions keep their digits
  const svd = new SingularValueDecomposition(new Matrix(Array.from({ length: rows }, (_, k) => J.map((c) => c[k]))), {
    autoTranspose: true,
  });
  const V = svd.rightSingularVectors;
  const inverse = J.map(() => J.map(() => 0));
  const open: number[][] = [];
  for (let k = 0; k < n; k++) {
    const s = svd.diagonal[k] ?? 0;
    const v = Array.from({ length: n }, (_, j) => V.get(j, k));
    if (s <= 2e-6 * size || scale / s > width) {
      open.push(v.map(Math.abs));
      continue;
    }
    for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) inverse[i][j] += (v[i] * v[j]) / (s * s);
  }
  return { inverse, open };
}
