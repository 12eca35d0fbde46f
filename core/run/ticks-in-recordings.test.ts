import { newSignalLine, newSignalSheet, type Project } from '../project/project';
import { chart, projectOf, quantity, runProject, state, transition } from '../testing/run-project';
import { valueAt } from '../simulate/recording';
import { createRun, isRunnable, prepareRun } from '.';

/** A sheet that ticks far more often than it is recorded: what is kept of its ticks, and what counts as an event. */
const sheet = (every: string, ...lines: string[]) => ({
  ...newSignalSheet('s', 'S'),
  every,
  lines: lines.map((t, j) => newSignalLine(`l${j}`, t)),
});
const project = (more: Parameters<typeof projectOf>[0] = {}, setup: Parameters<typeof projectOf>[1] = {}): Project =>
  projectOf(
    {
      quantities: [quantity('x', '0', { unit: '' })],
      physics: 'equation der(x) = held - x;',
      signals: [sheet('0.001', 'held = 2 - x', 'high = x > 0.5')],
      ...more,
    },
    { stop: 2, recordEvery: 0.1, ...setup },
  );

test('rows are as many as asked for, however often it ticks, and their values are those after the tick', () => {
  const run = runProject(project());
  const { recording } = run;
  const atGrid = [...recording.time].filter((t) => Math.abs(t * 10 - Math.round(t * 10)) < 1e-9);
  expect(new Set(atGrid.map((t) => t.toFixed(6))).size).toBe(21);
  // before and after the tick on each, and around the one tick that sees x above 0.5
  expect(recording.rows).toBeLessThan(52);
  const held = recording.columns.find((c) => c.name === 'held')!.values;
  const x = recording.columns.find((c) => c.name === 'x')!.values;
  recording.time.forEach((t, k) => {
    if (t > 0 && recording.time[k + 1] !== t) expect(held[k]).toBeCloseTo(2 - x[k], 9);
  });
  // between rows a sampled value is that of the last one
  const column = recording.columns.find((c) => c.name === 'held')!;
  expect(column.isHeld).toBe(true);
  expect(valueAt(recording, column, 0.75)).toBe(valueAt(recording, column, 0.705));
});

test('a tick at which something true or whole changes is kept with what was before it', () => {
  const { recording } = runProject(project());
  const high = recording.columns.find((c) => c.name === 'high')!.values;
  const k = high.findIndex((v) => v === 1);
  expect(high[k - 1]).toBe(0);
  expect(recording.time[k - 1]).toBe(recording.time[k]);
  // x = 1 - exp(-2 t) comes to 0.5 at ln(2)/2, sampled up to 1 ms later
  expect(recording.time[k]).toBeGreaterThanOrEqual(Math.log(2) / 2 - 0.002);
  expect(recording.time[k]).toBeLessThan(Math.log(2) / 2 + 0.003);
});

test('from event to event goes from one thing that happens to the next, and tick by tick where nothing else can', () => {
  const steps = (p: Project): number[] => {
    const prepared = prepareRun(p, p.setups[0]);
    if (!isRunnable(prepared)) throw new Error(prepared.problems.map((x) => x.message).join('; '));
    const { simulation } = createRun(prepared);
    return Array.from({ length: 3 }, () => {
      simulation.advance(Infinity, true);
      return Number(simulation.time.toFixed(6));
    });
  };
  expect(steps(project())).toEqual([0.001, 0.002, 0.003]);
  const mode = chart(
    'mode',
    [state('A'), state('B')],
    [transition('A', 'B', "after 0.25 's'"), transition('B', 'A', 'when high')],
  );
  const [first, second] = steps(project({ charts: [mode] }));
  expect(first).toBe(0.25);
  expect(second).toBeGreaterThan(0.34);
  expect(second).toBeLessThan(0.36);
});
