/** Factors of dense matrices, row after row, by Gaussian elimination with partial pivoting, real and complex. */

/** Without a temporary array: this runs in the innermost loops. */
function swap(a: Float64Array, i: number, j: number): void {
  const t = a[i];
  a[i] = a[j];
  a[j] = t;
}

export function luReal(n: number, A: Float64Array, pivots: Int32Array): boolean {
  for (let k = 0; k < n; k++) {
    let pivot = k;
    for (let i = k + 1; i < n; i++) if (Math.abs(A[i * n + k]) > Math.abs(A[pivot * n + k])) pivot = i;
    pivots[k] = pivot;
    const size = A[pivot * n + k];
    if (size === 0 || !Number.isFinite(size)) return false;
    if (pivot !== k) for (let j = 0; j < n; j++) swap(A, k * n + j, pivot * n + j);
    for (let i = k + 1; i < n; i++) {
      const q = (A[i * n + k] /= A[k * n + k]);
      if (q === 0) continue;
      for (let j = k + 1; j < n; j++) A[i * n + j] -= q * A[k * n + j];
    }
  }
  return true;
}

export function solveReal(n: number, A: Float64Array, pivots: Int32Array, b: Float64Array): void {
  for (let k = 0; k < n; k++) if (pivots[k] !== k) swap(b, k, pivots[k]);
  for (let i = 1; i < n; i++) for (let j = 0; j < i; j++) b[i] -= A[i * n + j] * b[j];
  for (let i = n - 1; i >= 0; i--) {
    for (let j = i + 1; j < n; j++) b[i] -= A[i * n + j] * b[j];
    b[i] /= A[i * n + i];
  }
}

export function luComplex(n: number, R: Float64Array, I: Float64Array, pivots: Int32Array): boolean {
  for (let k = 0; k < n; k++) {
    let pivot = k,
      largest = -1;
    for (let i = k; i < n; i++) {
      const size = Math.abs(R[i * n + k]) + Math.abs(I[i * n + k]);
      if (size > largest) {
        pivot = i;
        largest = size;
      }
    }
    pivots[k] = pivot;
    if (!(largest > 0) || !Number.isFinite(largest)) return false;
    if (pivot !== k) {
      for (let j = 0; j < n; j++) {
        swap(R, k * n + j, pivot * n + j);
        swap(I, k * n + j, pivot * n + j);
      }
    }
    const pr = R[k * n + k],
      pi = I[k * n + k],
      m2 = pr * pr + pi * pi;
    for (let i = k + 1; i < n; i++) {
      const ar = R[i * n + k],
        ai = I[i * n + k];
      if (ar === 0 && ai === 0) continue;
      const qr = (ar * pr + ai * pi) / m2,
        qi = (ai * pr - ar * pi) / m2;
      R[i * n + k] = qr;
      I[i * n + k] = qi;
      for (let j = k + 1; j < n; j++) {
        R[i * n + j] -= qr * R[k * n + j] - qi * I[k * n + j];
        I[i * n + j] -= qr * I[k * n + j] + qi * R[k * n + j];
      }
    }
  }
  return true;
}

export function solveComplex(
  n: number,
  R: Float64Array,
  I: Float64Array,
  pivots: Int32Array,
  br: Float64Array,
  bi: Float64Array,
): void {
  for (let k = 0; k < n; k++) {
    const p = pivots[k];
    if (p === k) continue;
    swap(br, k, p);
    swap(bi, k, p);
  }
  for (let i = 1; i < n; i++) {
    for (let j = 0; j < i; j++) {
      br[i] -= R[i * n + j] * br[j] - I[i * n + j] * bi[j];
      bi[i] -= R[i * n + j] * bi[j] + I[i * n + j] * br[j];
    }
  }
  for (let i = n - 1; i >= 0; i--) {
    for (let j = i + 1; j < n; j++) {
      br[i] -= R[i * n + j] * br[j] - I[i * n + j] * bi[j];
      bi[i] -= R[i * n + j] * bi[j] + I[i * n + j] * br[j];
    }
    const r = R[i * n + i],
      m = I[i * n + i],
      m2 = r * r + m * m;
    const re = (br[i] * r + bi[i] * m) / m2;
    bi[i] = (bi[i] * r - br[i] * m) / m2;
    br[i] = re;
  }
}
