import fc from 'fast-check';
import { createChartRun } from '../behaviour/chart-run';
import { readChart } from '../behaviour/chart-source';
import type { Chart } from '../project/project';
import { chartOf, messages, randomParts, script } from '../testing/random-charts';
import { chart, state, transition } from '../testing/run-project';
import { programOf } from '../testing/step-program';
import type { StepProgram } from './step-program';
import { createStep } from './write-js';

/** Any chart does in steps what it does on its own, where nothing happens between steps. */
const period = 0.001;
// in steps; so that no time of a chart ends just when a message comes
const first = 314,
  between = 337,
  later = 11;

/** Active innermost states and values, a little after every message. */
function stepped(program: StepProgram, said: readonly string[]): readonly string[] {
  const run = createStep(program);
  const slot = (name: string, role: string): number =>
    program.slots.findIndex((s) => s.name === name && s.role === role);
  const regions = program.slots.flatMap((s, k) => (s.is === 'region' ? [k] : []));
  // what nobody uses is not there
  const valueOf = (name: string): number => (slot(name, 'part') < 0 ? 0 : run.read(slot(name, 'part')));
  run.init();
  const seen: string[] = [];
  let k = 0;
  const go = (until: number, message = ''): void => {
    for (; k < until; k++) {
      for (const m of messages) run.write(slot(m, 'input'), Number(m === message && k === until - 1));
      run.step();
    }
  };
  said.forEach((message, j) => {
    // the step at a moment has seen what came until then
    go(first + j * between + 1, message);
    go(first + j * between + later + 1);
    const active = regions.map((r) => {
      const { members } = program.lists[program.slots[r].list];
      return members[run.read(r)].name;
    });
    seen.push(`${leaves(active)} n=${valueOf('c.n')} flag=${valueOf('c.flag')}`);
  });
  return seen;
}
const leaves = (active: readonly string[]): string => [...new Set(active.filter((x) => x !== 'None'))].sort().join('+');

/** The same by the interpreter; states with lanes are counted as the step program does. */
function interpreted(chart: Chart, said: readonly string[]): readonly string[] | 'endless' {
  const run = createChartRun({ source: readChart(chart, '', []), services: [] });
  const parents = new Map(chart.states.map((s) => [s.name, s.parent]));
  const kinds = new Map(chart.states.map((s) => [s.name, s.kind]));
  run.start();
  const seen: string[] = [];
  said.forEach((message, j) => {
    run.advance((first + j * between) * period - run.time);
    if (message !== '') run.send(message);
    run.advance((later + 0.5) * period);
    const active = new Set<string>();
    for (const leaf of run.active()) {
      active.add(leaf);
      for (let s = parents.get(leaf); s; s = parents.get(s)) if (kinds.get(s) === 'parallel') active.add(s);
    }
    seen.push(`${[...active].sort().join('+')} n=${Number(run.value('n'))} flag=${Number(run.value('flag'))}`);
  });
  return run.problem === undefined ? seen : 'endless';
}

test('any chart does in steps what it does on its own', () => {
  fc.assert(
    fc.property(randomParts(['when n >= 3', 'when flag']), script, (p, said) => {
      const chart = chartOf(p);
      const wanted = interpreted(chart, said);
      if (wanted === 'endless') return;
      expect(stepped(programOf(chart), said)).toEqual(wanted);
    }),
    { numRuns: Number(process.env.RUNS ?? 200) },
  );
});
test('messages that states keep for later come when nobody keeps them any longer, in their order', () => {
  const keeping = fc.array(fc.constantFrom('', '', 'a', 'b', 'a, c'), { minLength: 7, maxLength: 7 });
  fc.assert(
    fc.property(randomParts(['when n >= 3', 'when flag']), keeping, script, (p, kept, said) => {
      const plain = chartOf(p);
      const chart = { ...plain, states: plain.states.map((s, k) => ({ ...s, defers: kept[k] })) };
      const wanted = interpreted(chart, said);
      if (wanted === 'endless') return;
      expect(stepped(programOf(chart), said)).toEqual(wanted);
    }),
    { numRuns: Number(process.env.RUNS ?? 150) },
  );
});
test('a kept message comes when time has taken the state away that kept it', () => {
  const kept = chart(
    'c',
    [state('S', { defers: 'a' }), state('T'), state('U', { entry: 'n := n + 1;' })],
    [transition('S', 'T', "after 0.5 's'"), transition('T', 'U', 'message a')],
  );
  const withValues = {
    ...kept,
    values: [
      { id: 'n', name: 'n', type: 'Integer' as const, value: '0', unit: '' },
      { id: 'flag', name: 'flag', type: 'Boolean' as const, value: 'false', unit: '' },
    ],
  };
  const said = ['a', '', ''];
  expect(stepped(programOf(withValues), said)).toEqual(interpreted(withValues, said));
  expect(stepped(programOf(withValues), said).map((x) => x.split(' ')[0])).toEqual(['S', 'U', 'U']);
});
test('messages that are sent later come in time, unless they are taken back', () => {
  const how = fc.constantFrom(
    "send a after 0.11 's';",
    "send b after 0.23 's';",
    "send b after 0 's';",
    'cancel b;',
    'cancel a;',
  );
  fc.assert(
    fc.property(
      randomParts(['when n >= 3', 'when flag']),
      fc.array(how, { minLength: 8, maxLength: 8 }),
      script,
      (p, effects, said) => {
        const plain = chartOf(p);
        const chart = {
          ...plain,
          transitions: plain.transitions.map((t, k) => ({ ...t, effect: `${t.effect} ${effects[k]}`.trim() })),
        };
        const wanted = interpreted(chart, said);
        if (wanted === 'endless') return;
        expect(stepped(programOf(chart), said)).toEqual(wanted);
      },
    ),
    { numRuns: Number(process.env.RUNS ?? 150) },
  );
});

describe('what random charts do not have', () => {
  const values = [
    { id: 'n', name: 'n', type: 'Integer' as const, value: '0', unit: '' },
    { id: 'flag', name: 'flag', type: 'Boolean' as const, value: 'false', unit: '' },
  ];
  const note = (digit: number): string => `n := mod(10*n + ${digit}, 1000000);`;
  const says = (name: string, digit: number, more: Parameters<typeof state>[1] = {}) =>
    state(name, { entry: note(digit), ...more });
  const cases: Readonly<Record<string, Chart>> = {
    'a way back to the child': chart(
      'c',
      [
        says('Off', 1),
        says('On', 2),
        says('Slow', 3, { parent: 'On', initial: true }),
        says('Fast', 4, { parent: 'On' }),
        says('Low', 5, { parent: 'Fast', initial: true }),
        says('High', 6, { parent: 'Fast' }),
        state('back', { parent: 'On' }, 'history'),
      ],
      [
        transition('Off', 'back', 'message a'),
        transition('Slow', 'Fast', 'message b'),
        transition('Low', 'High', 'message b'),
        transition('On', 'Off', 'message c'),
      ],
    ),
    'a way back with all levels, and a way of its own before': chart(
      'c',
      [
        says('Off', 1),
        says('On', 2),
        says('Slow', 3, { parent: 'On', initial: true }),
        says('Fast', 4, { parent: 'On' }),
        says('Low', 5, { parent: 'Fast', initial: true }),
        says('High', 6, { parent: 'Fast' }),
        state('back', { parent: 'On' }, 'deepHistory'),
      ],
      [
        transition('Off', 'back', 'message a'),
        transition('back', 'Low', '', { effect: note(9) }),
        transition('Slow', 'Fast', 'message b'),
        transition('Low', 'High', 'message b'),
        transition('On', 'Off', 'message c'),
      ],
    ),
    'a choice that decides after the effect': chart(
      'c',
      [says('A', 1), state('Which', {}, 'choice'), says('B', 2), says('C', 3)],
      [
        transition('A', 'Which', 'message a', { effect: 'n := n + 3;' }),
        transition('Which', 'B', '', { guard: 'n > 3' }),
        transition('Which', 'C', '', { guard: 'else' }),
        transition('B', 'A', 'message b'),
        transition('C', 'A', 'message c', { effect: 'n := 0;' }),
      ],
    ),
    'ends inside, and in all lanes': chart(
      'c',
      [
        state('Both', {}, 'parallel'),
        state('L', { parent: 'Both' }),
        says('L1', 1, { parent: 'L', initial: true }),
        state('LE', { parent: 'L' }, 'final'),
        state('R', { parent: 'Both' }),
        says('R1', 2, { parent: 'R', initial: true }),
        state('RE', { parent: 'R' }, 'final'),
        says('Next', 3),
        says('In', 4, { parent: 'Next', initial: true }),
        state('End', { parent: 'Next' }, 'final'),
      ],
      [
        transition('L1', 'LE', 'message a'),
        transition('R1', 'RE', 'message b'),
        transition('Both', 'Next', 'done'),
        transition('In', 'End', 'message c', { effect: note(5) }),
        transition('Next', 'Both', 'done', { effect: note(6) }),
      ],
    ),
    'an end of the whole chart': chart(
      'c',
      [says('A', 1), state('End', {}, 'final')],
      [
        transition('A', 'End', 'message a', { effect: note(2) }),
        transition('A', 'A', 'message b', { effect: note(3) }),
      ],
    ),
    'beginnings with an effect': chart(
      'c',
      [
        says('Off', 1),
        says('On', 2),
        state('begin', { parent: 'On' }, 'start'),
        says('X', 3, { parent: 'On' }),
        says('Y', 4, { parent: 'On' }),
      ],
      [
        transition('begin', 'Y', '', { effect: note(7) }),
        transition('Off', 'On', 'message a', { effect: note(8) }),
        transition('Y', 'X', 'message b'),
        transition('On', 'Off', 'message c'),
      ],
    ),
    'a transition that stays inside, one to itself, one that leads nowhere': chart(
      'c',
      [
        says('P', 1, { exit: note(9) }),
        says('A', 2, { parent: 'P', initial: true, exit: note(8) }),
        says('B', 3, { parent: 'P', exit: note(7) }),
      ],
      [
        transition('P', 'B', 'message a', { internal: true }),
        transition('P', 'P', 'message b', { effect: note(4) }),
        { ...transition('P', 'P', 'message c', { effect: note(5) }), to: '' },
      ],
    ),
    'lanes that are entered by a way into one of them, and left by a way out of one': chart(
      'c',
      [
        says('Off', 1),
        state('Both', { entry: note(2), exit: note(3) }, 'parallel'),
        state('L', { parent: 'Both', exit: note(4) }),
        says('L1', 5, { parent: 'L', initial: true }),
        says('L2', 6, { parent: 'L' }),
        state('R', { parent: 'Both', exit: note(8) }),
        says('R1', 7, { parent: 'R', initial: true, exit: note(9) }),
        says('R2', 0, { parent: 'R' }),
      ],
      [
        transition('Off', 'R2', 'message a'),
        transition('R2', 'R1', 'message b'),
        transition('L1', 'L2', 'message b'),
        transition('R1', 'Off', 'message c'),
        transition('R2', 'Off', 'message c'),
        transition('L2', 'L1', 'message c'),
      ],
    ),
    'two texts send one message with an argument each': chart(
      'c',
      [says('A', 1), says('B', 2)],
      [
        transition('A', 'B', 'message a', { effect: 'send told(x = n + 1);' }),
        transition('B', 'A', 'message b', { effect: 'send told(y = n + 20);' }),
        transition('B', 'B', 'message told(x)', { internal: true, effect: 'n := n + integer(100*x);' }),
        transition('A', 'A', 'message told(y)', { internal: true, effect: 'n := n + integer(y);' }),
      ],
    ),
    'what is done while a state is active': {
      ...chart(
        'c',
        [says('A', 1, { do: 'n := n + 1;' }), says('B', 2, { do: 'n := n + 100;' })],
        [transition('A', 'B', 'message a'), transition('B', 'A', 'message b')],
      ),
      period: "0.05 's'",
    },
  };
  test.each(Object.entries(cases))('%s', (_, plain) => {
    const c = { ...plain, values };
    const program = programOf(c);
    fc.assert(
      fc.property(script, (said) => {
        expect(stepped(program, said)).toEqual(interpreted(c, said));
      }),
      { numRuns: 60 },
    );
    // it gets around
    const all = ['b', 'a', 'b', 'b', 'c', 'a', 'b', 'c', 'a', 'a', 'c'];
    expect(new Set(stepped(program, all)).size).toBeGreaterThan(1);
  });
});
