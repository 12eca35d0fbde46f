/** Thrown by generated code where a block of equations cannot be solved; the simulator turns it into a problem with a place. */
export class BlockFailure extends Error {
  constructor(
    readonly block: number,
    readonly reason: 'singular' | 'no-convergence' | 'not-finite',
  ) {
    super(reason);
  }
}

/** Solves A x = b in place by Gaussian elimination with partial pivoting; A is n by n, row after row. False where A is singular. */
export function solveDense(n: number, A: Float64Array, b: Float64Array): boolean {
  for (let k = 0; k < n; k++) {
    let pivot = k;
    let largest = Math.abs(A[k * n + k]);
    for (let i = k + 1; i < n; i++) {
      const size = Math.abs(A[i * n + k]);
      if (size > largest) {
        largest = size;
        pivot = i;
      }
    }
    if (!(largest > 0) || !Number.isFinite(largest)) return false;
    if (pivot !== k) {
      for (let j = k; j < n; j++) {
        const t = A[k * n + j];
        A[k * n + j] = A[pivot * n + j];
        A[pivot * n + j] = t;
      }
      const t = b[k];
      b[k] = b[pivot];
      b[pivot] = t;
    }
    for (let i = k + 1; i < n; i++) {
      const factor = A[i * n + k] / A[k * n + k];
      if (factor === 0) continue;
      for (let j = k + 1; j < n; j++) A[i * n + j] -= factor * A[k * n + j];
      b[i] -= factor * b[k];
    }
  }
  for (let i = n - 1; i >= 0; i--) {
    let sum = b[i];
    for (let j = i + 1; j < n; j++) sum -= A[i * n + j] * b[j];
    b[i] = sum / A[i * n + i];
  }
  return true;
}

export interface NewtonWork {
  readonly x: Float64Array;
  readonly start: Float64Array;
  readonly trial: Float64Array;
  readonly residual: Float64Array;
  readonly step: Float64Array;
  readonly jacobian: Float64Array;
}

export const newtonWork = (n: number): NewtonWork => ({
  x: new Float64Array(n),
  start: new Float64Array(n),
  trial: new Float64Array(n),
  residual: new Float64Array(n),
  step: new Float64Array(n),
  jacobian: new Float64Array(n * n),
});

const maximumIterations = 60;

function norm(r: Float64Array): number {
  let sum = 0;
  for (let i = 0; i < r.length; i++) sum += r[i] * r[i];
  return Math.sqrt(sum);
}

/**
 * Newton's method with step halving (Dennis and Schnabel 1983, section 6.3) from the values in `work.x`.
 * `residual(x, r)` and `jacobian(J)` belong to the generated code; the Jacobian is that of the last residual.
 */
export function newton(
  block: number,
  linear: boolean,
  work: NewtonWork,
  residual: (x: Float64Array, r: Float64Array) => void,
  jacobian: (J: Float64Array) => void,
): void {
  if (linear) return iterate(block, true, work, residual, jacobian);
  const { start } = work;
  start.set(work.x);
  for (let attempt = 0; ; attempt++) {
    try {
      return iterate(block, false, work, residual, jacobian);
    } catch (error) {
      if (!(error instanceof BlockFailure) || attempt >= shifts.length) throw error;
      // a guess where the equations are singular, or from which no descent leads on: others nearby, always the same ones
      for (let i = 0; i < start.length; i++)
        work.x[i] =
          start[i] +
          shifts[attempt] * (1 + ((i * 0.618) % 1)) * (i % 2 === 0 ? 1 : -0.5) * Math.max(1, Math.abs(start[i]));
    }
  }
}

const shifts = [1e-3, 0.1, -0.3, 1, -2];

function iterate(
  block: number,
  linear: boolean,
  work: NewtonWork,
  residual: (x: Float64Array, r: Float64Array) => void,
  jacobian: (J: Float64Array) => void,
): void {
  const { x, trial, residual: r, step, jacobian: J } = work;
  const n = x.length;
  residual(x, r);
  let size = norm(r);
  if (!Number.isFinite(size)) {
    // a bad first guess, for instance a logarithm of 0: try from ones
    x.fill(1);
    residual(x, r);
    size = norm(r);
    if (!Number.isFinite(size)) throw new BlockFailure(block, 'not-finite');
  }
  let stalled = 0;
  for (let iteration = 0; iteration < maximumIterations; iteration++) {
    if (size === 0) return;
    jacobian(J);
    step.set(r);
    if (!solveDense(n, J, step)) throw new BlockFailure(block, linear ? 'singular' : 'no-convergence');
    let fraction = 1;
    for (;;) {
      for (let i = 0; i < n; i++) trial[i] = x[i] - fraction * step[i];
      residual(trial, r);
      const next = norm(r);
      const atFloor = Number.isFinite(next) && next <= 1e-14 * (1 + size);
      if (linear || next < size || atFloor) {
        // what is left is the rounding of large numbers whose difference is small: no step makes it less
        if (atFloor && next >= 0.5 * size) stalled++;
        size = next;
        break;
      }
      fraction /= 2;
      if (fraction < 1e-10) {
        residual(x, r);
        if (smallStep(x, step, 1e-9)) return;
        throw new BlockFailure(block, 'no-convergence');
      }
    }
    const done = fraction === 1 && smallStep(x, step, 1e-12);
    x.set(trial);
    if (linear && iteration >= 1) return;
    if (done || stalled >= 3) return;
  }
  throw new BlockFailure(block, 'no-convergence');
}

function smallStep(x: Float64Array, step: Float64Array, tolerance: number): boolean {
  for (let i = 0; i < x.length; i++) if (!(Math.abs(step[i]) <= tolerance * (Math.abs(x[i]) + 1e-9))) return false;
  return true;
}
