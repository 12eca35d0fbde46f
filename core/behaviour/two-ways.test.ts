import fc from 'fast-check';
import { newChart, type Chart, type ChartState, type StateKind, type Transition } from '../project/project';
import { projectOf, row, runProject, state, transition } from '../testing/run-project';
import { createChartRun } from './chart-run';
import { readChart } from './chart-source';

/**
 * A chart is carried out in two ways: by the interpreter, on its own, and compiled, as a part of a product. Any chart has to do
 * the same in both: be in the same state after every message and every time, with the same values.
 */

const messages = ['a', 'b', 'c'];
const guards = ['', '', 'n < 3', 'n >= 2', 'mod(n, 2) == 1', 'flag', 'not flag'];
const effects = [
  '',
  '',
  'n := n + 1;',
  'n := 0;',
  'flag := not flag;',
  'if n > 4 then n := 1; else n := n + 2; end if;',
  'send a;',
];
const times = ['0.25', '0.5', '1'];

interface Parts {
  readonly states: readonly {
    readonly parent: number;
    readonly kind: StateKind;
    readonly entry: string;
    readonly exit: string;
  }[];
  readonly transitions: readonly {
    readonly from: number;
    readonly to: number;
    readonly on: string;
    readonly guard: string;
    readonly effect: string;
  }[];
}
const parts: fc.Arbitrary<Parts> = fc.integer({ min: 2, max: 7 }).chain((n) =>
  fc.record({
    states: fc.tuple(
      ...Array.from({ length: n }, (_, k) =>
        fc.record({
          // a parent that comes before, so that there is no circle
          parent: fc.integer({ min: -3, max: Math.max(-1, k - 1) }).map((p) => Math.max(-1, p)),
          kind: fc.constantFrom<StateKind>('state', 'state', 'state', 'parallel'),
          entry: fc.constantFrom(...effects.filter((e) => e !== 'send a;')),
          exit: fc.constantFrom(...effects.filter((e) => e !== 'send a;')),
        }),
      ),
    ),
    transitions: fc.array(
      fc.record({
        from: fc.nat(n - 1),
        to: fc.nat(n - 1),
        on: fc.oneof(
          fc.constantFrom(...messages).map((m) => `message ${m}`),
          fc.constantFrom(...times).map((t) => `after ${t} 's'`),
          fc.constantFrom('when n >= 3', 'when flag', 'changes n', 'rises n >= 2'),
        ),
        guard: fc.constantFrom(...guards),
        effect: fc.constantFrom(...effects),
      }),
      { minLength: 1, maxLength: 8 },
    ),
  }),
);

function chartOf({ states, transitions }: Parts): Chart {
  const name = (k: number): string => `S${k}`;
  const all = states.map((s, k): ChartState => {
    const parent = s.parent < 0 ? null : name(s.parent);
    const first = states.findIndex((x) => x.parent === s.parent) === k;
    const hasInside = states.some((x) => x.parent === k);
    return state(name(k), { parent, entry: s.entry, exit: s.exit, initial: first }, hasInside ? s.kind : 'state');
  });
  return {
    ...newChart('c', 'c'),
    values: [
      { id: 'n', name: 'n', type: 'Integer', value: '0', unit: '' },
      { id: 'flag', name: 'flag', type: 'Boolean', value: 'false', unit: '' },
    ],
    states: all,
    transitions: transitions.map((t, k): Transition => ({
      ...transition(name(t.from), name(t.to), t.on, { guard: t.guard, effect: t.effect }),
      id: `t${k}`,
    })),
  };
}

/** What happens from outside: a message at a time, or nothing. */
const script = fc.array(fc.constantFrom(...messages, ''), { minLength: 1, maxLength: 8 });
// so that no timer ends just when somebody looks
const gap = 0.3137,
  later = 0.0113;

/** Active states, innermost ones, with the values: after every message, a little later. */
function interpreted(chart: Chart, said: readonly string[]): readonly string[] | 'endless' {
  const run = createChartRun({ source: readChart(chart, '', []), services: [] });
  run.start();
  const seen: string[] = [];
  for (const message of said) {
    run.advance(gap);
    if (message !== '') run.send(message);
    run.advance(later);
    seen.push(`${[...run.active()].sort().join('+')} n=${Number(run.value('n'))} flag=${Number(run.value('flag'))}`);
    run.advance(later);
    if (run.problem !== undefined) return 'endless';
  }
  return seen;
}

function compiled(chart: Chart, said: readonly string[]): readonly string[] | 'endless' {
  const at = (k: number): number => gap + k * (gap + 2 * later);
  const project = projectOf(
    { charts: [chart], ports: [{ id: 'p', name: 'in', accepts: messages, sends: [], note: '' }] },
    {
      stop: at(said.length - 1) + 1.5 * later,
      recordEvery: 0.005,
      stimulus: said.flatMap((m, k) => (m === '' ? [] : [row('send', at(k), m)])),
    },
  );
  try {
    const run = runProject(project);
    return said.map((_, k) => {
      const t = at(k) + later;
      const words = run
        .mode('c', t)
        .split(/[,+&|] ?/)
        .map((w) => w.split('.').at(-1)!.trim());
      return `${words.sort().join('+')} n=${run.at('c.n', t)} flag=${run.at('c.flag', t)}`;
    });
  } catch (error) {
    if (/never settles|sent again and again/.test((error as Error).message)) return 'endless';
    throw error;
  }
}

test('any chart does the same interpreted and compiled', () => {
  fc.assert(
    fc.property(parts, script, (p, said) => {
      const chart = chartOf(p);
      expect(compiled(chart, said)).toEqual(interpreted(chart, said));
    }),
    { numRuns: 120 },
  );
});
