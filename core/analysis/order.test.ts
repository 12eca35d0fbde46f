import fc from 'fast-check';
import { dependencyOrder } from './order';

const graphs = fc
  .integer({ min: 1, max: 12 })
  .chain((n) => fc.array(fc.uniqueArray(fc.nat(n - 1), { maxLength: 3 }), { minLength: n, maxLength: n }));

/** What can be reached from each node over one edge or more. */
function reachable(needs: readonly (readonly number[])[]): Set<number>[] {
  const sets = needs.map((list) => new Set(list));
  for (let changed = true; changed;) {
    changed = false;
    for (const set of sets)
      for (const k of [...set]) for (const next of sets[k]) if (!set.has(next) && set.add(next)) changed = true;
  }
  return sets;
}

test('nodes stand together where each can be reached from the other, and after all they depend on', () => {
  fc.assert(
    fc.property(graphs, (needs) => {
      const components = dependencyOrder(needs.length, (k) => needs[k]);
      expect(components.flat().sort((a, b) => a - b)).toEqual(needs.map((_, k) => k));
      const reach = reachable(needs);
      const componentOf = new Map(components.flatMap((c, at) => c.map((k) => [k, at] as const)));
      needs.forEach((list, a) => {
        needs.forEach((_, b) => {
          const together = a === b || (reach[a].has(b) && reach[b].has(a));
          expect(componentOf.get(a) === componentOf.get(b)).toBe(together);
        });
        for (const b of list) expect(componentOf.get(b)!).toBeLessThanOrEqual(componentOf.get(a)!);
      });
    }),
    { numRuns: 400 },
  );
});

test('chains and circles of a hundred thousand nodes are ordered too', () => {
  const n = 100_000;
  const chain = dependencyOrder(n, (k) => (k + 1 < n ? [k + 1] : []));
  expect(chain).toHaveLength(n);
  expect(chain[0]).toEqual([n - 1]);
  expect(chain[n - 1]).toEqual([0]);
  const circle = dependencyOrder(n, (k) => [(k + 1) % n]);
  expect(circle).toHaveLength(1);
  expect(circle[0]).toHaveLength(n);
});
