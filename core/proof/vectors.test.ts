import { compiledHere } from '@/cli/compiled';
import {
  emptyProject,
  newCase,
  newPart,
  newSetup,
  newType,
  newVector,
  type Project,
  type TestCase,
  type Vector,
} from '../project/project';
import { prepareRun } from '../run/prepare';
import { createRun, isRunnable } from '../run/run';
import { triedRun } from '../run/tried';
import { chart, quantity, state, transition } from '../testing/run-project';
import type { StageText } from '../stepcode/stage';
import { runCase } from './run-case';

/** A lag of 0.1 s behind its input; a counter in steps of 10 ms that doubles what it is given. */
const project: Project = {
  ...emptyProject('p', 'P'),
  root: 'top',
  types: [
    {
      ...newType('top', 'Top'),
      parts: [newPart('a', 'lag', 'lag'), newPart('b', 'ctrl', 'ctrl')],
      quantities: [quantity('load', '0', { role: 'parameter', unit: 'N' })],
    },
    {
      ...newType('lag', 'Lag'),
      quantities: [
        quantity('u', '0', { role: 'parameter', unit: 'V' }),
        quantity('y', '0', { role: 'output', unit: 'V' }),
      ],
      physics: "equation 0.1 's'*der(y) = u - y;",
    },
    {
      ...newType('ctrl', 'Ctrl'),
      software: "0.01 's'",
      quantities: [
        quantity('x', '', { role: 'input', unit: 'V' }),
        quantity('twice', '0', { role: 'output', unit: 'V' }),
        quantity('count', '0', { role: 'output', type: 'Integer' }),
        quantity('level', '0', { role: 'output' }),
      ],
      physics: 'equation twice = 2*x;',
      charts: [
        chart(
          'mode',
          [state('Idle'), state('Busy')],
          [
            transition('Idle', 'Busy', 'message go(by)', { effect: 'count := count + 1; level := by;' }),
            transition('Busy', 'Idle', 'message halt'),
          ],
        ),
      ],
      ports: [{ id: 'i', name: 'in', accepts: ['go', 'halt'], sends: [], note: '' }],
    },
  ],
  setups: [{ ...newSetup('s', 'S'), stop: 1, relative: 1e-9, absolute: 1e-12 }],
};

type Row = readonly [time: number, ...cells: string[]];
const of = (vectors: readonly Vector[], rows: readonly Row[], more: Partial<TestCase> = {}): TestCase => ({
  ...newCase('k', 'K'),
  vectors,
  rows: rows.map(([time, ...cells]) => ({
    time,
    cells: cells.map((value, k) => ({ column: vectors[k].id, value })),
  })),
  ...more,
});
const column = (id: string, way: Vector['way'], target: string, more: Partial<Vector> = {}): Vector => ({
  ...newVector(id, way, target),
  ...more,
});
const run = (c: TestCase, stage?: StageText) => runCase(project, c, { stage, compiledSteps: compiledHere });
const u = column('u', 'set', 'lag.u');
const y = (more: Partial<Vector> = {}) => column('y', 'expect', 'lag.y', { relative: 0, ...more });

test('a step into a lag comes out as it is known, and is over with its last row', () => {
  const at = (t: number): string => `${2 * (1 - Math.exp(-t / 0.1))}`;
  const rows: Row[] = [
    [0, '', '0'],
    [0.05, "2000 'mV'", '0'],
    [0.1, '', at(0.05)],
    [0.25, '', `${at(0.2)} 'V'`],
    [0.45, '0', at(0.4)],
  ];
  const done = run(of([u, y({ absolute: 1e-6 })], rows));
  expect([done.verdict, done.why]).toEqual(['passed', '']);
  expect(done.time).toBeCloseTo(0.45, 9);
  expect(done.vectors!.values.map((v) => v.status)).toEqual(Array(5).fill('held'));
  // no nearer than it is
  expect(run(of([u, y({ absolute: 1e-15 })], rows)).verdict).toBe('failed');
  const off = run(of([u, y({ absolute: 1e-6 })], [...rows.slice(0, 3), [0.25, '', '1.7'], [0.3, '', '0.5']]));
  expect(off).toMatchObject({ verdict: 'failed', failedAt: 0.25 });
  expect(off.why).toBe('row 4, 0.25 s: lag.y was 1.7293 V, 1.7 V within 0.000001 was expected (and 1 more)');
  expect(off.worst).toMatchObject({ target: 'lag.y', time: 0.3, expected: 0.5, unit: 'V' });
});

test('a value may be relative, earlier or later; what comes only outside of the span has not come', () => {
  // 1.5 V after 0.1386 s
  const rows: Row[] = [
    [0, '2', ''],
    [0.15, '', '1.5'],
  ];
  expect(run(of([u, y({ absolute: 0.01 })], rows)).verdict).toBe('failed');
  const spanned = run(of([u, y({ absolute: 0.01, late: 0.02 })], rows));
  expect(spanned.verdict).toBe('passed');
  expect(spanned.vectors!.values[0].at).toBeCloseTo(0.1386, 2);
  expect(run(of([u, y({ absolute: 0.01, late: 0.005 })], rows)).verdict).toBe('failed');
  const later = run(of([u, y({ absolute: 0.01, late: 0.02 })], [rows[0], [0.12, '', '1.5']]));
  expect(later.verdict).toBe('passed');
  // a case is over only when the span is
  expect(run(of([u, y({ absolute: 0.01, late: 0.05 })], [rows[0], [0.0001, '', '1.5']])).time).toBeCloseTo(0.0501, 6);
  expect(run(of([u, y({ relative: 0.04 })], rows)).verdict).toBe('passed');
  expect(run(of([u, y({ relative: 0.03 })], rows)).verdict).toBe('failed');
});

test.each<StageText | undefined>([undefined, 'sampled', 'code', 'host', 'board:larch8'])(
  'what a row gives is there for the step of its moment, and expected after it: alone, %s',
  (stage) => {
    const c = of(
      [
        column('x', 'set', 'x'),
        column('g', 'send', 'go'),
        column('h', 'send', 'halt'),
        column('t', 'expect', 'twice'),
        column('n', 'expect', 'count'),
        column('m', 'expect', 'in(mode.Busy)'),
        column('l', 'expect', 'level'),
      ],
      [
        [0, '0', '', '', '0', '0', 'false', '0'],
        [0.01, '1.5', 'by = 3', '', '3', '1', 'true', '3'],
        [0.02, '-4', '', 'x', '-8', '1', 'false', '3'],
        [0.03, '', 'by = 7', '', '-8', '2', 'true', '7'],
        [0.05, '', '', '1', '-8', '2', 'false', ''],
      ],
      { alone: 'ctrl' },
    );
    const done = run(c, stage);
    if (stage === 'board:larch8' && done.why.includes('not available here: install')) return;
    // on a board outputs come once the step is done
    const ahead =
      stage === 'board:larch8' ? c.vectors.map((v) => (v.way === 'expect' ? { ...v, late: 0.004 } : v)) : c.vectors;
    const again = stage === 'board:larch8' ? run({ ...c, vectors: ahead }, stage) : done;
    expect([again.verdict, again.why]).toEqual(['passed', '']);
    expect(again.vectors!.values).toHaveLength(19);
  },
);

test('lines and a table go together; each can fail, and both have to be through', () => {
  const table = {
    vectors: [u, y({ absolute: 1e-3 })],
    rows: of(
      [u, y()],
      [
        [0.2, '1', '0'],
        [0.6, '', '0.98168'],
      ],
    ).rows,
  };
  const both = run({ ...newCase('k', 'K'), ...table, script: 'wait until lag.y > 0.5 within 0.5 s' });
  expect([both.verdict, both.why, both.time]).toEqual(['passed', '', expect.closeTo(0.6, 9)]);
  const lines = run({ ...newCase('k', 'K'), ...table, script: 'wait 0.8 s\nexpect lag.y > 2' });
  expect(lines).toMatchObject({ verdict: 'failed', time: 0.8, why: expect.stringMatching(/^line 2: lag.y > 2/) });
});

test('a table that the run does not reach the end of has failed', () => {
  const done = run(
    of(
      [u, y({ absolute: 1 })],
      [
        [0, '1', ''],
        [1.5, '', '1'],
      ],
    ),
  );
  expect(done).toMatchObject({ verdict: 'failed', time: 1 });
  expect(done.why).toBe('row 2, 1.5 s: lag.y the run ended before, 1 V within 1 was expected');
});

test('what a table says that cannot be is told at its place', () => {
  const c: TestCase = {
    ...newCase('k', 'K'),
    vectors: [
      column('a', 'set', 'lag.w'),
      column('b', 'set', 'lag.y'),
      column('c', 'send', 'ctrl.gone'),
      column('d', 'expect', 'lag.y +'),
      column('e', 'expect', 'lag.z'),
      column('f', 'set', 'lag.u'),
      column('g', 'send', 'ctrl.halt'),
      column('h', 'expect', 'ctrl.count'),
    ],
    rows: [
      {
        time: 0.2,
        cells: [
          { column: 'f', value: "3 's'" },
          { column: 'g', value: 'often' },
        ],
      },
      {
        time: 0.1,
        cells: [
          { column: 'zz', value: '1' },
          { column: 'f', value: 'many' },
        ],
      },
      {
        time: 0.1,
        cells: [
          { column: 'h', value: '1' },
          { column: 'h', value: '2' },
        ],
      },
    ],
  };
  const { verdict, problems } = run(c);
  expect(verdict).toBe('not run');
  const told = problems.map((p) => `${p.severity} ${p.place?.replace('case/k/', '')}: ${p.message}`);
  expect(told).toEqual(
    expect.arrayContaining([
      expect.stringMatching(/^error vector\/a\/target: .*no lag\.w/),
      expect.stringMatching(/^error vector\/b\/target: lag\.y follows from the equations and cannot be set/),
      expect.stringMatching(/^error vector\/c\/target: Nothing in ctrl waits for gone/),
      expect.stringMatching(/^error vector\/d\/target: /),
      expect.stringMatching(/^error vector\/e\/target: .*z/),
      expect.stringMatching(/^error rows\/0\/cells\/0\/value: .*lag\.u/),
      expect.stringMatching(/^error rows\/0\/cells\/1\/value: often does not say how often it is sent/),
      expect.stringMatching(/^error rows\/1\/time: Row 2 is at 0.1 s, after one at 0.2 s: times go up/),
      expect.stringMatching(/^error rows\/1\/cells\/1\/value: /),
      expect.stringMatching(/^error rows\/2\/time: Two rows are at 0.1 s/),
      expect.stringMatching(/^error rows\/2\/cells\/1: Row 3 has two values of ctrl.count/),
      expect.stringMatching(/^warning rows: A value is of no column that is there/),
      expect.stringMatching(/^warning vector\/a\/target: lag.w has no value in any row: nothing is given to it/),
    ]),
  );
});

test('a run goes on from any moment of its table as it went', () => {
  const c = of(
    [
      u,
      y({ absolute: 0.02, late: 0.03 }),
      column('g', 'send', 'ctrl.go'),
      column('h', 'send', 'ctrl.halt'),
      column('n', 'expect', 'ctrl.count'),
    ],
    [
      [0.1, '1', '0', 'by = 1', '', '1'],
      [0.2, '2', '0.63', '', 'x', ''],
      [0.4, '0', '1.8', '', '', ''],
      [0.5, '', '1.2', '', '', '1'],
    ],
  );
  const asked = triedRun(project, c);
  if ('message' in asked) throw new Error(asked.message);
  const prepared = prepareRun(asked.project, asked.setup, undefined, undefined, undefined, asked.tried);
  if (!isRunnable(prepared)) throw new Error(prepared.problems[0].message);
  const wanted = ['held', 'held', 'held', 'held', 'failed', 'held'];
  const whole = createRun(prepared);
  whole.simulation.advance(Infinity);
  expect(whole.vectors()!.values.map((v) => v.status)).toEqual(wanted);
  for (const moment of [0.05, 0.1, 0.18, 0.2, 0.21, 0.39, 0.49]) {
    const first = createRun(prepared);
    first.simulation.advance(moment);
    const { state: kept } = first.keep();
    const again = createRun(prepared, { from: { state: kept } });
    again.simulation.advance(Infinity);
    expect(again.vectors()!.values.map((v) => v.status)).toEqual(wanted);
    expect(again.simulation.time).toBe(whole.simulation.time);
    first.simulation.advance(Infinity);
    expect(first.vectors()!.values.map((v) => v.status)).toEqual(wanted);
  }
});
