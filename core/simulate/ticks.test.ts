import { chart, projectOf, quantity, runProject, state, transition } from '../testing/run-project';
import { simulateText } from '../testing/simulate-text';

/** What happens at a tick happens once, whatever looks at it and however many things follow from each other there. */

const last = (text: string, name: string, stop = 1.05): number => {
  const run = simulateText(`model M ${text} end M;`, 'M', { stop, recordEvery: 0.01 });
  return run.last(name);
};
const cases: readonly (readonly [what: string, text: string, name: string, wanted: number])[] = [
  [
    'a count',
    'Integer n(start = 0, fixed = true); equation when sample(0, 0.1) then n = pre(n) + 1; end when;',
    'n',
    11,
  ],
  [
    'a chain in one instant, against the order of its equations',
    'Integer a(start = 0, fixed = true), b(start = 0, fixed = true), c(start = 0, fixed = true); equation c = pre(c) + (if change(b) then 1 else 0); when a > 3 then b = pre(b) + a; end when; when sample(0, 0.1) then a = pre(a) + 1; end when;',
    'b',
    4,
  ],
  [
    'a tick that is counted by its own edge, and by its former value',
    'Boolean t; Integer n(start = 0, fixed = true), m(start = 0, fixed = true); equation t = sample(0, 0.1); when t then n = pre(n) + 1; end when; when t and not pre(t) then m = pre(m) + 1; end when;',
    'm',
    11,
  ],
  [
    'a tick with a condition',
    'Integer n(start = 0, fixed = true); equation when sample(0, 0.1) and time > 0.45 then n = pre(n) + 1; end when;',
    'n',
    6,
  ],
  [
    'two clocks that meet',
    'Integer n(start = 0, fixed = true), m(start = 0, fixed = true), both(start = 0, fixed = true); Boolean a, b; equation a = sample(0, 0.1); b = sample(0, 0.25); when a then n = pre(n) + 1; end when; when b then m = pre(m) + 1; end when; when {a, b} then both = pre(both) + 1; end when;',
    'both',
    13,
  ],
  [
    'a state set anew at ticks',
    'Real x(start = 0, fixed = true); equation der(x) = 1; when sample(0.1, 0.1) then reinit(x, 0); end when;',
    'x',
    0.05,
  ],
  [
    'a relation that a tick brings about, at the same instant',
    'Real u(start = 0, fixed = true); Integer n(start = 0, fixed = true); equation when sample(0, 0.1) then u = pre(u) + 1; end when; when u > 5.5 then n = pre(n) + 1; end when;',
    'n',
    1,
  ],
  [
    'delays by ticks: each value is one tick older',
    'discrete Real a(start = 0, fixed = true), b(start = 0, fixed = true), c(start = 0, fixed = true); equation when sample(0, 0.1) then a = pre(a) + 1; b = pre(a); c = pre(b); end when;',
    'c',
    9,
  ],
  [
    'a tick that is asked for its change: it comes and goes',
    'Boolean t; Integer n(start = 0, fixed = true); equation t = sample(0.05, 0.1); when change(t) then n = pre(n) + 1; end when;',
    'n',
    22,
  ],
  [
    'a condition that holds in a later pass of the same instant',
    'Integer a(start = 0, fixed = true), n(start = 0, fixed = true); equation when sample(0, 0.1) then a = pre(a) + 1; end when; when sample(0, 0.1) and pre(a) > 4.5 then n = pre(n) + 1; end when;',
    'n',
    7,
  ],
];
test.each(cases)('%s', (_, text, name, wanted) => {
  expect(last(text, name)).toBeCloseTo(wanted, 9);
});

test('a chart that looks at ticks sees each of them', () => {
  const done = runProject(
    projectOf(
      {
        quantities: [
          quantity('t', 'false', { type: 'Boolean', role: 'variable' }),
          quantity('n', '0', { type: 'Integer', role: 'variable' }),
        ],
        physics: 't = sample(0.05, 0.1);',
        charts: [chart('c', [state('A')], [transition('A', 'A', 'rises t', { effect: 'n := n + 1;' })])],
      },
      { stop: 1, recordEvery: 0.01 },
    ),
  );
  expect(done.last('n')).toBe(10);
});

test('what follows from former values goes on pass by pass, at the instant of the tick', () => {
  const run = simulateText(
    `model M Integer a(start = 0, fixed = true), b(start = 0, fixed = true), c(start = 0, fixed = true), d(start = 0, fixed = true);
equation when sample(0, 0.1) then a = pre(a) + 1; end when; when pre(a) > 3 then b = 1; end when; when pre(b) > 0 then c = 1; end when; when pre(c) > 0 then d = 1; end when; end M;`,
    'M',
    { stop: 1, recordEvery: 0.01 },
  );
  expect([run.at('d', 0.295), run.at('d', 0.305)]).toEqual([0, 1]);
});

test('a chart that asks whether it is a tick sees that, too', () => {
  const done = runProject(
    projectOf(
      {
        quantities: [
          quantity('t', 'false', { type: 'Boolean', role: 'variable' }),
          quantity('n', '0', { type: 'Integer', role: 'variable' }),
        ],
        physics: 't = sample(0.05, 0.1);',
        charts: [
          chart(
            'c',
            [state('A'), state('B')],
            [transition('A', 'B', 'when t', { effect: 'n := n + 1;' }), transition('B', 'A', "after 0.02 's'")],
          ),
        ],
      },
      { stop: 1, recordEvery: 0.01 },
    ),
  );
  expect(done.last('n')).toBe(10);
});

test('without states nothing between the rows is missed', () => {
  const run = simulateText(
    'model M Integer n(start = 0, fixed = true); equation when sin(20*time) > 0.5 then n = pre(n) + 1; end when; end M;'.replace(
      '20*time',
      "20*time/(1 's')",
    ),
    'M',
    { stop: 3, recordEvery: 0.02 },
  );
  expect(run.last('n')).toBe(10);
});

test('a program without states goes from tick to tick', () => {
  const run = simulateText(
    'model M Integer n(start = 0, fixed = true); equation when sample(0, 0.001) then n = pre(n) + 1; end when; end M;',
    'M',
    { stop: 1, recordEvery: 1 },
  );
  expect(run.last('n')).toBeGreaterThanOrEqual(1000);
  expect(run.simulation.counts.steps).toBeLessThan(1010);
});
