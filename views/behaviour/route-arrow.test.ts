import fc from 'fast-check';
import { arrowPath, type Rect } from './chart-geometry';
import { routeArrow } from './route-arrow';

const rect = (x: number, y: number, width = 100, height = 40): Rect => ({ x, y, width, height });
/** Share of a path that lies within a card. */
function through(path: string, r: Rect): number {
  const n = path.match(/-?\d+(?:\.\d+)?(?:e-?\d+)?/g)!.map(Number);
  const at = (s: number, j: number): number => {
    const q = 1 - s;
    return n.length === 4
      ? q * n[j] + s * n[2 + j]
      : q ** 3 * n[j] + 3 * q * q * s * n[2 + j] + 3 * q * s * s * n[4 + j] + s ** 3 * n[6 + j];
  };
  const samples = Array.from({ length: 101 }, (_, k) => ({ x: at(k / 100, 0), y: at(k / 100, 1) }));
  return samples.filter((p) => p.x > r.x && p.x < r.x + r.width && p.y > r.y && p.y < r.y + r.height).length / 101;
}

test('a free arrow stays as it is', () => {
  const [a, b] = [rect(0, 0), rect(0, 200)];
  expect(routeArrow(a, b, 0, [])).toEqual(arrowPath(a, b, 0));
  expect(routeArrow(a, b, 0, [rect(300, 80)])).toEqual(arrowPath(a, b, 0));
});
test('a card in between is passed by, and the label stands beside it', () => {
  const [a, b, middle] = [rect(0, 0), rect(0, 200), rect(0, 100)];
  expect(through(arrowPath(a, b, 0).path, middle)).toBeGreaterThan(0.2);
  const way = routeArrow(a, b, 0, [middle]);
  expect(through(way.path, middle)).toBe(0);
  expect(
    way.x < middle.x || way.x > middle.x + middle.width || way.y < middle.y || way.y > middle.y + middle.height,
  ).toBe(true);
});
test('a state and one inside it, and one with itself, are linked as before', () => {
  const outer = rect(0, 0, 300, 300);
  expect(routeArrow(outer, rect(50, 50), 0, [rect(0, 60)])).toEqual(arrowPath(outer, rect(50, 50), 0));
  expect(routeArrow(outer, outer, 0, [rect(310, 100)])).toEqual(arrowPath(outer, outer, 0));
});
test('no way is ever worse than the usual one', () => {
  const card = fc.record({
    x: fc.integer({ min: 0, max: 900 }),
    y: fc.integer({ min: 0, max: 600 }),
    width: fc.integer({ min: 60, max: 180 }),
    height: fc.integer({ min: 30, max: 90 }),
  });
  const apart = (p: Rect, q: Rect): boolean =>
    p.x + p.width + 20 < q.x || q.x + q.width + 20 < p.x || p.y + p.height + 20 < q.y || q.y + q.height + 20 < p.y;
  fc.assert(
    fc.property(card, card, fc.array(card, { maxLength: 6 }), (a, b, others) => {
      fc.pre(apart(a, b));
      const obstacles = others.filter((o) => apart(o, a) && apart(o, b));
      const before = obstacles.reduce((sum, o) => sum + through(arrowPath(a, b, 0).path, o), 0);
      const after = obstacles.reduce((sum, o) => sum + through(routeArrow(a, b, 0, obstacles).path, o), 0);
      // a coarse look decides, a fine one judges
      expect(after).toBeLessThanOrEqual(before + 0.15);
    }),
  );
});
