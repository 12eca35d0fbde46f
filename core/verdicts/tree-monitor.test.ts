import fc from 'fast-check';
import { createMonitor } from './monitor';
import type { MonitorSource, TreeNode, TreeValue } from './source';
import { limit, signal, tree } from '../testing/trees';

type Row = readonly [time: number, ...values: number[]];
const watch = (source: MonitorSource, rows: readonly Row[], finished = true) => {
  const monitor = createMonitor(source);
  // made anew around a copy of what it remembers, after every row at first and then now and then, it comes to the same
  let other = createMonitor(source);
  for (const [k, [t, ...values]] of rows.entries()) {
    monitor.row(t, Float64Array.from(values));
    other.row(t, Float64Array.from(values));
    if (k < 12 || k % 7 === 0) other = createMonitor(source, undefined, structuredClone(other.state));
  }
  expect(other.finding(finished)).toEqual(monitor.finding(finished));
  expect(structuredClone(other.state)).toEqual(structuredClone(monitor.state));
  return monitor.finding(finished);
};
const state = (variable: number, margin = -1): TreeNode => ({ op: 'state', variable, margin, scale: 1 });
const number = (value: number): TreeValue => ({ op: 'number', value });
const atMost = (left: TreeValue, value: number): TreeNode => limit(left, '<=', value);

/** The definition itself, over rows: a condition keeps its value up to the next row. */
function holds(node: TreeNode, rows: readonly Row[], i: number): boolean {
  const t = rows[i][0];
  switch (node.op) {
    case 'state':
      return rows[i][node.variable + 1] !== 0;
    case 'not':
      return !holds(node.a, rows, i);
    case 'and':
      return holds(node.a, rows, i) && holds(node.b, rows, i);
    case 'or':
      return holds(node.a, rows, i) || holds(node.b, rows, i);
    case 'implies':
      return !holds(node.a, rows, i) || holds(node.b, rows, i);
    case 'rising':
      return holds(node.a, rows, i) && (i === 0 || !holds(node.a, rows, i - 1));
    case 'eventually':
    case 'always': {
      // the value at the beginning of the span is the one that holds from then on
      const begin = node.from === 0 ? i : rows.findLastIndex((row, j) => j >= i && row[0] <= t + node.from);
      const ends = (at: number): boolean =>
        node.op === 'always' && node.to > 0 ? at < t + node.to : at <= t + node.to;
      const inside = rows.map((_, j) => j).filter((j) => j === begin || (j > begin && ends(rows[j][0])));
      return node.op === 'always'
        ? inside.every((j) => holds(node.a, rows, j))
        : inside.some((j) => holds(node.a, rows, j));
    }
    case 'until': {
      for (let j = i; j < rows.length && rows[j][0] <= t + node.to; j++) {
        if (holds(node.b, rows, j)) return true;
        if (!holds(node.a, rows, j)) return false;
      }
      return false;
    }
    default:
      throw new Error(node.op);
  }
}

/** Rows in quarter seconds, so that spans of time end exactly at rows too; then a long quiet end. */
const traces = fc
  .array(fc.record({ gap: fc.integer({ min: 0, max: 3 }), a: fc.boolean(), b: fc.boolean() }), {
    minLength: 3,
    maxLength: 30,
  })
  .map((list) => {
    let t = 0;
    const rows: Row[] = [];
    for (const { gap, a, b } of list) {
      t += gap / 4;
      const last = rows.at(-1);
      if (last && gap > 0) rows.push([t, last[1], last[2]]);
      rows.push([t, Number(a), Number(b)]);
    }
    for (let k = 1; k <= 60; k++) rows.push([t + k / 4, 0, 0]);
    return { rows, end: t };
  });
const spans = fc
  .tuple(fc.integer({ min: 0, max: 4 }), fc.integer({ min: 0, max: 6 }))
  .map(([from, more]) => ({ from: from / 4, to: (from + more) / 4 }));
const formulas = fc.letrec<{ f: TreeNode }>((tie) => ({
  f: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    fc.constantFrom<TreeNode>(state(0), state(1)),
    tie('f').map((a): TreeNode => ({ op: 'not', a })),
    fc.constantFrom<TreeNode>({ op: 'rising', a: state(0) }, { op: 'rising', a: state(1) }),
    fc
      .tuple(fc.constantFrom('and' as const, 'or' as const, 'implies' as const), tie('f'), tie('f'))
      .map(([op, a, b]): TreeNode => ({ op, a, b })),
    fc
      .tuple(fc.constantFrom('always' as const, 'eventually' as const), spans, tie('f'))
      .map(([op, span, a]): TreeNode => ({ op, ...span, a })),
    fc
      .tuple(spans, fc.constantFrom(state(0), state(1)), tie('f'))
      .map(([{ to }, a, b]): TreeNode => ({ op: 'until', to, a, b })),
  ),
})).f;

test('online, row by row, any formula gets the verdict of its definition', () => {
  fc.assert(
    fc.property(formulas, traces, (body, { rows }) => {
      const lane = watch(tree(body, 'always'), rows).lane;
      const monitor = createMonitor(tree(body, 'always'));
      for (const [t, ...values] of rows) monitor.row(t, Float64Array.from(values));
      const shown = monitor.finding(true).failsSince;
      const first = rows.findIndex((_, i) => !holds(body, rows, i));
      // near the end the definition over a cut trace and the open verdict differ; nested spans reach at most 12 s
      if (first >= 0 && rows[first][0] < rows.at(-1)![0] - 14) expect(shown).toBe(rows[first][0]);
      else if (first < 0) expect(shown).toBeUndefined();
      expect(lane.length).toBeGreaterThan(0);
    }),
    { numRuns: 300 },
  );
});

test('a response says the same as the formula it stands for', () => {
  fc.assert(
    fc.property(traces, fc.integer({ min: 0, max: 8 }), ({ rows }, quarters) => {
      const within = quarters / 4;
      const special = watch(
        {
          kind: 'response',
          condition: 0,
          predicate: 1,
          margin: -1,
          marginScale: 1,
          unit: '',
          within,
          timeUnit: 's',
          timeScale: 1,
        },
        rows,
      );
      const general = watch(
        tree({
          op: 'implies',
          a: { op: 'rising', a: state(0) },
          b: { op: 'eventually', from: 0, to: within, a: state(1) },
        }),
        rows,
      );
      expect(special.verdict).toBe(general.verdict);
    }),
    { numRuns: 200 },
  );
});

test('something that must last says the same as the formula it stands for', () => {
  fc.assert(
    fc.property(traces, fc.integer({ min: 0, max: 8 }), ({ rows }, quarters) => {
      const within = quarters / 4;
      const source = (kind: 'hold'): MonitorSource => ({
        kind,
        condition: 0,
        predicate: 1,
        margin: -1,
        marginScale: 1,
        unit: '',
        within,
        timeUnit: 's',
        timeScale: 1,
      });
      const special = watch(source('hold'), rows);
      const general = watch(
        tree({
          op: 'implies',
          a: { op: 'rising', a: state(0) },
          b: { op: 'always', from: 0, to: within, a: state(1) },
        }),
        rows,
      );
      expect(special.verdict).toBe(general.verdict);
    }),
    { numRuns: 200 },
  );
});

test('what lasts exactly as long as asked has lasted; one step less has not', () => {
  const lasting = (until: number) =>
    watch(tree({ op: 'implies', a: { op: 'rising', a: state(0) }, b: { op: 'always', from: 0, to: 1, a: state(1) } }), [
      [0, 0, 0],
      [1, 0, 0],
      [1, 1, 1],
      [until, 1, 1],
      [until, 1, 0],
      [9, 1, 0],
    ]);
  expect(lasting(2).verdict).toBe('holds');
  expect(lasting(1.999).verdict).toBe('fails');
});

test('the margin in a moving window is the greatest or least of a straight line between rows', () => {
  // x falls from 10 at 1 per second; within 2.5 s it must come below 8
  const rows: Row[] = Array.from({ length: 21 }, (_, k) => [
    k / 2,
    Number(10 - k / 2 < 8),
    8 - (10 - k / 2),
    Number(k === 2),
  ]);
  const finding = watch(
    tree({
      op: 'implies',
      a: { op: 'rising', a: state(2) },
      b: { op: 'eventually', from: 0, to: 2.25, a: state(0, 1) },
    }),
    rows,
  );
  expect(finding).toMatchObject({ verdict: 'holds', worstAt: 1, reason: 'Tested 1 time' });
  expect(finding.margin).toBeCloseTo(1.25, 12);
});

describe('a run that ends early', () => {
  const body: TreeNode = {
    op: 'implies',
    a: { op: 'rising', a: state(0) },
    b: { op: 'eventually', from: 0, to: 2, a: state(1) },
  };
  test('leaves open what still could happen', () => {
    expect(
      watch(tree(body), [
        [0, 0, 0],
        [1, 1, 0],
        [2, 1, 0],
      ]),
    ).toMatchObject({
      verdict: 'undecided',
      reason: 'The run ended before the time was up',
      lane: [
        { from: 0, status: 'idle' },
        { from: 1, status: 'waiting' },
      ],
    });
  });
  test('fails at once where nothing can help any more', () => {
    expect(
      watch(tree({ op: 'implies', a: state(0), b: { op: 'always', from: 0, to: 5, a: state(1) } }), [
        [0, 1, 1],
        [1, 1, 0],
      ]),
    ).toMatchObject({ verdict: 'fails', failsSince: 0 });
  });
  test('is undecided where the condition never held', () => {
    expect(
      watch(tree(body), [
        [0, 0, 0],
        [9, 0, 0],
      ]),
    ).toMatchObject({ verdict: 'undecided', reason: 'Its condition never held in this run' });
  });
  test('eventually: holds once seen, fails at the end only', () => {
    expect(
      watch(
        tree(state(0), 'eventually'),
        [
          [0, 0],
          [1, 0],
        ],
        false,
      ).verdict,
    ).toBe('undecided');
    expect(
      watch(tree(state(0), 'eventually'), [
        [0, 0],
        [1, 0],
      ]),
    ).toMatchObject({ verdict: 'fails', reason: 'It never happened in this run' });
    expect(
      watch(
        tree(state(0), 'eventually'),
        [
          [0, 0],
          [1, 1],
        ],
        false,
      ).verdict,
    ).toBe('holds');
  });
  test('from the start', () => {
    const soon: TreeNode = { op: 'eventually', from: 0, to: 2, a: state(0) };
    expect(
      watch(tree(soon, 'start'), [
        [0, 0],
        [1, 0],
      ]).verdict,
    ).toBe('undecided');
    expect(
      watch(tree(soon, 'start'), [
        [0, 0],
        [1, 1],
        [4, 0],
      ]).verdict,
    ).toBe('holds');
    expect(
      watch(tree(soon, 'start'), [
        [0, 0],
        [1, 0],
        [4, 1],
      ]).verdict,
    ).toBe('fails');
  });
});

describe('values over time against closed forms', () => {
  const line: Row[] = Array.from({ length: 101 }, (_, k) => [k / 10, k / 10, 1]);
  const end = (left: TreeValue, limit = 0) => watch(tree(atMost(left, limit), 'end'), line).margin;
  test('mean and rms of a ramp: T/2 and T/sqrt(3)', () => {
    expect(-end({ op: 'average', window: Infinity, during: undefined, of: signal(0) })!).toBeCloseTo(5, 12);
    expect(-end({ op: 'rms', window: Infinity, during: undefined, of: signal(0) })!).toBeCloseTo(10 / Math.sqrt(3), 12);
  });
  test('of the last 2.05 s only, which begins between two rows', () => {
    expect(-end({ op: 'average', window: 2.05, during: undefined, of: signal(0) })!).toBeCloseTo(8.975, 12);
    expect(-end({ op: 'average', window: 2, during: undefined, of: signal(0) })!).toBeCloseTo(9, 12);
    expect(-end({ op: 'lowest', window: 2, during: undefined, of: signal(0) })!).toBeCloseTo(8, 12);
    expect(
      -end({ op: 'highest', window: Infinity, during: undefined, of: { op: 'negate', a: signal(0) } })!,
    ).toBeCloseTo(0, 12);
  });
  test('while a condition holds', () => {
    const rows: Row[] = [
      [0, 2, 1],
      [1, 2, 1],
      [1, 2, 0],
      [3, 50, 0],
      [3, 4, 1],
      [5, 6, 1],
    ];
    const finding = watch(
      tree(atMost({ op: 'average', window: Infinity, during: state(1), of: signal(0) }, 5), 'end'),
      rows,
    );
    expect(finding.margin).toBeCloseTo(5 - (2 * 1 + 5 * 2) / 3, 12);
  });
  test('counts and rates', () => {
    const rows: Row[] = [
      [0, 0],
      [1, 1],
      [1.5, 0],
      [2, 1],
      [3, 0],
      [9, 1],
      [10, 0],
    ];
    const count = (window: number): TreeNode => ({
      op: 'compare',
      relation: '<=',
      left: { op: 'count', window, event: state(0) },
      right: number(2),
      counts: true,
    });
    expect(watch(tree(count(Infinity)), rows)).toMatchObject({ verdict: 'fails', failsSince: 9, margin: -1 });
    expect(watch(tree(count(5)), rows)).toMatchObject({ verdict: 'holds', margin: 0 });
    expect(
      watch(
        tree(
          { op: 'compare', relation: '>=', left: { op: 'rate', event: state(0) }, right: number(0.3), counts: false },
          'end',
        ),
        rows,
      ),
    ).toMatchObject({ verdict: 'holds' });
  });
  test('duration, value at an event, time since an event', () => {
    const rows: Row[] = [
      [0, 0, 1],
      [1, 1, 2],
      [2, 1, 3],
      [3, 0, 9],
      [4, 1, 4],
      [5, 1, 8],
    ];
    const long = watch(
      tree({
        op: 'compare',
        relation: '<=',
        left: { op: 'duration', of: state(0) },
        right: number(1.5),
        counts: false,
      }),
      rows,
    );
    expect(long).toMatchObject({ verdict: 'fails', failsSince: 3, margin: -0.5 });
    const rise = watch(
      tree(atMost({ op: '-', a: signal(1), b: { op: 'at', event: state(0), of: signal(1) } }, 6)),
      rows,
    );
    expect(rise).toMatchObject({ verdict: 'fails', failsSince: 3, margin: -1 });
    const settled = watch(
      tree({ op: 'implies', a: { op: 'after', seconds: 1, a: state(0) }, b: atMost(signal(1), 8) }),
      rows,
    );
    expect(settled).toMatchObject({ verdict: 'fails', failsSince: 3 });
  });
});

test('several limits in one: the worst verdict counts', () => {
  const source: MonitorSource = { kind: 'all', sources: [tree(state(0)), tree(atMost(signal(1), 5), 'end')] };
  expect(
    watch(source, [
      [0, 1, 3],
      [1, 1, 4],
    ]),
  ).toMatchObject({ verdict: 'holds', margin: 1 });
  expect(
    watch(source, [
      [0, 1, 3],
      [1, 0, 4],
    ]),
  ).toMatchObject({ verdict: 'fails', failsSince: 1 });
  expect(
    watch(
      source,
      [
        [0, 1, 3],
        [1, 1, 4],
      ],
      false,
    ),
  ).toMatchObject({ verdict: 'undecided' });
});

test('the margin of a limit under a condition is the least while the condition holds; what is beyond it otherwise does not count', () => {
  const rows = fc.array(fc.tuple(fc.boolean(), fc.integer({ min: -20, max: 20 })), { minLength: 1, maxLength: 30 });
  fc.assert(
    fc.property(rows, (list) => {
      const all = list.map(([on, x], k): Row => [k / 4, Number(on), x]);
      const counted = all.filter(([, on]) => on === 1);
      const found = watch(tree({ op: 'implies', a: state(0), b: atMost(signal(1), 5) }), all);
      if (counted.length === 0) {
        expect(found).toMatchObject({ verdict: 'undecided', reason: 'Its condition never held in this run' });
        return;
      }
      const least = Math.min(...counted.map(([, , x]) => 5 - x));
      expect(found.margin).toBe(least);
      expect(found.worstAt).toBe(counted.find(([, , x]) => 5 - x === least)![0]);
      expect(found.verdict).toBe(least >= 0 ? 'holds' : 'fails');
      expect(found.failsSince).toBe(counted.find(([, , x]) => x > 5)?.[0]);
    }),
    { numRuns: 300 },
  );
});
