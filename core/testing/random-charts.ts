import fc from 'fast-check';
import { newChart, type Chart, type ChartState, type StateKind, type Transition } from '../project/project';
import { state, transition } from './run-project';

/** Charts made at random, with what happens to them. */
export const messages = ['a', 'b', 'c'];
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

export interface Parts {
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
/** Charts of up to seven states, some with lanes. */
export const randomParts = (conditions: readonly string[]): fc.Arbitrary<Parts> =>
  fc.integer({ min: 2, max: 7 }).chain((n) =>
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
            fc.constantFrom(...conditions),
          ),
          guard: fc.constantFrom(...guards),
          effect: fc.constantFrom(...effects),
        }),
        { minLength: 1, maxLength: 8 },
      ),
    }),
  );

export function chartOf({ states, transitions }: Parts): Chart {
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
export const script = fc.array(fc.constantFrom(...messages, ''), { minLength: 1, maxLength: 8 });
