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
