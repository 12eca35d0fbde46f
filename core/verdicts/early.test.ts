import fc from 'fast-check';
import { createMonitor } from './monitor';
import type { TreeNode } from './source';

/** What is said before the end of a run is never taken back. */

const state = (variable: number): TreeNode => ({ op: 'state', variable, margin: -1, scale: 1 });
const seconds = fc.constantFrom(0.5, 1, 2);
const formulas: fc.Arbitrary<TreeNode> = fc.letrec<{ node: TreeNode }>((tie) => ({
  node: fc.oneof(
    { maxDepth: 3, depthSize: 'small' },
    fc.constantFrom(state(0), state(1)),
    tie('node').map((a): TreeNode => ({ op: 'not', a })),
    fc
      .tuple(fc.constantFrom('and', 'or', 'implies'), tie('node'), tie('node'))
      .map(([op, a, b]) => ({ op, a, b }) as TreeNode),
    fc
      .tuple(fc.constantFrom('always', 'eventually'), fc.constantFrom(0, 0.5), seconds, tie('node'))
      .map(([op, from, to, a]) => ({ op, from, to: from + to, a }) as TreeNode),
    fc.tuple(seconds, tie('node'), tie('node')).map(([to, a, b]): TreeNode => ({ op: 'until', to, a, b })),
    fc
      .tuple(fc.constantFrom('rising', 'falling'), fc.constantFrom(state(0), state(1)))
      .map(([op, a]) => ({ op, a }) as TreeNode),
  ),
})).node;
const traces = fc.array(fc.record({ gap: fc.constantFrom(0.25, 0.5, 1), a: fc.boolean(), b: fc.boolean() }), {
  minLength: 4,
  maxLength: 14,
});

/** The verdict after each row, and at the end of the run after a quiet while. */
function verdicts(body: TreeNode, mode: 'start' | 'always', trace: readonly { gap: number; a: boolean; b: boolean }[]) {
  const monitor = createMonitor({ kind: 'tree', mode, body, unit: '1', marginScale: 1 });
  let t = 0;
  let values = Float64Array.of(0, 0);
  const early: string[] = [];
  for (const { gap, a, b } of trace) {
    // rows come in pairs where something changes, as the simulator gives them
    if (t > 0) monitor.row(t, values);
    values = Float64Array.of(Number(a), Number(b));
    monitor.row(t, values);
    early.push(monitor.finding(false).verdict);
    t += gap;
  }
  for (let k = 0; k < 20; k++) monitor.row((t += 0.5), values);
  return { early, end: monitor.finding(true).verdict };
}

test('a formula that must hold at every moment: once it fails, it has failed', () => {
  let failures = 0;
  fc.assert(
    fc.property(formulas, traces, (body, trace) => {
      const { early, end } = verdicts(body, 'always', trace);
      const first = early.indexOf('fails');
      if (first < 0) return;
      failures++;
      expect(early.slice(first).every((v) => v === 'fails')).toBe(true);
      expect(end).toBe('fails');
    }),
    { numRuns: 600 },
  );
  expect(failures).toBeGreaterThan(50);
});

test('a formula that counts from the start: what is decided stays decided', () => {
  const decided = { holds: 0, fails: 0 };
  fc.assert(
    fc.property(formulas, traces, (body, trace) => {
      const { early, end } = verdicts(body, 'start', trace);
      const first = early.findIndex((v) => v !== 'undecided');
      if (first < 0) return;
      decided[early[first] as 'holds' | 'fails']++;
      expect([...new Set([...early.slice(first), end])]).toEqual([early[first]]);
    }),
    { numRuns: 600 },
  );
  expect(Math.min(decided.holds, decided.fails)).toBeGreaterThan(30);
});

test('asking in between changes nothing', () => {
  fc.assert(
    fc.property(formulas, traces, fc.constantFrom('start', 'always'), (body, trace, mode) => {
      const asked = verdicts(body, mode as 'start' | 'always', trace).end;
      const monitor = createMonitor({
        kind: 'tree',
        mode: mode as 'start' | 'always',
        body,
        unit: '1',
        marginScale: 1,
      });
      let t = 0;
      let values = Float64Array.of(0, 0);
      for (const { gap, a, b } of trace) {
        if (t > 0) monitor.row(t, values);
        values = Float64Array.of(Number(a), Number(b));
        monitor.row(t, values);
        t += gap;
      }
      for (let k = 0; k < 20; k++) monitor.row((t += 0.5), values);
      expect(monitor.finding(true).verdict).toBe(asked);
    }),
    { numRuns: 200 },
  );
});
