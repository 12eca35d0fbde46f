import { emptyProject, newChart, newSetup, newState, newTransition, newType, type Project } from '../project/project';
import { createEngine } from './engine';
import type { RunUpdate } from './protocol';
import { slowRun } from './slow-run';

test('a rest nobody would wait for is told, once there is something to judge by', () => {
  expect(slowRun(1e-6, 2, 1)).toBeUndefined();
  expect(slowRun(1, 2, 5)).toBeUndefined();
  // 5 s of work for a thousandth: 4,995 s more
  expect(slowRun(0.002, 2, 5)?.message).toMatch(
    /^At this rate the run goes on for another 1 hour: it has come to 0.002 s of 2 s/,
  );
  expect(slowRun(0.00002, 2, 5)?.message).toMatch(/another 6 days/);
  expect(slowRun(1e-8, 2, 5)?.message).toMatch(/another 32 years/);
  expect(slowRun(0, 2, 5)?.message).toMatch(/longer than anybody would wait/);
});

test('a run with a clock of a nanosecond says so while it goes on, and ends when it is told to', async () => {
  const chart = {
    ...newChart('c', 'mode'),
    states: [{ ...newState('a', 'A', null, 0, 0), initial: true }],
    transitions: [{ ...newTransition('x', 'a', 'a'), triggers: [{ kind: 'every' as const, on: "1e-9 's'" }] }],
  };
  const project: Project = {
    ...emptyProject('p', 'P'),
    root: 't',
    types: [{ ...newType('t', 'T'), charts: [chart] }],
    setups: [{ ...newSetup('s', 'S'), stop: 2 }],
  };
  const engine = createEngine();
  engine.open(project, 0);
  let last: RunUpdate | undefined;
  const told = new Promise<void>((resolve) => {
    engine.start('s', { pace: 0 }, (update) => {
      last = update;
      if (update.warnings.some((w) => w.code === 'slow-run')) resolve();
    });
  });
  await told;
  engine.cancel();
  await new Promise((r) => setTimeout(r, 50));
  expect(last!.status).toBe('cancelled');
}, 60_000);
