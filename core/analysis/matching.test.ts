import fc from 'fast-check';
import { blame, explainMatching, match, matchOne, type Matching } from './matching';

/** Up to 14 equations in up to 14 unknowns; each equation names each unknown once at most. */
const graphs = fc
  .tuple(fc.integer({ min: 1, max: 14 }), fc.integer({ min: 1, max: 14 }))
  .chain(([equations, unknowns]) =>
    fc.record({
      unknowns: fc.constant(unknowns),
      adjacent: fc.array(fc.uniqueArray(fc.nat(unknowns - 1), { maxLength: 4 }), {
        minLength: equations,
        maxLength: equations,
      }),
    }),
  );

const sizeOf = (m: Matching): number => m.unknownOf.filter((u) => u >= 0).length;

/** Each pair is one of the graph's edges and stands in both lists; no unknown has two equations. */
function expectValid(adjacent: readonly (readonly number[])[], m: Matching): void {
  m.unknownOf.forEach((u, e) => {
    if (u < 0) return;
    expect(adjacent[e]).toContain(u);
    expect(m.equationOf[u]).toBe(e);
  });
  m.equationOf.forEach((e, u) => e >= 0 && expect(m.unknownOf[e]).toBe(u));
}

/** The size of the largest matching by trying: each equation leaves itself out or takes one of what is free. */
function largest(
  adjacent: readonly (readonly number[])[],
  taken: number,
  at = 0,
  known = new Map<string, number>(),
): number {
  if (at === adjacent.length) return 0;
  const key = `${at}/${taken}`;
  const before = known.get(key);
  if (before !== undefined) return before;
  let best = largest(adjacent, taken, at + 1, known);
  for (const u of adjacent[at])
    if (!((taken >> u) & 1)) best = Math.max(best, 1 + largest(adjacent, taken | (1 << u), at + 1, known));
  known.set(key, best);
  return best;
}

test('a matching is as large as the largest found by trying everything', () => {
  fc.assert(
    fc.property(graphs, ({ adjacent, unknowns }) => {
      const m = match(adjacent, unknowns);
      expectValid(adjacent, m);
      expect(sizeOf(m)).toBe(largest(adjacent, 0));
    }),
    { numRuns: 400 },
  );
});

test('where the first choices are all wrong, long exchanges put them right', () => {
  // equation k may have unknowns k and k + 1, the last only unknown 0: all others must move by one
  for (const n of [2, 3, 50, 3000]) {
    const adjacent = Array.from({ length: n }, (_, k) => (k < n - 1 ? [k, k + 1] : [0]));
    const m = match(adjacent, n);
    expectValid(adjacent, m);
    expect([...m.unknownOf]).toEqual(Array.from({ length: n }, (_, k) => (k + 1) % n));
  }
});

test('equations added one by one reach the same size, and the rest stays matched', () => {
  fc.assert(
    fc.property(graphs, ({ adjacent, unknowns }) => {
      const unknownOf = new Int32Array(adjacent.length).fill(-1);
      const equationOf = new Int32Array(unknowns).fill(-1);
      adjacent.forEach((_, e) => {
        const before = [...unknownOf].map((u) => u >= 0);
        const added = matchOne(adjacent, e, unknownOf, equationOf);
        expectValid(adjacent, { unknownOf, equationOf });
        expect([...unknownOf].map((u) => u >= 0)).toEqual(before.map((b, k) => (k === e ? added : b)));
      });
      expect(sizeOf({ unknownOf, equationOf })).toBe(sizeOf(match(adjacent, unknowns)));
    }),
    { numRuns: 200 },
  );
});

test('what is over-determined has more equations than unknowns and names all of theirs; what is under-determined the other way', () => {
  fc.assert(
    fc.property(graphs, ({ adjacent, unknowns }) => {
      const m = match(adjacent, unknowns);
      const all = Array.from({ length: unknowns }, (_, u) => u);
      const { over, under } = explainMatching(adjacent, m, all);
      const unmatched = [...m.unknownOf.keys()].filter((e) => m.unknownOf[e] < 0);
      expect(over.equations).toEqual(expect.arrayContaining(unmatched));
      expect(over.equations.length).toBe(over.unknowns.length + unmatched.length);
      // every unknown that an equation of the part names belongs to it
      for (const e of over.equations) for (const u of adjacent[e]) expect(over.unknowns).toContain(u);

      const open = all.filter((u) => m.equationOf[u] < 0);
      expect(under.unknowns).toEqual(expect.arrayContaining(open));
      expect(under.unknowns.length).toBe(under.equations.length + open.length);
      // every equation that names an unknown of the part belongs to it
      adjacent.forEach((list, e) => {
        if (list.some((u) => under.unknowns.includes(u))) expect(under.equations).toContain(e);
      });
      expect(over.equations.some((e) => under.equations.includes(e))).toBe(false);
    }),
    { numRuns: 300 },
  );
});

test('unknowns that nobody asked for are not missed', () => {
  const m = match([[0]], 3);
  expect(explainMatching([[0]], m, [0, 1]).under).toEqual({ equations: [], unknowns: [1] });
  expect(explainMatching([[0]], m, [0]).under).toEqual({ equations: [], unknowns: [] });
});

test('left out is the competitor that ranks highest, and the matching stays as large', () => {
  fc.assert(
    fc.property(graphs, ({ adjacent, unknowns }) => {
      const m = match(adjacent, unknowns);
      // the rank is the place in the text: the last of those that compete is blamed
      const moved = blame(adjacent, m, (e) => e);
      expectValid(adjacent, moved);
      expect(sizeOf(moved)).toBe(sizeOf(m));
      const left = [...moved.unknownOf.keys()].filter((e) => moved.unknownOf[e] < 0);
      if (left.length === 1) {
        const { over } = explainMatching(adjacent, m, []);
        expect(left[0]).toBe(Math.max(...over.equations));
      }
    }),
    { numRuns: 400 },
  );
});

test('the excess equation of a chain is found at its far end', () => {
  // a = 1; a + b = 2; b + c = 3; c = 4: any of the four is one too many
  const adjacent = [[0], [0, 1], [1, 2], [2]];
  const m = match(adjacent, 3);
  for (const wanted of [0, 1, 2, 3]) {
    const moved = blame(adjacent, m, (e) => Number(e === wanted));
    expectValid(adjacent, moved);
    expect([...moved.unknownOf.keys()].filter((e) => moved.unknownOf[e] < 0)).toEqual([wanted]);
  }
});
