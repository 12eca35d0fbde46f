import fc from 'fast-check';
import { proposedInterval, rowsOf } from './record-interval';

test.each([
  [10, 1e-3],
  [2, 2e-4],
  [3600, 0.5],
  [1, 1e-4],
  [100, 0.01],
  [0.003, 5e-7],
  [0, 1e-3],
  [Infinity, 1e-3],
])('a run of %d s', (duration, every) => expect(proposedInterval(duration)).toBe(every));

test('between four and ten thousand rows, whatever the duration', () => {
  fc.assert(
    fc.property(fc.double({ min: 1e-6, max: 1e9, noNaN: true }), (duration) => {
      const rows = rowsOf(duration, proposedInterval(duration));
      expect(rows).toBeGreaterThan(3900);
      expect(rows).toBeLessThanOrEqual(10_002);
    }),
  );
});
