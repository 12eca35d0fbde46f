/** Rows of one length. */
export type Matrix = readonly Float64Array[];

/** X with A X = B, by elimination with the largest pivot of each column (Gauss; Golub and Van Loan 1996, 3.4). Infinity where A is singular. */
export function solveDense(A: Matrix, B: Matrix): Float64Array[] {
  const n = A.length;
  const a = A.map((row) => Float64Array.from(row));
  const x = B.map((row) => Float64Array.from(row));
  for (let k = 0; k < n; k++) {
    let pivot = k;
    for (let i = k + 1; i < n; i++) if (Math.abs(a[i][k]) > Math.abs(a[pivot][k])) pivot = i;
    [a[k], a[pivot]] = [a[pivot], a[k]];
    [x[k], x[pivot]] = [x[pivot], x[k]];
    for (let i = k + 1; i < n; i++) {
      const factor = a[i][k] / a[k][k];
      if (factor === 0) continue;
      for (let j = k; j < n; j++) a[i][j] -= factor * a[k][j];
      for (let j = 0; j < x[i].length; j++) x[i][j] -= factor * x[k][j];
    }
  }
  for (let k = n - 1; k >= 0; k--) {
    for (let j = 0; j < x[k].length; j++) {
      let sum = x[k][j];
      for (let i = k + 1; i < n; i++) sum -= a[k][i] * x[i][j];
      x[k][j] = sum / a[k][k];
    }
  }
  return x;
}
