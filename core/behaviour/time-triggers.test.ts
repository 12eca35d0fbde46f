import fc from 'fast-check';
import { chart, projectOf, quantity, row, runProject, state, transition } from '../testing/run-project';

const modes = (
  states: Parameters<typeof chart>[1],
  transitions: Parameters<typeof chart>[2],
  more: Partial<Parameters<typeof projectOf>[0]> = {},
  setup: Parameters<typeof projectOf>[1] = {},
) => runProject(projectOf({ charts: [chart('mode', states, transitions)], ...more }, setup));

describe('at T', () => {
  test('fires at its time where its state is active then, and not where it has been entered later', () => {
    const on = [state('A'), state('B'), state('C')];
    const run = modes(on, [transition('A', 'B', "at 0.5 's'"), transition('B', 'C', "at 0.25 's'")]);
    expect(run.mode('mode', 0.49)).toBe('A');
    expect(run.mode('mode', 0.5)).toBe('B');
    expect(run.mode('mode')).toBe('B');
  });
  test('fires at once in a state that is entered exactly at its time', () => {
    const run = modes(
      [state('A'), state('B'), state('C')],
      [transition('A', 'B', "after 0.5 's'"), transition('B', 'C', "at 0.5 's'")],
    );
    expect(run.recording.transitions.map((t) => t.time)).toEqual([0.5, 0.5]);
    expect(run.mode('mode', 0.5)).toBe('C');
  });
  test('at 0 s fires at the start', () => {
    expect(modes([state('A'), state('B')], [transition('A', 'B', "at 0 's'")]).mode('mode', 0)).toBe('B');
  });
});

describe('after T', () => {
  test('counts from each entry anew, and stays ready until its guard allows it', () => {
    const run = modes(
      [state('A'), state('B')],
      [
        transition('A', 'B', "after 0.3 's'", { guard: 'x > 0' }),
        transition('B', 'A', "after 0.2 's'"),
        transition('A', 'A', 'message again'),
      ],
      {
        quantities: [quantity('x', '0', { role: 'input' })],
        ports: [{ id: 'p', name: 'in', accepts: ['again'], sends: [], note: '' }],
      },
      // entered anew at 0.2, so ready from 0.5 on; allowed at 0.8
      { stimulus: [row('send', 0.2, 'again'), row('set', 0.8, 'x', '1')], stop: 1.4 },
    );
    expect(run.recording.transitions.map((t) => Math.round(t.time * 1e6) / 1e6)).toEqual([0.2, 0.8, 1.0, 1.3]);
  });
  test('a time that follows a quantity is taken when its state is entered', () => {
    const run = modes([state('A', { exit: 'wait := 5;' }), state('B')], [transition('A', 'B', 'after wait')], {
      quantities: [quantity('wait', '0.3', { unit: 's' })],
    });
    expect(run.recording.transitions.map((t) => t.time)).toEqual([0.3]);
  });
  test('after 0 s or less fires at once', () => {
    const run = modes(
      [state('A'), state('B'), state('C')],
      [transition('A', 'B', "after 0 's'"), transition('B', 'C', "after -1 's'")],
    );
    expect(run.mode('mode', 0)).toBe('C');
  });
});

test('every T fires again and again from entering, without drift, and not between', () => {
  const run = modes([state('A')], [transition('A', '', "every 0.1 's'", { effect: 'n := n + 1;' })], {
    quantities: [quantity('n', '0', { type: 'Integer' })],
  });
  expect(run.at('n', 0.0999)).toBe(0);
  expect(run.at('n', 0.95)).toBe(9);
  // 2 s is the end of the run, at which the twentieth is due
  expect(run.last('n')).toBe(20);
});

test('do texts run every period from the start of the run, outermost first, while their state is active', () => {
  const run = runProject(
    projectOf({
      charts: [
        {
          ...chart(
            'mode',
            [
              state('Off'),
              state('On', { do: 'order := 10*n + 1; n := n + 1;' }),
              state('In', { parent: 'On', initial: true, do: 'order := order + 5;' }),
            ],
            [transition('Off', 'On', "after 0.25 's'"), transition('On', 'Off', "after 0.5 's'")],
          ),
          period: "0.1 's'",
        },
      ],
      quantities: [quantity('n', '0', { type: 'Integer' }), quantity('order', '0', { type: 'Integer' })],
    }),
  );
  expect(run.at('n', 0.29)).toBe(0);
  expect(run.at('n', 0.31)).toBe(1);
  expect(run.at('order', 0.31)).toBe(6);
  // 0.3, 0.4, 0.5, 0.6, 0.7; then it is off until 1.0
  expect(run.at('n', 0.9)).toBe(5);
});

test('a transition into several lanes enters them all; renaming a state in one of them changes nothing', () => {
  const lanes = (name: string) =>
    projectOf({
      charts: [
        chart(
          'mode',
          [
            state('Idle'),
            state('Work', {}, 'parallel'),
            state('Left', { parent: 'Work' }),
            state('L1', { parent: 'Left', initial: true }),
            state('L2', { parent: 'Left' }),
            state('Right', { parent: 'Work' }),
            state('R1', { parent: 'Right', initial: true }),
            { ...state('R2', { parent: 'Right' }), name },
          ],
          [transition('Idle', 'L2', "after 1 's'", { also: ['R2'] })],
        ),
      ],
    });
  expect(runProject(lanes('R2')).mode('mode')).toBe('Work.Left.L2 + Work.Right.R2');
  expect(runProject(lanes('Other')).mode('mode')).toBe('Work.Left.L2 + Work.Right.Other');
});

test('clocks, messages on their way and samples that are due together meet in one instant, however their times were added up', () => {
  const tenths = fc.integer({ min: 1, max: 9 }).map((n) => n / 10);
  fc.assert(
    fc.property(tenths, tenths, fc.constantFrom(0.1, 0.2, 0.3), (wait, later, interval) => {
      const run = runProject(
        projectOf(
          {
            quantities: [quantity('n', '0', { role: 'variable', type: 'Integer' }), quantity('seen', '0')],
            physics: `when sample(${interval}, ${interval}) then n = pre(n) + 1; end when;`,
            charts: [
              // goes round with one wait after another, whose sums are rounded each time
              chart(
                'round',
                [state('A'), state('B')],
                [transition('A', 'B', `after ${wait} 's'`), transition('B', 'A', `after ${wait} 's'`)],
              ),
              chart(
                'sender',
                [state('On')],
                [transition('On', '', `every ${later} 's'`, { effect: 'seen := seen + 1;' })],
              ),
            ],
          },
          { stop: 5, recordEvery: 0.37 },
        ),
      );
      const moments = [...new Set(run.recording.time)];
      moments.forEach((t, k) => k > 0 && expect(t - moments[k - 1]).toBeGreaterThan(1e-9));
      // none is lost, none comes twice
      const due = (every: number): number => Math.floor(5 / every + 1e-9);
      expect(run.last('n')).toBe(due(interval));
      expect(run.last('seen')).toBe(due(later));
      const rounds = run.recording.transitions
        .map((t) => t.time)
        .filter((t) => Math.abs(t / wait - Math.round(t / wait)) < 1e-9);
      expect(new Set(rounds.map((t) => Math.round(t / wait))).size).toBe(due(wait));
    }),
  );
});
