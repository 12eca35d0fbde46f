import type { Machine } from '../program/machine';
import type { Program } from '../program/program';

/** Up to this many torn unknowns a loop is looked at: the look costs the third power of them. */
const largest = 60;

/**
 * Linear loops whose equations do not determine all of their unknowns at this moment: what was found for them is one of many
 * solutions. Loops that are solved during the run fail by themselves where they have none.
 */
export function openLoops(program: Program, machine: Machine, t: number): number[] {
  // the same loop stands in several places of the program
  const seen = new Set<unknown>();
  return program.tornBlocks.flatMap(({ equations: [first], tears, linear }, k) => {
    if (!linear || tears > largest || seen.has(first)) return [];
    seen.add(first);
    const J = new Float64Array(tears * tears);
    machine.loopSlopes(k, t, J);
    return J.every(Number.isFinite) && rank(tears, J) < tears ? [k] : [];
  });
}

/** The rank of a square matrix by elimination with complete pivoting, its rows scaled first. */
function rank(n: number, A: Float64Array): number {
  for (let i = 0; i < n; i++) {
    const size = Math.max(...A.subarray(i * n, i * n + n).map(Math.abs));
    if (size > 0) for (let j = 0; j < n; j++) A[i * n + j] /= size;
  }
  const rows = Array.from({ length: n }, (_, k) => k),
    columns = [...rows];
  for (let k = 0; k < n; k++) {
    let [r, c] = [k, k];
    for (let i = k; i < n; i++)
      for (let j = k; j < n; j++)
        if (Math.abs(A[rows[i] * n + columns[j]]) > Math.abs(A[rows[r] * n + columns[c]])) [r, c] = [i, j];
    const pivot = A[rows[r] * n + columns[c]];
    if (Math.abs(pivot) < 1e-13) return k;
    [rows[k], rows[r]] = [rows[r], rows[k]];
    [columns[k], columns[c]] = [columns[c], columns[k]];
    for (let i = k + 1; i < n; i++) {
      const factor = A[rows[i] * n + columns[k]] / pivot;
      if (factor !== 0) for (let j = k; j < n; j++) A[rows[i] * n + columns[j]] -= factor * A[rows[k] * n + columns[j]];
    }
  }
  return n;
}
