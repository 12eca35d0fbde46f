import { createEngine } from '@/core/run/engine';
import type { RunUpdate } from '@/core/run/protocol';
import { conditionReasons } from '@/core/run/why';
import { tubeCapper } from '@/samples/tube-capper';
import { useRuns, type RunView } from '@/store/run-store';
import { pathOfState } from './chart-geometry';
import { momentOf } from './moment';
import { firedCounts, firedTimes, lastTransition, stayFacts, stayLines, stayOf } from './run-facts';

/** What a run of the capper says about the states and transitions of its controller. */
let run: RunView;
const chart = tubeCapper.types.find((t) => t.name === 'CapperControl')!.charts.find((c) => c.name === 'mode')!;
const id = (name: string): string => chart.states.find((s) => s.name === name)!.id;
const between = (from: string, to: string): string =>
  chart.transitions.find((t) => t.from === id(from) && t.to === id(to))!.id;

beforeAll(async () => {
  await new Promise<void>((resolve) => {
    const engine = createEngine();
    engine.open(tubeCapper, 0);
    const started = engine.start('u-careful', { pace: 0 }, (update: RunUpdate) => {
      useRuns.getState().update(update);
      if (update.status === 'finished') resolve();
    });
    useRuns.getState().begin({ model: started.model!, setup: 'Careful', changes: '', stop: 2 });
  });
  run = useRuns.getState().current!;
});

test('how often each transition fired, and when', () => {
  const counts = firedCounts(run, 'ctrl.mode');
  expect(counts.get(between('Off', 'Homing'))).toBe(1);
  expect(counts.get(between('WaitTube', 'Clamp'))).toBe(1);
  expect(counts.get(between('Stopped', 'Homing'))).toBeUndefined();
  const [only] = firedTimes(run, 'ctrl.mode', between('Fast', 'Creep'));
  expect(only).toBeGreaterThan(0.7);
  expect(only).toBeLessThan(1.2);
  expect([...counts.values()].reduce((a, b) => a + b)).toBe(
    run.data.transitions.filter((t) => run.model.charts[t.chart].name === 'ctrl.mode').length,
  );
});
test('the transition taken last at a moment, none before the first', () => {
  const [only] = firedTimes(run, 'ctrl.mode', between('Fast', 'Creep'));
  expect(lastTransition(run, 'ctrl.mode', only)).toEqual([between('Fast', 'Creep')]);
  expect(lastTransition(run, 'ctrl.mode', only - 1e-6)).not.toEqual([between('Fast', 'Creep')]);
  expect(lastTransition(run, 'ctrl.mode', -1)).toEqual([]);
});
test('how often and how long states were active: what lies in one counts for it', () => {
  const fast = stayFacts(run, 'ctrl.mode', 'Running.Turning.Fast')!,
    creep = stayFacts(run, 'ctrl.mode', 'Running.Turning.Creep')!,
    press = stayFacts(run, 'ctrl.mode', 'Running.Turning.Press')!;
  const turning = stayFacts(run, 'ctrl.mode', 'Running.Turning')!;
  expect([fast.times, creep.times, press.times, turning.times]).toEqual([1, 1, 1, 1]);
  expect(turning.total).toBeCloseTo(fast.total + creep.total + press.total, 9);
  const [from] = firedTimes(run, 'ctrl.mode', between('Fast', 'Creep')),
    [to] = firedTimes(run, 'ctrl.mode', between('Creep', 'Press'));
  expect(creep.total).toBeCloseTo(to - from, 9);
  expect(stayFacts(run, 'ctrl.mode', 'Stopped')!.times).toBe(0);
  expect(stayLines(run, 'ctrl.mode').get('Running.Turning')).toMatch(/^1× 0\.\d+ s$/);
});
test('since when the leaf at a moment is active', () => {
  const [from] = firedTimes(run, 'ctrl.mode', between('Fast', 'Creep'));
  expect(stayOf(run, 'ctrl.mode', from + 0.05)).toBeCloseTo(0.05, 2);
  expect(stayFacts(run, 'ctrl.mode', 'Running.Turning.Creep', from + 0.05)!.since).toBeCloseTo(from, 9);
  expect(stayFacts(run, 'ctrl.mode', 'Running.Turning.Creep', from - 0.05)!.since).toBeUndefined();
});
test('a guard is judged with the values of the moment', () => {
  const path = pathOfState(
    chart,
    chart.states.find((s) => s.name === 'Fast')!,
  );
  const reasons = (t: number) => conditionReasons('turns >= creepAfter', momentOf(run, chart, 'ctrl', path, t));
  const [at] = firedTimes(run, 'ctrl.mode', between('Fast', 'Creep'));
  expect(reasons(at - 0.1)[0].met).toBe(false);
  expect(reasons(at + 0.1)[0].met).toBe(true);
  expect(reasons(at - 0.1)[0].detail).toMatch(/creepAfter = 1/);
});
