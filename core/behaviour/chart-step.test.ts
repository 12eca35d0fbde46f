import fc from 'fast-check';
import {
  activeStates,
  chartStructure,
  isWithin,
  noConfiguration,
  type ChartStructure,
  type Configuration,
  type NodeKind,
  type TransitionNode,
} from './chart-structure';
import { startChart, stepChart } from './chart-step';

type Row = readonly [name: string, parent: string | null, kind?: NodeKind];
type Arrow = readonly [from: string, to: string, internal?: boolean];

/** A chart from rows; the first child of a state is where it starts. Several targets are separated by blanks, none is ''. */
function chart(rows: readonly Row[], arrows: readonly Arrow[]): ChartStructure {
  const index = new Map(rows.map(([name], k) => [name, k]));
  return chartStructure(
    rows.map(([name, parent, kind]) => ({
      name,
      parent: parent === null ? -1 : index.get(parent)!,
      kind: kind ?? 'state',
      initial: false,
    })),
    arrows.map(([from, to, internal]): TransitionNode => ({
      from: index.get(from)!,
      targets: to
        .split(' ')
        .filter(Boolean)
        .map((n) => index.get(n)!),
      internal: internal ?? false,
      triggers: [{ kind: 'message', message: 'm' }],
    })),
  );
}

const names = (c: ChartStructure, states: readonly number[]): string => states.map((s) => c.states[s].name).join(' ');

/** Takes steps and tells, for each, what was done. */
function walker(c: ChartStructure) {
  let now: Configuration = noConfiguration;
  const told = (step: ReturnType<typeof stepChart>): string => {
    if (!step) return 'nothing';
    now = step.next;
    return (
      step.actions
        .map((a) => (a.kind === 'effect' ? `/${a.index}` : (a.kind === 'exit' ? '-' : '+') + c.states[a.index].name))
        .join(' ') +
      (step.done.length ? ` done ${names(c, step.done)}` : '') +
      (step.ended ? ' ended' : '')
    );
  };
  return {
    start: () => told(startChart(c)),
    fire: (...transitions: number[]) => told(stepChart(c, now, (t) => transitions.includes(t))),
    leaves: () => names(c, now.leaves),
    now: () => now,
  };
}

const nested = chart(
  [
    ['Off', null],
    ['On', null],
    ['Slow', 'On'],
    ['Fast', 'On'],
    ['Warm', 'Fast'],
    ['Hot', 'Fast'],
  ],
  [
    ['Off', 'On'],
    ['On', 'Off'],
    ['Slow', 'Hot'],
    ['Hot', 'Slow'],
    ['Fast', 'Off'],
  ],
);

test('entering goes from the outside in, leaving from the inside out, effects between', () => {
  const w = walker(nested);
  expect(w.start()).toBe('+Off');
  expect(w.fire(0)).toBe('-Off /0 +On +Slow');
  expect(w.fire(2)).toBe('-Slow /2 +Fast +Hot');
  expect(w.fire(1)).toBe('-Hot -Fast -On /1 +Off');
});

test('of two enabled transitions the one of the inner state is taken, then the earlier one', () => {
  const w = walker(nested);
  w.start();
  w.fire(0);
  w.fire(2);
  expect(w.fire(0, 1, 2, 3, 4)).toBe('-Hot -Fast /3 +Slow');
  const twice = walker(
    chart(
      [
        ['A', null],
        ['B', null],
        ['C', null],
      ],
      [
        ['A', 'B'],
        ['A', 'C'],
      ],
    ),
  );
  twice.start();
  twice.fire(0, 1);
  expect(twice.leaves()).toBe('B');
});

test('a transition to its own state leaves and enters it; an internal one and one without a target do not', () => {
  const c = chart(
    [
      ['P', null],
      ['A', 'P'],
      ['B', 'P'],
    ],
    [
      ['P', 'B'],
      ['P', 'B', true],
      ['P', ''],
      ['A', 'A'],
    ],
  );
  const external = walker(c),
    internal = walker(c),
    effect = walker(c),
    self = walker(c);
  for (const w of [external, internal, effect, self]) w.start();
  expect(external.fire(0)).toBe('-A -P /0 +P +B');
  expect(internal.fire(1)).toBe('-A /1 +B');
  expect(effect.fire(2)).toBe('/2');
  expect(self.fire(3)).toBe('-A /3 +A');
});

test('regions of a parallel state move together, and a transition out of it leaves them all', () => {
  const both = chart(
    [
      ['P', null, 'parallel'],
      ['L', 'P'],
      ['L1', 'L'],
      ['L2', 'L'],
      ['R', 'P'],
      ['R1', 'R'],
      ['R2', 'R'],
      ['End', null],
    ],
    [
      ['L1', 'L2'],
      ['R1', 'R2'],
      ['P', 'End'],
      ['End', 'R2'],
      ['End', 'L2 R2'],
    ],
  );
  const w = walker(both);
  w.start();
  expect(w.leaves()).toBe('L1 R1');
  expect(w.fire(0, 1)).toBe('-R1 -L1 /0 /1 +L2 +R2');
  w.fire(2);
  expect(w.leaves()).toBe('End');
  w.fire(3);
  expect(w.leaves()).toBe('L1 R2');
  w.fire(2);
  w.fire(4);
  expect(w.leaves()).toBe('L2 R2');
});

test('of two transitions of different regions that leave the same state the first region wins', () => {
  const c = chart(
    [
      ['P', null, 'parallel'],
      ['L', 'P'],
      ['L1', 'L'],
      ['R', 'P'],
      ['R1', 'R'],
      ['X', null],
      ['Y', null],
    ],
    [
      ['L1', 'X'],
      ['R1', 'Y'],
    ],
  );
  const w = walker(c);
  w.start();
  expect(w.fire(0, 1)).toBe('-R1 -R -L1 -L -P /0 +X');
});

test('history leads back to where its state was left; before that it takes its default', () => {
  const rows: Row[] = [
    ['Off', null],
    ['On', null],
    ['H', 'On', 'history'],
    ['D', 'On', 'deepHistory'],
    ['A', 'On'],
    ['B', 'On'],
    ['B1', 'B'],
    ['B2', 'B'],
  ];
  const c = chart(rows, [
    ['Off', 'H'],
    ['On', 'Off'],
    ['A', 'B2'],
    ['Off', 'D'],
    ['H', 'B'],
  ]);
  const w = walker(c);
  w.start();
  expect(w.fire(0)).toBe('-Off /0 +On /4 +B +B1');
  w.fire(1);
  w.fire(3);
  expect(w.leaves()).toBe('B1');
  const deep = walker(c);
  deep.start();
  deep.fire(3);
  expect(deep.leaves()).toBe('A');
  deep.fire(2);
  expect(deep.leaves()).toBe('B2');
  deep.fire(1);
  deep.fire(3);
  expect(deep.leaves()).toBe('B2');
  deep.fire(1);
  deep.fire(0);
  expect(deep.leaves()).toBe('B1');
});

test('a state left and entered in one step remembers what has just been left', () => {
  const c = chart(
    [
      ['On', null],
      ['S', 'On', 'start'],
      ['H', 'On', 'history'],
      ['A', 'On'],
      ['B', 'On'],
    ],
    [
      ['S', 'H'],
      ['H', 'A'],
      ['A', 'B'],
      ['B', 'On'],
    ],
  );
  const w = walker(c);
  w.start();
  expect(w.leaves()).toBe('A');
  w.fire(2);
  expect(w.fire(3)).toBe('-B -On /3 +On /0 +B');
});

test('a start place says where a state begins, with its effect after the entry of that state', () => {
  const c = chart(
    [
      ['I', null, 'start'],
      ['A', null],
      ['B', null],
      ['S', 'B', 'start'],
      ['B1', 'B'],
      ['B2', 'B'],
    ],
    [
      ['I', 'B'],
      ['S', 'B2'],
    ],
  );
  expect(walker(c).start()).toBe('/0 +B /1 +B2');
});

test('a final state finishes what surrounds it; all regions finished finish the parallel state', () => {
  const c = chart(
    [
      ['P', null, 'parallel'],
      ['L', 'P'],
      ['L1', 'L'],
      ['LF', 'L', 'final'],
      ['R', 'P'],
      ['R1', 'R'],
      ['RF', 'R', 'final'],
      ['End', null, 'final'],
    ],
    [
      ['L1', 'LF'],
      ['R1', 'RF'],
      ['P', 'End'],
    ],
  );
  const w = walker(c);
  w.start();
  expect(w.fire(0)).toBe('-L1 /0 +LF done L');
  expect(w.fire(1)).toBe('-R1 /1 +RF done R P');
  expect(w.fire(2)).toBe('-RF -R -LF -L -P /2 +End ended');
});

test('whatever fires, the active states stay a legal configuration', () => {
  const rows: Row[] = [
    ['A', null],
    ['P', null, 'parallel'],
    ['L', 'P'],
    ['L1', 'L'],
    ['L2', 'L'],
    ['R', 'P'],
    ['R1', 'R'],
    ['R2', 'R'],
    ['B', null],
    ['B1', 'B'],
    ['B2', 'B'],
    ['H', 'P', 'deepHistory'],
    ['HB', 'B', 'history'],
  ];
  const both = chart(rows, [
    ['A', 'P'],
    ['L1', 'L2'],
    ['L2', 'L1'],
    ['R1', 'R2'],
    ['R2', 'B2'],
    ['P', 'A'],
    ['B', 'L2'],
    ['B1', 'B2'],
    ['B2', 'R1'],
    ['A', 'B'],
    ['L', 'R2'],
    ['A', 'A'],
    ['A', 'H'],
    ['A', 'HB'],
    ['B', 'L2 R2'],
    ['P', 'L2', true],
  ]);
  fc.assert(
    fc.property(fc.array(fc.array(fc.boolean(), { minLength: 16, maxLength: 16 }), { maxLength: 25 }), (rounds) => {
      const w = walker(both);
      w.start();
      for (const enabled of rounds) {
        w.fire(...enabled.flatMap((x, k) => (x ? [k] : [])));
        const active = new Set(activeStates(both, w.now()));
        expect(both.top.filter((s) => active.has(s))).toHaveLength(1);
        both.states.forEach((s, k) => {
          const inside = s.children.filter((c) => active.has(c)).length;
          if (!active.has(k)) expect(inside).toBe(0);
          else if (s.children.length > 0) expect(inside).toBe(s.kind === 'parallel' ? s.children.length : 1);
        });
      }
    }),
    { numRuns: 300 },
  );
});

test('plain steps do what the full algorithm does', () => {
  // a history that nobody uses keeps a chart from taking the short way
  const rows: Row[] = [
    ['A', null],
    ['A1', 'A'],
    ['A2', 'A'],
    ['A21', 'A2'],
    ['A22', 'A2'],
    ['B', null],
    ['B1', 'B'],
    ['C', null],
  ];
  const arrows: Arrow[] = [
    ['A1', 'A22'],
    ['A22', 'B'],
    ['B', 'A'],
    ['B1', 'B1'],
    ['A', 'A21', true],
    ['A', 'A2'],
    ['C', 'B1'],
    ['A21', 'C'],
    ['B', 'C'],
    ['C', 'A1'],
  ];
  const short = chart(rows, arrows);
  const full = chart(
    [...rows, ...['A', 'A2', 'B', 'C', 'A1', 'A21', 'A22', 'B1'].map((p): Row => [`H${p}`, p, 'history'])],
    arrows,
  );
  fc.assert(
    fc.property(fc.array(fc.array(fc.boolean(), { minLength: 10, maxLength: 10 }), { maxLength: 20 }), (rounds) => {
      const [a, b] = [walker(short), walker(full)];
      expect(a.start()).toBe(b.start());
      for (const enabled of rounds) {
        const fired = enabled.flatMap((x, k) => (x ? [k] : []));
        expect(a.fire(...fired)).toBe(b.fire(...fired));
        expect(a.leaves()).toBe(b.leaves());
      }
    }),
  );
});

test('isWithin follows the parents', () => {
  expect(isWithin(nested, 5, 1)).toBe(true);
  expect(isWithin(nested, 0, 1)).toBe(false);
  expect(isWithin(nested, 0, -1)).toBe(true);
});
