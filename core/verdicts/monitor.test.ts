import fc from 'fast-check';
import { createMonitor, createWatchers } from './monitor';
import type { MonitorSource, StateSource } from './source';

const invariant: StateSource = {
  kind: 'invariant',
  condition: -1,
  predicate: 0,
  margin: 1,
  marginScale: 10,
  unit: 'rpm',
  within: 0,
  timeUnit: 's',
  timeScale: 1,
};
const response: StateSource = {
  kind: 'response',
  condition: 0,
  predicate: 1,
  margin: -1,
  marginScale: 1,
  unit: 'rpm',
  within: 0.2,
  timeUnit: 'ms',
  timeScale: 1000,
};

/** Feeds rows of [time, ...values]. */
const watch = (source: StateSource, rows: readonly (readonly number[])[]) => {
  const monitor = createMonitor(source);
  // made anew around a copy of what it remembers after every row, it comes to the same
  let other = createMonitor(source);
  for (const [t, ...values] of rows) {
    monitor.row(t, Float64Array.from(values));
    other.row(t, Float64Array.from(values));
    other = createMonitor(source, undefined, structuredClone(other.state));
  }
  expect(other.finding()).toEqual(monitor.finding());
  return monitor.finding();
};

test('an invariant: worst margin with its time, first failure, lane', () => {
  expect(
    watch(invariant, [
      [0, 1, 5],
      [1, 1, 2],
      [2, 1, 4],
    ]),
  ).toMatchObject({ verdict: 'holds', margin: 20, worstAt: 1, failsSince: undefined, unit: 'rpm' });
  const failing = watch(invariant, [
    [0, 1, 5],
    [1, 0, -1],
    [2, 0, -3],
    [3, 1, 1],
  ]);
  expect(failing).toMatchObject({ verdict: 'fails', margin: -30, worstAt: 2, failsSince: 1 });
  expect(failing.lane).toEqual([
    { from: 0, status: 'good' },
    { from: 1, status: 'bad' },
    { from: 3, status: 'good' },
  ]);
});

test('a condition that never held leaves it undecided', () => {
  expect(
    watch({ ...invariant, condition: 2 }, [
      [0, 0, -5, 0],
      [1, 0, -5, 0],
    ]),
  ).toMatchObject({ verdict: 'undecided', margin: undefined });
  expect(
    watch({ ...invariant, condition: 2 }, [
      [0, 0, -5, 0],
      [1, 1, 2, 1],
    ]),
  ).toMatchObject({ verdict: 'holds', margin: 20 });
});

test('a response in time, too late, and not by the end of the run', () => {
  expect(
    watch(response, [
      [0, 0, 0],
      [1, 1, 0],
      [1.05, 1, 1],
      [2, 0, 1],
    ]),
  ).toMatchObject({ verdict: 'holds', failsSince: undefined, reason: 'Tested 1 time' });
  expect(
    watch(response, [
      [0, 0, 0],
      [1, 1, 0],
      [1.05, 1, 1],
    ]).margin,
  ).toBeCloseTo(150, 9);
  const late = watch(response, [
    [0, 0, 0],
    [1, 1, 0],
    [1.3, 1, 1],
    [2, 0, 1],
  ]);
  expect(late.verdict).toBe('fails');
  expect(late.failsSince).toBeCloseTo(1.2, 12);
  expect(late.margin).toBeCloseTo(-100, 9);
  expect(
    watch(response, [
      [0, 0, 0],
      [1, 1, 0],
      [1.1, 1, 0],
    ]),
  ).toMatchObject({ verdict: 'undecided', reason: 'The run ended before the time was up' });
  expect(
    watch(response, [
      [0, 0, 0],
      [1, 1, 0],
      [1.5, 1, 0],
    ]),
  ).toMatchObject({ verdict: 'fails', reason: 'It had not happened by the end of the run' });
  expect(
    watch(response, [
      [0, 0, 0],
      [1, 0, 1],
    ]),
  ).toMatchObject({ verdict: 'undecided', reason: 'What it waits for never happened in this run' });
});

test('only the rising edge starts the clock, and every one is tested', () => {
  const rows = [
    [0, 0, 0],
    [1, 1, 0],
    [1.1, 1, 1],
    [1.5, 1, 0],
    [2, 0, 0],
    [3, 1, 0],
    [3.1, 1, 1],
  ];
  expect(watch(response, rows)).toMatchObject({ verdict: 'holds', reason: 'Tested 2 times' });
});

test('the verdict of an invariant is that of all rows, the margin their least', () => {
  fc.assert(
    fc.property(fc.array(fc.double({ min: -5, max: 5, noNaN: true }), { minLength: 1, maxLength: 60 }), (margins) => {
      const finding = watch(
        invariant,
        margins.map((x, t) => [t, x >= 0 ? 1 : 0, x]),
      );
      expect(finding.verdict).toBe(margins.some((x) => x < 0) ? 'fails' : 'holds');
      expect(finding.margin).toBeCloseTo(Math.min(...margins) * 10, 9);
    }),
  );
});

test('rows between events may be passed over where what is watched rests: the findings are the same', () => {
  const step = fc.record({
    event: fc.boolean(),
    condition: fc.nat(1),
    predicate: fc.nat(1),
    margin: fc.integer({ min: -9, max: 9 }),
  });
  const sources = (['invariant', 'response', 'hold'] as const).flatMap((kind): StateSource[] =>
    [-1, 2].map((margin) => ({ ...response, kind, margin, within: 1.5 })),
  );
  const together: MonitorSource[] = [
    ...sources,
    { kind: 'all', sources: sources.slice(0, 2) },
    { kind: 'all', sources: [sources[0], sources[2]] },
  ];
  fc.assert(
    fc.property(
      fc.subarray(together, { minLength: 1 }),
      fc.subarray([0, 1]),
      fc.array(step, { maxLength: 40 }),
      (chosen, resting, steps) => {
        const rests = (variable: number): boolean => resting.includes(variable);
        const every = chosen.map((source) => createMonitor(source));
        const some = chosen.map((source) => createMonitor(source, rests));
        const watchers = createWatchers(some);
        let [condition, predicate] = [0, 0];
        steps.forEach((s, k) => {
          const changes = (variable: number): boolean => s.event || !rests(variable);
          if (changes(response.condition)) ({ condition } = s);
          if (changes(response.predicate)) ({ predicate } = s);
          const values = Float64Array.of(condition, predicate, s.margin);
          for (const m of every) m.row(k, values);
          watchers.row(k, values, k > 0 && !s.event);
        });
        expect(some.map((m) => m.finding(true))).toEqual(every.map((m) => m.finding(true)));
      },
    ),
    { numRuns: 400 },
  );
});
