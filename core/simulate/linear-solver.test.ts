import fc from 'fast-check';
import { columnGroups, denseSolver, minimumDegree, patternOf, sparseSolver } from './linear-solver';

/** Rows of up to 4 entries besides the diagonal, of up to 30 columns. */
const matrices = fc.integer({ min: 1, max: 30 }).chain((n) =>
  fc.array(fc.array(fc.tuple(fc.nat(n - 1), fc.double({ min: -1, max: 1, noNaN: true })), { maxLength: 4 }), {
    minLength: n,
    maxLength: n,
  }),
);

const setUp = (rows: readonly (readonly (readonly [number, number])[])[]) => {
  const n = rows.length;
  const entries = rows.map((r, i) => new Map([[i, 0.5], ...r] as [number, number][]));
  const pattern = patternOf(entries.map((r) => [...r.keys()]));
  const dense = denseSolver(n),
    sparse = sparseSolver(pattern);
  entries.forEach((r, i) => {
    for (const [j, v] of r) dense.state.J[i * n + j] = v;
    for (let p = pattern.start[i]; p < pattern.start[i + 1]; p++) sparse.state.J[p] = r.get(pattern.columns[p])!;
  });
  return { n, pattern, dense, sparse };
};

test('sparse and dense factors solve the same systems, real and complex', () => {
  fc.assert(
    fc.property(matrices, (rows) => {
      const { n, dense, sparse } = setUp(rows);
      expect(dense.factor(7, 6, 5)).toBe(true);
      expect(sparse.factor(7, 6, 5)).toBe(true);
      const b = Float64Array.from({ length: n }, (_, k) => Math.sin(k + 1)),
        c = Float64Array.from({ length: n }, (_, k) => Math.cos(3 * k));
      const [x, y] = [Float64Array.from(b), Float64Array.from(b)];
      dense.solveReal(x);
      sparse.solveReal(y);
      x.forEach((v, k) => expect(y[k]).toBeCloseTo(v, 10));
      const [xr, xi, yr, yi] = [Float64Array.from(b), Float64Array.from(c), Float64Array.from(b), Float64Array.from(c)];
      dense.solveComplex(xr, xi);
      sparse.solveComplex(yr, yi);
      xr.forEach((v, k) => expect(yr[k]).toBeCloseTo(v, 10));
      xi.forEach((v, k) => expect(yi[k]).toBeCloseTo(v, 10));
    }),
    { numRuns: 150 },
  );
});

test('no row has two columns of a group, and every column is in one', () => {
  fc.assert(
    fc.property(matrices, (rows) => {
      const { n, pattern } = setUp(rows);
      const groups = columnGroups(pattern);
      expect(groups.flatMap((g) => [...g]).sort((a, b) => a - b)).toEqual(Array.from({ length: n }, (_, k) => k));
      for (const g of groups) {
        for (let i = 0; i < n; i++) {
          const own = pattern.columns.subarray(pattern.start[i], pattern.start[i + 1]);
          expect([...g].filter((j) => own.includes(j)).length).toBeLessThanOrEqual(1);
        }
      }
    }),
  );
});

test('a tridiagonal system needs three groups, and a star no fill', () => {
  const n = 200;
  const chain = patternOf(Array.from({ length: n }, (_, i) => [i - 1, i, i + 1].filter((j) => j >= 0 && j < n)));
  expect(columnGroups(chain)).toHaveLength(3);
  const star = patternOf(
    Array.from({ length: n }, (_, i) => (i === 0 ? Array.from({ length: n }, (_, j) => j) : [0, i])),
  );
  // the centre is taken among the last
  expect([...minimumDegree(star)].indexOf(0)).toBeGreaterThanOrEqual(n - 2);
});

test('a pivot that vanishes is told', () => {
  const { sparse, dense } = setUp([[[0, 1]]]);
  expect(sparse.factor(1, 1, 0)).toBe(false);
  expect(dense.factor(1, 1, 0)).toBe(false);
});
