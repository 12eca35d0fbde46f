import { chart, projectOf, quantity, row, state, transition } from '../testing/run-project';
import type { Project } from '../project/project';
import { copyOf, type SimulationState } from '../simulate/simulation';
import { createRun, isRunnable, prepareRun } from '.';

/** A moment kept in the middle of a run, and gone back to: everything goes on as it did the first time. */

const project: Project = projectOf(
  {
    quantities: [
      quantity('x', '0', { unit: '' }),
      quantity('n', '0', { type: 'Integer' }),
      quantity('rate', '1', { role: 'parameter' }),
    ],
    physics:
      'equation der(x) = rate - x/2; assert(x < 0.4, "x is large: " + String(x), AssertionLevel.warning); assert(n < 5, "n is large", AssertionLevel.warning);',
    charts: [
      chart(
        'mode',
        [state('A'), state('B'), state('C')],
        [
          transition('A', 'B', "after 0.3 's'", { effect: 'n := n + 1; send ping; send pong;' }),
          transition('B', 'C', 'message ping', { effect: 'send pong;' }),
          transition('C', 'A', 'message pong'),
          transition('A', '', "every 0.07 's'", { effect: 'n := n + 1;' }),
        ],
      ),
    ],
    ports: [{ id: 'p', name: 'out', accepts: ['ping', 'pong'], sends: ['ping', 'pong'], note: '' }],
  },
  { stop: 2, stimulus: [row('set', 1.1, 'rate', '3')] },
);
const start = (from?: SimulationState) => {
  const prepared = prepareRun(project, project.setups[0]);
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join('; '));
  return createRun(prepared, from && { from: { state: { simulation: from, monitors: [], sequences: [] } } });
};
type Run = ReturnType<typeof start>;
/** What is seen of a run from a moment on. */
const story = (run: Run, from: number) => {
  const recording = run.recorder.take();
  const { simulation } = run;
  return {
    messages: recording.messages.filter((m) => m.sent > from),
    transitions: recording.transitions.filter((t) => t.time > from),
    warnings: simulation.warnings,
    counts: simulation.counts,
    values: [...simulation.machine.memory.v],
    time: simulation.time,
  };
};

test.each([0.35, 0.65, 0.95])(
  'the rest of a run from %f s is the same in the run itself and in others made from a copy, one after the other',
  (moment) => {
    const run = start();
    run.simulation.advance(moment);
    const snapshot = copyOf(run.simulation.state);
    const at = run.simulation.time;
    const warned = run.simulation.warnings;
    run.simulation.advance(Infinity);
    const first = story(run, at);
    expect(first.messages.length).toBeGreaterThan(3);
    expect(first.warnings.length).toBe(2);

    // the first of them leaves the copy as it was
    for (const fresh of [start(snapshot), start(snapshot)]) {
      expect(fresh.simulation.warnings).toEqual(warned);
      expect(fresh.simulation.time).toBe(at);
      fresh.simulation.advance(Infinity);
      expect(story(fresh, at)).toEqual(first);
    }
  },
);

test('going back in the middle of an instant keeps the count of what has happened in it', () => {
  const run = start();
  run.simulation.advance(0.35);
  run.simulation.send(0, 'ping');
  const snapshot = copyOf(run.simulation.state);
  const steps = (r: Run): number[] =>
    r.recorder
      .take()
      .messages.filter((m) => m.sent === snapshot.clock.time)
      .map((m) => m.step);
  const before = steps(run).length;
  run.simulation.send(0, 'pong');
  const counted = steps(run).slice(before);
  const fresh = start(snapshot);
  fresh.simulation.send(0, 'pong');
  expect(steps(fresh)).toEqual(counted);
  expect(counted[0]).toBeGreaterThan(1);
});

test('places at which a run stops, and the one it has just come to, are part of its state', () => {
  const run = start();
  const b = 'type/t/chart/mode/state/B';
  run.simulation.breakAt(new Set([b]));
  run.simulation.advance(Infinity);
  expect(run.simulation.time).toBeCloseTo(0.3, 12);
  const other = start(copyOf(run.simulation.state));
  expect([run.simulation.takeBreak(), run.simulation.takeBreak()]).toEqual([b, undefined]);
  expect(other.simulation.takeBreak()).toBe(b);
  other.simulation.advance(Infinity);
  expect(other.simulation.takeBreak()).toBe(b);
  expect(other.simulation.time).toBeGreaterThan(0.3);
});
