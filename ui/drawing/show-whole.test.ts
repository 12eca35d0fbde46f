import fc from 'fast-check';
import { leastZoom, viewOf } from './show-whole';

const room = { width: 800, height: 400 };

test('what fits is shown whole, in the middle, and not blown up', () => {
  expect(viewOf({ x: 0, y: 0, width: 100, height: 50 }, room, 0)).toEqual({ zoom: 1.1, x: 345, y: 172.5 });
});
test('what does not fit is read from its corner', () => {
  const view = viewOf({ x: -100, y: 40, width: 2000, height: 1500 }, room, 0.05);
  expect(view.zoom).toBe(leastZoom);
  expect(view.x + -100 * view.zoom).toBeCloseTo(12);
  expect(view.y + 40 * view.zoom).toBeCloseTo(12);
});
test('text never gets smaller than it can be read, and what is looked for is in sight', () => {
  const size = fc.double({ min: 50, max: 5000, noNaN: true });
  const share = fc.double({ min: 0, max: 1, noNaN: true });
  fc.assert(
    fc.property(size, size, size, size, share, share, (width, height, w, h, sx, sy) => {
      const all = { x: -300, y: 200, width, height };
      const looked = { x: -300 + sx * (width - 40), y: 200 + sy * (height - 30), width: 40, height: 30 };
      const view = viewOf(all, { width: w, height: h }, 0.05, looked);
      expect(view.zoom).toBeGreaterThanOrEqual(leastZoom);
      const [x, y] = [view.x + (looked.x + 20) * view.zoom, view.y + (looked.y + 15) * view.zoom];
      expect(x).toBeGreaterThanOrEqual(0);
      expect(x).toBeLessThanOrEqual(w);
      expect(y).toBeGreaterThanOrEqual(0);
      expect(y).toBeLessThanOrEqual(h);
    }),
  );
});
