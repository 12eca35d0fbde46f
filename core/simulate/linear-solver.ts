import { luComplex, luReal, solveComplex, solveReal } from './dense-lu';

/**
 * Where a Jacobian can differ from zero: `columns[start[i] ... start[i + 1]]` are the columns of row i, in ascending order.
 */
export interface Pattern {
  readonly size: number;
  readonly start: Int32Array;
  readonly columns: Int32Array;
}

export function patternOf(rows: readonly (readonly number[])[]): Pattern {
  const start = new Int32Array(rows.length + 1);
  rows.forEach((r, i) => (start[i + 1] = start[i] + r.length));
  const columns = new Int32Array(start[rows.length]);
  rows.forEach((r, i) =>
    columns.set(
      [...r].sort((a, b) => a - b),
      start[i],
    ),
  );
  return { size: rows.length, start, columns };
}

/** A Jacobian with the factors made from it, as plain data. */
export interface LinearState {
  /** Values of J, in the order of its pattern (all of them, row after row, for the dense one). */
  readonly J: Float64Array;
  /** The factors, in an order of the solver's own. */
  readonly factors: readonly Float64Array[];
  readonly pivots: readonly Int32Array[];
}

/** The systems of an implicit step: fac I - J, and (alpha + i beta) I - J. */
export interface LinearSolver {
  readonly state: LinearState;
  factor(fac: number, alpha: number, beta: number): boolean;
  solveReal(b: Float64Array): void;
  solveComplex(re: Float64Array, im: Float64Array): void;
}

const floats = (...lengths: readonly number[]): Float64Array[] => lengths.map((n) => new Float64Array(n));

export function denseSolver(n: number, saved?: LinearState): LinearSolver {
  const state = saved ?? {
    J: new Float64Array(n * n),
    factors: floats(n * n, n * n, n * n),
    pivots: [new Int32Array(n), new Int32Array(n)],
  };
  const { J } = state;
  const [E1, E2r, E2i] = state.factors;
  const [p1, p2] = state.pivots;
  return {
    state,
    factor(fac, alpha, beta) {
      for (let k = 0; k < n * n; k++) {
        E1[k] = E2r[k] = -J[k];
        E2i[k] = 0;
      }
      for (let i = 0; i < n; i++) {
        E1[i * n + i] += fac;
        E2r[i * n + i] += alpha;
        E2i[i * n + i] = beta;
      }
      return luReal(n, E1, p1) && luComplex(n, E2r, E2i, p2);
    },
    solveReal: (b) => solveReal(n, E1, p1, b),
    solveComplex: (re, im) => solveComplex(n, E2r, E2i, p2, re, im),
  };
}

/**
 * Sparse factors without pivoting: the order is chosen once for little fill (minimum degree, Tinney and Walker 1967), the
 * structure of the factors is found once, and each factorisation fills in numbers. The diagonals hold the step, so that a
 * pivot too small for this means a step too long.
 */
export function sparseSolver(pattern: Pattern, saved?: LinearState): LinearSolver {
  const n = pattern.size;
  const { order, position, lStart, uStart, lCol, uCol } = structureOf(pattern);
  const [lower, upper] = [lCol.length, uCol.length];
  const state: LinearState = saved ?? {
    J: new Float64Array(pattern.columns.length),
    factors: floats(lower, upper, n, lower, upper, n, lower, upper, n),
    pivots: [],
  };
  const { J } = state;
  const part = (k: number) => ({ l: state.factors[k], u: state.factors[k + 1], d: state.factors[k + 2] });
  const [real, re, im] = [part(0), part(3), part(6)];
  const w = new Float64Array(n),
    wi = new Float64Array(n),
    x = new Float64Array(n),
    xi = new Float64Array(n);

  const factorReal = (fac: number): boolean => {
    const { l, u, d } = real;
    for (let i = 0; i < n; i++) {
      const row = order[i];
      let largest = Math.abs(fac);
      for (let p = pattern.start[row]; p < pattern.start[row + 1]; p++) {
        w[position[pattern.columns[p]]] = -J[p];
        largest = Math.max(largest, Math.abs(J[p]));
      }
      w[i] += fac;
      for (let p = lStart[i]; p < lStart[i + 1]; p++) {
        const k = lCol[p];
        const q = w[k] / d[k];
        l[p] = q;
        w[k] = 0;
        if (q !== 0) for (let j = uStart[k]; j < uStart[k + 1]; j++) w[uCol[j]] -= q * u[j];
      }
      d[i] = w[i];
      w[i] = 0;
      for (let p = uStart[i]; p < uStart[i + 1]; p++) {
        u[p] = w[uCol[p]];
        w[uCol[p]] = 0;
      }
      if (!(Math.abs(d[i]) > 1e-13 * largest)) {
        w.fill(0);
        return false;
      }
    }
    return true;
  };

  const factorComplex = (alpha: number, beta: number): boolean => {
    for (let i = 0; i < n; i++) {
      const row = order[i];
      let largest = Math.abs(alpha) + Math.abs(beta);
      for (let p = pattern.start[row]; p < pattern.start[row + 1]; p++) {
        w[position[pattern.columns[p]]] = -J[p];
        largest = Math.max(largest, Math.abs(J[p]));
      }
      w[i] += alpha;
      wi[i] = beta;
      for (let p = lStart[i]; p < lStart[i + 1]; p++) {
        const k = lCol[p];
        const m2 = re.d[k] * re.d[k] + im.d[k] * im.d[k];
        const qr = (w[k] * re.d[k] + wi[k] * im.d[k]) / m2,
          qi = (wi[k] * re.d[k] - w[k] * im.d[k]) / m2;
        re.l[p] = qr;
        im.l[p] = qi;
        w[k] = wi[k] = 0;
        if (qr === 0 && qi === 0) continue;
        for (let j = uStart[k]; j < uStart[k + 1]; j++) {
          const c = uCol[j];
          w[c] -= qr * re.u[j] - qi * im.u[j];
          wi[c] -= qr * im.u[j] + qi * re.u[j];
        }
      }
      re.d[i] = w[i];
      im.d[i] = wi[i];
      w[i] = wi[i] = 0;
      for (let p = uStart[i]; p < uStart[i + 1]; p++) {
        const c = uCol[p];
        re.u[p] = w[c];
        im.u[p] = wi[c];
        w[c] = wi[c] = 0;
      }
      if (!(Math.abs(re.d[i]) + Math.abs(im.d[i]) > 1e-13 * largest)) {
        w.fill(0);
        wi.fill(0);
        return false;
      }
    }
    return true;
  };

  return {
    state,
    factor: (fac, alpha, beta) => factorReal(fac) && factorComplex(alpha, beta),
    solveReal(b) {
      const { l, u, d } = real;
      for (let i = 0; i < n; i++) {
        let sum = b[order[i]];
        for (let p = lStart[i]; p < lStart[i + 1]; p++) sum -= l[p] * x[lCol[p]];
        x[i] = sum;
      }
      for (let i = n - 1; i >= 0; i--) {
        let sum = x[i];
        for (let p = uStart[i]; p < uStart[i + 1]; p++) sum -= u[p] * x[uCol[p]];
        x[i] = sum / d[i];
      }
      for (let i = 0; i < n; i++) b[order[i]] = x[i];
    },
    solveComplex(br, bi) {
      for (let i = 0; i < n; i++) {
        let sr = br[order[i]],
          si = bi[order[i]];
        for (let p = lStart[i]; p < lStart[i + 1]; p++) {
          const c = lCol[p];
          sr -= re.l[p] * x[c] - im.l[p] * xi[c];
          si -= re.l[p] * xi[c] + im.l[p] * x[c];
        }
        x[i] = sr;
        xi[i] = si;
      }
      for (let i = n - 1; i >= 0; i--) {
        let sr = x[i],
          si = xi[i];
        for (let p = uStart[i]; p < uStart[i + 1]; p++) {
          const c = uCol[p];
          sr -= re.u[p] * x[c] - im.u[p] * xi[c];
          si -= re.u[p] * xi[c] + im.u[p] * x[c];
        }
        const dr = re.d[i],
          di = im.d[i],
          m2 = dr * dr + di * di;
        x[i] = (sr * dr + si * di) / m2;
        xi[i] = (si * dr - sr * di) / m2;
      }
      for (let i = 0; i < n; i++) {
        br[order[i]] = x[i];
        bi[order[i]] = xi[i];
      }
    },
  };
}

/** What the factors of a pattern look like, whatever its numbers. */
interface FactorStructure {
  readonly order: Int32Array;
  readonly position: Int32Array;
  readonly lStart: Int32Array;
  readonly uStart: Int32Array;
  readonly lCol: Int32Array;
  readonly uCol: Int32Array;
}

const known = new WeakMap<Pattern, FactorStructure>();

function structureOf(pattern: Pattern): FactorStructure {
  const found = known.get(pattern);
  if (found) return found;
  const n = pattern.size;
  const order = minimumDegree(pattern);
  const position = new Int32Array(n);
  order.forEach((k, i) => (position[k] = i));
  const { lower, upper } = fill(pattern, order, position);
  const offsets = (rows: readonly Int32Array[]): Int32Array => {
    const start = new Int32Array(n + 1);
    rows.forEach((r, i) => (start[i + 1] = start[i] + r.length));
    return start;
  };
  const join = (rows: readonly Int32Array[], start: Int32Array): Int32Array => {
    const all = new Int32Array(start[n]);
    rows.forEach((r, i) => all.set(r, start[i]));
    return all;
  };
  const [lStart, uStart] = [offsets(lower), offsets(upper)];
  const structure = { order, position, lStart, uStart, lCol: join(lower, lStart), uCol: join(upper, uStart) };
  known.set(pattern, structure);
  return structure;
}

/** An order of elimination that always takes a node with the fewest neighbours left. */
export function minimumDegree(pattern: Pattern): Int32Array {
  const n = pattern.size;
  const near = Array.from({ length: n }, () => new Set<number>());
  for (let i = 0; i < n; i++) {
    for (let p = pattern.start[i]; p < pattern.start[i + 1]; p++) {
      const j = pattern.columns[p];
      if (j === i) continue;
      near[i].add(j);
      near[j].add(i);
    }
  }
  const buckets: Set<number>[] = [];
  const put = (k: number): void => void (buckets[near[k].size] ??= new Set()).add(k);
  for (let k = 0; k < n; k++) put(k);
  const order = new Int32Array(n);
  let least = 0;
  for (let at = 0; at < n; at++) {
    while (!(buckets[least]?.size > 0)) least++;
    const k = buckets[least].values().next().value as number;
    buckets[least].delete(k);
    order[at] = k;
    const around = [...near[k]];
    for (const j of around) {
      buckets[near[j].size]?.delete(j);
      near[j].delete(k);
    }
    for (let i = 0; i < around.length; i++) {
      for (let j = i + 1; j < around.length; j++) {
        near[around[i]].add(around[j]);
        near[around[j]].add(around[i]);
      }
    }
    for (const j of around) {
      put(j);
      least = Math.min(least, near[j].size);
    }
    near[k].clear();
  }
  return order;
}

/** The structure of the factors of a matrix, with its own taken as symmetric. */
function fill(pattern: Pattern, order: Int32Array, position: Int32Array): { lower: Int32Array[]; upper: Int32Array[] } {
  const n = pattern.size;
  const sets = Array.from({ length: n }, () => new Set<number>());
  for (let i = 0; i < n; i++) {
    for (let p = pattern.start[i]; p < pattern.start[i + 1]; p++) {
      const a = position[i],
        b = position[pattern.columns[p]];
      if (a !== b) sets[Math.min(a, b)].add(Math.max(a, b));
    }
  }
  const upper: Int32Array[] = [];
  const lower: number[][] = Array.from({ length: n }, () => []);
  for (let i = 0; i < n; i++) {
    const row = Int32Array.from(sets[i]).sort();
    upper.push(row);
    for (const j of row) lower[j].push(i);
    // what is left of the row joins that of its first neighbour
    if (row.length > 1) for (let k = 1; k < row.length; k++) sets[row[0]].add(row[k]);
    sets[i].clear();
  }
  return { lower: lower.map((r) => Int32Array.from(r)), upper };
}

/** Groups of columns that no row has two of: their differences are taken together (Curtis, Powell and Reid 1974). */
export function columnGroups(pattern: Pattern): Int32Array[] {
  const n = pattern.size;
  const rowsOf: number[][] = Array.from({ length: n }, () => []);
  for (let i = 0; i < n; i++)
    for (let p = pattern.start[i]; p < pattern.start[i + 1]; p++) rowsOf[pattern.columns[p]].push(i);
  const group = new Int32Array(n).fill(-1);
  const mark = new Int32Array(n).fill(-1);
  let count = 0;
  for (let j = 0; j < n; j++) {
    for (const i of rowsOf[j]) {
      for (let p = pattern.start[i]; p < pattern.start[i + 1]; p++) {
        const g = group[pattern.columns[p]];
        if (g >= 0) mark[g] = j;
      }
    }
    let g = 0;
    while (g < count && mark[g] === j) g++;
    group[j] = g;
    count = Math.max(count, g + 1);
  }
  const groups: number[][] = Array.from({ length: count }, () => []);
  group.forEach((g, j) => groups[g].push(j));
  return groups.map((g) => Int32Array.from(g));
}
