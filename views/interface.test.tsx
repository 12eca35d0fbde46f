import { newTransition } from '@/core/project/project';
import '@testing-library/jest-dom';
import { fireEvent, render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import fc from 'fast-check';
import { emptyRunData, appendChunk } from '@/store/run-data';
import { arrowPath, boxesOf, transitionText } from '@/views/behaviour/chart-geometry';
import { readChangeList } from '@/ui/names';
import { tubeCapper } from '@/samples/tube-capper';
import { CellField } from '@/ui/cell-field';
import { formatNumber, inUnit } from '@/ui/format';
import { marks, niceStep } from '@/ui/ribbon/axis';
import { reducePoints, segmentsOf } from '@/ui/ribbon/reduce';
import { VerdictMark } from '@/ui/verdict';

describe('a cell field', () => {
  test('commits with Enter, takes typing back with Escape, says why it was refused', async () => {
    const user = userEvent.setup();
    const commit = jest.fn((text: string) =>
      text === 'bad' ? { severity: 'error' as const, code: 'x', message: 'not this one' } : undefined,
    );
    render(<CellField value="old" label="Name" onCommit={commit} />);
    const input = screen.getByLabelText('Name');
    await user.clear(input);
    await user.type(input, 'new{Enter}');
    expect(commit).toHaveBeenLastCalledWith('new');
    await user.clear(input);
    await user.type(input, 'bad{Enter}');
    expect(screen.getByRole('alert')).toHaveTextContent('not this one');
    expect(input).toHaveAttribute('aria-invalid', 'true');
    await user.keyboard('{Escape}');
    expect(input).toHaveValue('old');
    expect(screen.queryByRole('alert')).toBeNull();
    expect(commit).toHaveBeenCalledTimes(2);
  });
  test('leaving it commits what was typed, and nothing where nothing changed', () => {
    const commit = jest.fn();
    render(<CellField value="old" label="Name" onCommit={commit} />);
    const input = screen.getByLabelText('Name');
    fireEvent.blur(input);
    expect(commit).not.toHaveBeenCalled();
    fireEvent.change(input, { target: { value: 'other' } });
    fireEvent.blur(input);
    expect(commit).toHaveBeenCalledWith('other');
  });
});

test('a verdict has a word and a shape besides its colour', () => {
  const finding = {
    id: 'r',
    key: 'R',
    verdict: 'fails' as const,
    margin: -0.0473,
    unit: 'N.m',
    worstAt: 1,
    failsSince: 1,
    reason: '',
    lane: [],
  };
  const { container } = render(<VerdictMark finding={finding} />);
  expect(container).toHaveTextContent('fails by 0.0473 N.m');
  expect(container.querySelector('svg')).not.toBeNull();
});

test('numbers are written for reading', () => {
  expect(
    [0, 1e-15, 3.14159, -0.05, 12345.678, 1e7, 2e-5, NaN, undefined, Infinity].map((x) => formatNumber(x)),
  ).toEqual(['0', '0', '3.142', '−0.05', '12350', '1.00e+7', '2.00e−5', '–', '–', '∞']);
  expect(inUnit(34.5575191894877, 'rad/s', 'rpm')).toBeCloseTo(330, 9);
});

test('marks of the time axis are round and inside it', () => {
  expect(niceStep(2, 10)).toBeCloseTo(0.2, 12);
  fc.assert(
    fc.property(
      fc.double({ min: -100, max: 100, noNaN: true }),
      fc.double({ min: 1e-6, max: 1000, noNaN: true }),
      (from, width) => {
        const all = marks(from, from + width, 8);
        expect(all.length).toBeLessThanOrEqual(10);
        for (const m of all) expect(m).toBeGreaterThanOrEqual(from - width * 1e-6);
      },
    ),
  );
});

describe('what the ribbon draws', () => {
  const data = emptyRunData();
  const rows = 50_000;
  appendChunk(data, {
    rows,
    time: Float64Array.from({ length: rows }, (_, k) => k / 1000),
    messages: [],
    transitions: [],
    columns: [
      {
        name: 'y',
        unit: 'V',
        kind: 'real',
        literals: [],
        values: Float64Array.from({ length: rows }, (_, k) => (k === 31_415 ? 99 : Math.sin(k / 900))),
      },
      {
        name: 'on',
        unit: '',
        kind: 'boolean',
        literals: [],
        values: Float64Array.from({ length: rows }, (_, k) => (k % 20_000 < 5000 ? 1 : 0)),
      },
    ],
  });
  test('no peak is lost, and no more points are drawn than pixels can show', () => {
    const points = reducePoints(data, 'y', 0, 50, 800, (v) => v);
    expect(points.length).toBeLessThanOrEqual(800 * 4 + 8);
    expect(Math.max(...points.map((p) => p.y))).toBe(99);
    expect(points.every((p, k) => k === 0 || p.x >= points[k - 1].x)).toBe(true);
    expect(reducePoints(data, 'y', 31.4, 31.43, 800, (v) => 10 * v).map((p) => p.y)).toContain(990);
    expect(reducePoints(data, 'nothing', 0, 50, 800, (v) => v)).toEqual([]);
  });
  test('lanes are runs of equal values', () => {
    expect(segmentsOf(data, 'on', 0, 50).map((s) => [s.from, s.value])).toEqual([
      [0, 1],
      [5, 0],
      [20, 1],
      [25, 0],
      [40, 1],
      [45, 0],
    ]);
  });
});

describe('drawing charts', () => {
  const chart = tubeCapper.types.find((t) => t.name === 'CapperControl')!.charts[0];
  test('a card is large enough for what is inside it', () => {
    const sizes = boxesOf(chart);
    for (const s of chart.states) {
      const own = sizes.get(s.id)!;
      for (const inner of chart.states.filter((x) => x.parent === s.id)) {
        expect(inner.x + sizes.get(inner.id)!.width).toBeLessThan(own.width);
        expect(inner.y + sizes.get(inner.id)!.height).toBeLessThan(own.height);
      }
    }
  });
  test('arrows start and end at the edges of their cards', () => {
    const r = (x: number, y: number) => ({ x, y, width: 100, height: 40 });
    expect(arrowPath(r(0, 0), r(0, 200), 0).path).toBe('M 50 40 L 50 200');
    expect(arrowPath(r(0, 0), r(300, 0), 0).path).toBe('M 100 20 L 300 20');
    expect(arrowPath(r(0, 0), r(0, 0), 0).path).toMatch(/^M 100 12 C/);
  });
  test('transitions say their trigger, guard and effect', () => {
    const base = newTransition('t', 'a', 'b');
    expect(transitionText(base)).toBe('at once');
    expect(
      transitionText({
        ...base,
        triggers: [
          { kind: 'after', on: "0.1 's'" },
          { kind: 'rises', on: 'y' },
        ],
        guard: 'x > 1',
        effect: 'n := 1;\nsend a;',
      }),
    ).toBe('after 0.1 s, as soon as y [x > 1] / n := 1; send a;');
  });
});

test('changed values are read with commas inside brackets', () => {
  const before = [{ id: 'b1', name: 'b', value: '7' }];
  const read = (text: string) => readChangeList(text, before);
  expect(read('a = 1, b = max(2, 3),  c.d = {1, 2}').map((c) => [c.name, c.value])).toEqual([
    ['a', '1'],
    ['b', 'max(2, 3)'],
    ['c.d', '{1, 2}'],
  ]);
  expect(read('a = 1, b = 8')[1]).toEqual({ id: 'b1', name: 'b', value: '8' });
  expect(read('')).toEqual([]);
  expect(read('a')).toMatchObject([{ name: 'a', value: '' }]);
});
