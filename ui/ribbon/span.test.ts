import fc from 'fast-check';
import { within } from './span';

test('a span stays as long as it is and inside the run; the whole of it is none', () => {
  expect(within([-1, 1], [0, 10])).toEqual([0, 2]);
  expect(within([9, 11], [0, 10])).toEqual([8, 10]);
  expect(within([3, 4], [0, 10])).toEqual([3, 4]);
  expect(within([-5, 20], [0, 10])).toBeUndefined();
  expect(within([0, 10], [0, 10])).toBeUndefined();
  const finite = fc.double({ min: -1e3, max: 1e3, noNaN: true });
  fc.assert(
    fc.property(finite, fc.double({ min: 1e-3, max: 2e3, noNaN: true }), (from, length) => {
      const found = within([from, from + length], [0, 100]);
      if (length >= 101) expect(found).toBeUndefined();
      if (!found) return;
      expect(found[0]).toBeGreaterThanOrEqual(-1e-9);
      expect(found[1]).toBeLessThanOrEqual(100 + 1e-9);
      expect(found[1] - found[0]).toBeCloseTo(length, 6);
    }),
  );
});
