import { createMonitor } from './monitor';
import type { TreeNode, TreeSource, TreeValue } from './source';

/** Spans of time end exactly where they end: an event at their edge counts or does not, as the guide says. */

type Row = readonly [time: number, ...values: number[]];
const state: TreeNode = { op: 'state', variable: 0, margin: -1, scale: 1 };
const verdict = (body: TreeNode, rows: readonly Row[], mode: TreeSource['mode'] = 'always'): string => {
  const monitor = createMonitor({ kind: 'tree', mode, body, unit: '1', marginScale: 1 });
  for (const [t, ...values] of rows) monitor.row(t, Float64Array.from(values));
  return monitor.finding(true).verdict;
};
/** The condition holds from `from` to `to`, with rows before and after each change, as the simulator gives them. */
const holdsBetween = (from: number, to: number, end: number): Row[] => [
  [0, from === 0 ? 1 : 0],
  ...(from > 0 ? ([[from, 0]] as Row[]) : []),
  [from, 1],
  [to, 1],
  [to, 0],
  [end, 0],
];
const within = (from: number, to: number): TreeNode => ({ op: 'eventually', from, to, a: state });
const throughout = (from: number, to: number): TreeNode => ({ op: 'always', from, to, a: state });

test('within T: what comes exactly T later is in time, a moment later it is not', () => {
  expect(verdict(within(0, 2), holdsBetween(2, 3, 9), 'start')).toBe('holds');
  expect(verdict(within(0, 2), holdsBetween(2 + 1e-9, 3, 9), 'start')).toBe('fails');
});

test('throughout T: what lasts exactly T has lasted, a moment less has not', () => {
  expect(verdict(throughout(0, 2), holdsBetween(0, 2, 9), 'start')).toBe('holds');
  expect(verdict(throughout(0, 2), holdsBetween(0, 2 - 1e-9, 9), 'start')).toBe('fails');
});

test('between a and b later: the value at its beginning is the one that holds from then on', () => {
  // ends just as the span begins
  expect(verdict(within(1, 2), holdsBetween(0, 1, 9), 'start')).toBe('fails');
  expect(verdict(within(1, 2), holdsBetween(0, 1 + 1e-9, 9), 'start')).toBe('holds');
  // begins just as the span begins, or as it ends
  expect(verdict(throughout(1, 2), holdsBetween(1, 2, 9), 'start')).toBe('holds');
  expect(verdict(throughout(1, 2), holdsBetween(1 + 1e-9, 3, 9), 'start')).toBe('fails');
  expect(verdict(within(1, 2), holdsBetween(2, 3, 9), 'start')).toBe('holds');
});

test('until: what is waited for may come exactly at the end of its time, and what holds up to then may end with it', () => {
  const until = (to: number): TreeNode => ({
    op: 'until',
    to,
    a: { op: 'state', variable: 0, margin: -1, scale: 1 },
    b: { op: 'state', variable: 1, margin: -1, scale: 1 },
  });
  const rows = (t: number): Row[] => [
    [0, 1, 0],
    [t, 1, 0],
    [t, 0, 1],
    [9, 0, 1],
  ];
  expect(verdict(until(2), rows(2), 'start')).toBe('holds');
  expect(verdict(until(2), rows(2 + 1e-9), 'start')).toBe('fails');
  const gap: Row[] = [
    [0, 1, 0],
    [1, 1, 0],
    [1, 0, 0],
    [1.5, 0, 0],
    [1.5, 0, 1],
    [9, 0, 1],
  ];
  expect(verdict(until(2), gap, 'start')).toBe('fails');
});

describe('numbers over the last T', () => {
  const compare = (left: TreeValue, relation: '<=' | '>=', limit: number): TreeNode => ({
    op: 'compare',
    relation,
    left,
    right: { op: 'number', value: limit },
    counts: left.op === 'count',
  });
  const pulses = (...times: number[]): Row[] => [
    [0, 0],
    ...times.flatMap((t): Row[] => [
      [t, 0],
      [t, 1],
      [t + 0.01, 1],
      [t + 0.01, 0],
    ]),
    [9, 0],
  ];
  test('an event exactly T ago is no longer counted', () => {
    const count = compare({ op: 'count', window: 2, event: state }, '<=', 1);
    expect(verdict(count, pulses(1, 3))).toBe('holds');
    expect(verdict(count, pulses(1, 3 - 1e-9))).toBe('fails');
  });
  test('the highest value of the last T reaches back to exactly T ago', () => {
    const signal: TreeValue = { op: 'signal', variable: 0, scale: 1, offset: 0 };
    const high = (limit: number, last: number): string =>
      verdict(
        compare({ op: 'highest', window: 2, during: undefined, of: signal }, '>=', limit),
        [
          [0, 5],
          [last, 1],
        ],
        'end',
      );
    expect(high(5, 2)).toBe('holds');
    expect(high(5, 2 + 1e-9)).toBe('fails');
  });
  test('the value at an event is the one of that very moment, also where the event is the newest row', () => {
    const at: TreeValue = {
      op: 'at',
      event: state,
      of: { op: 'signal', variable: 1, scale: 1, offset: 0 },
    };
    const rows: Row[] = [
      [0, 0, 3],
      [1, 0, 4],
      [1, 1, 7],
    ];
    expect(verdict(compare(at, '>=', 7), rows, 'end')).toBe('holds');
    expect(verdict(compare(at, '<=', 7), rows, 'end')).toBe('holds');
  });
  test('how long something has lasted is measured up to the moment it ends', () => {
    const duration = (limit: number): TreeNode => compare({ op: 'duration', of: state }, '<=', limit);
    expect(verdict(duration(2), holdsBetween(1, 3, 9))).toBe('holds');
    expect(verdict(duration(2 - 1e-9), holdsBetween(1, 3, 9))).toBe('fails');
  });
});
