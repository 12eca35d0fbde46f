import fc from 'fast-check';
import { createMonitor } from './monitor';
import type { TreeSource, TreeValue } from './source';
import { limit, signal, tree } from '../testing/trees';

/** Long runs: what is no longer needed is dropped on the way, and nothing that is. Against windows looked at row by row. */

const voltage = signal(0);

interface Signal {
  readonly times: readonly number[];
  readonly values: readonly number[];
}
/** Some thousands of rows with steps of unlike length, repeated from a seed. */
const signals = fc
  .tuple(fc.integer({ min: 1, max: 1e6 }), fc.integer({ min: 1500, max: 4000 }))
  .map(([seed, n]): Signal => {
    let state = seed;
    const random = (): number => (state = (state * 48271) % 2147483647) / 2147483647;
    const times = [0];
    for (let k = 1; k < n; k++) times.push(times[k - 1] + (random() < 0.1 ? 0.25 : 0.125));
    return { times, values: times.map((t) => Math.sin(t / 7) * 5 + random()) };
  });
const findingOf = (source: TreeSource, { times, values }: Signal) => {
  const monitor = createMonitor(source);
  times.forEach((t, k) => monitor.row(t, Float64Array.of(values[k])));
  return monitor.finding(true);
};

test('the margin of "always within a span" is the least over spans of the greatest in each', () => {
  fc.assert(
    fc.property(signals, fc.constantFrom(2, 8, 32, 128), (s, span) => {
      const { times, values } = s;
      const source = tree({ op: 'eventually', from: 0, to: span, a: limit(voltage, '>=', 3) });
      // the greatest value in [t, t + span], straight between rows at its end
      const end = times.at(-1)!;
      const bests: number[] = [];
      for (let i = 0; i < times.length && times[i] + span < end; i++) {
        let best = -Infinity;
        let j = i;
        for (; j < times.length && times[j] <= times[i] + span; j++) best = Math.max(best, values[j]);
        const [t0, t1] = [times[j - 1], times[j]];
        best = Math.max(best, values[j - 1] + ((values[j] - values[j - 1]) * (times[i] + span - t0)) / (t1 - t0));
        bests.push(best - 3);
      }
      const finding = findingOf(source, s);
      expect(finding.margin).toBeCloseTo(Math.min(...bests), 9);
      const rows = times.map((_, k) => values[k] >= 3);
      const fails = bests.findIndex(
        (_, i) => !rows.some((x, j) => x && times[j] >= times[i] && times[j] <= times[i] + span),
      );
      if (fails >= 0) expect([finding.verdict, finding.failsSince]).toEqual(['fails', times[fails]]);
      else expect(finding.verdict).not.toBe('fails');
    }),
    { numRuns: 10 },
  );
});

test('the mean of a moving window, the greatest in one and how often something happened, at every row', () => {
  fc.assert(
    fc.property(signals, fc.constantFrom(1, 10, 60), (s, window) => {
      const { times, values } = s;
      const margin = (value: TreeValue, most: number): number => findingOf(tree(limit(value, '<=', most)), s).margin!;
      const start = (k: number): number => times[k] - window;
      // the greatest
      const greatest = times.map((_, k) =>
        Math.max(
          ...values.slice(
            times.findIndex((t) => t >= start(k)),
            k + 1,
          ),
        ),
      );
      expect(margin({ op: 'highest', of: voltage, window, during: undefined }, 7)).toBeCloseTo(
        7 - Math.max(...greatest),
        9,
      );
      // the mean of the straight line between rows
      const area = [0];
      for (let k = 1; k < times.length; k++)
        area.push(area[k - 1] + ((values[k] + values[k - 1]) / 2) * (times[k] - times[k - 1]));
      const areaAt = (t: number): number => {
        if (t <= 0) return 0;
        const j = times.findLastIndex((x) => x <= t);
        if (j === times.length - 1) return area[j];
        const x = values[j] + ((values[j + 1] - values[j]) * (t - times[j])) / (times[j + 1] - times[j]);
        return area[j] + ((values[j] + x) / 2) * (t - times[j]);
      };
      const means = times.map((t, k) => (k === 0 ? values[0] : (area[k] - areaAt(start(k))) / Math.min(window, t)));
      expect(margin({ op: 'average', of: voltage, window, during: undefined }, 9)).toBeCloseTo(
        9 - Math.max(...means),
        6,
      );
      // how often it came above 4
      const happens = values.map((x, k) => x >= 4 && (k === 0 || values[k - 1] < 4));
      const counts = times.map((t, k) => happens.slice(0, k + 1).filter((h, j) => h && times[j] > t - window).length);
      expect(margin({ op: 'count', event: limit(voltage, '>=', 4), window }, 50)).toBeCloseTo(
        50 - Math.max(...counts),
        9,
      );
    }),
    { numRuns: 5 },
  );
});
