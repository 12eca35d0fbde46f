import { tubeCapper } from '../../samples/tube-capper';
import { newCase, type Excuse, type Project, type TestCase } from '../project/project';
import { runCase } from '../proof/run-case';
import { checkProject } from '../run/check';
import { chart, projectOf, quantity, state, transition } from '../testing/run-project';
import { coverageReport, elementMark, type CaseCame, type CoveredItem } from './report';
import { canBe } from './possible';

const came = (project: Project, of: TestCase): CaseCame => ({
  of,
  came: runCase(project, of, { isCounted: true }).came!,
});

/** A lamp with a state nothing leads to, and a way that its numbers exclude. */
const lamp = projectOf({
  quantities: [quantity('light', '0', { role: 'input' })],
  charts: [
    {
      ...chart(
        'lamp',
        [state('Off', { initial: true }), state('On'), state('Never')],
        [
          transition('Off', 'On', 'message switch', { guard: 'light < 5 or light > 3 and light > 1' }),
          transition('On', 'Off', 'message switch'),
          transition('Never', 'Off', 'message switch'),
        ],
      ),
      id: 'c-lamp',
    },
  ],
  ports: [{ id: 'o', name: 'in', accepts: ['switch'], sends: [], note: '' }],
});
const type = lamp.types[0];
const once = { ...newCase('k-once', 'Once'), alone: type.id, stop: 1, script: 'wait 0.1 s; send switch; wait 0.1 s' };
const withCase: Project = { ...lamp, cases: [once] };
const itemsOf = (project: Project, cases: readonly CaseCame[]): readonly CoveredItem[] =>
  coverageReport(project, cases, checkProject(project).problems).types[0].items;
const find = (items: readonly CoveredItem[], kind: string, text: string | RegExp): CoveredItem =>
  items.find(
    (x) => x.item.kind === kind && (typeof text === 'string' ? x.item.text === text : text.test(x.item.text)),
  )!;

test('what no case comes through is sorted by why: a case, a requirement, or nothing can reach it', () => {
  const items = itemsOf(withCase, [came(withCase, once)]);
  expect(find(items, 'entered', 'On')).toMatchObject({ gap: undefined, by: [once], isUnasked: true });
  expect(find(items, 'taken', /^On/)).toMatchObject({ gap: 'need', why: 'no case takes it' });
  expect(find(items, 'entered', 'Never')).toMatchObject({ gap: 'dead', why: 'Nothing leads to Never' });
  // it is true whatever light is
  expect(find(items, 'outcome', /false$/)).toMatchObject({ gap: 'dead', why: expect.stringMatching(/is true$/) });
  expect(find(items, 'condition', /^light > 1 decides/)).toMatchObject({
    gap: 'dead',
    why: expect.stringMatching(/light > 1 decides nothing$/),
  });
});

test('a requirement that speaks of the element asks for a case; one that is linked to the case asks for what it covers', () => {
  const requirement = { ...tubeCapper.requirements[0], id: 'r', key: 'L-1', text: 'It shall shine.', source: null };
  const link = (element: string, id: string) => ({
    ...tubeCapper.traces[0],
    id,
    requirement: 'r',
    element,
  });
  const asked: Project = {
    ...withCase,
    requirements: [requirement],
    traces: [link(`type/${type.id}/chart/c-lamp`, 't1'), link('case/k-once', 't2')],
  };
  const items = itemsOf(asked, [came(asked, once)]);
  expect(find(items, 'taken', /^On/).gap).toBe('test');
  expect(find(items, 'entered', 'On').isUnasked).toBe(false);
  // a case of it that comes through nothing it speaks of
  const idle = { ...once, id: 'k-idle', name: 'Idle', alone: type.id, script: 'wait 0.1 s' };
  const lazy: Project = {
    ...asked,
    cases: [idle],
    traces: [
      link(`type/${type.id}/chart/c-lamp/state/${type.charts[0].states[1].id}`, 't1'),
      link('case/k-idle', 't2'),
    ],
  };
  expect(coverageReport(lazy, [came(lazy, idle)]).suspicious).toEqual([
    { key: 'L-1', message: expect.stringContaining('(Idle)') },
  ]);
  expect(coverageReport(asked, [came(asked, once)]).suspicious).toEqual([]);
});

test('an excuse holds as long as its element is the same', () => {
  const [before] = itemsOf(withCase, []).filter((x) => x.item.kind === 'taken' && /^On/.test(x.item.text));
  const excuse: Excuse = {
    id: 'e',
    item: before.item.key,
    kind: 'justified',
    reason: 'it burns through',
    by: 'Ada',
    on: '2026-12-01',
    mark: elementMark(withCase, before.item),
  };
  const excused: Project = { ...withCase, excuses: [excuse] };
  const after = coverageReport(excused, []);
  expect(after.types[0].items.find((x) => x.item.key === before.item.key)).toMatchObject({ gap: 'excused', excuse });
  expect(after.wanted).toBe(coverageReport(withCase, []).wanted - 1);
  const changed = (change: (p: Project['types'][number]['charts'][number]) => object): Project => ({
    ...excused,
    types: excused.types.map((t) => ({ ...t, charts: t.charts.map((c) => ({ ...c, ...change(c) })) })),
  });
  const other = changed((c) => ({
    transitions: c.transitions.map((t, k) => (k === 1 ? { ...t, effect: 'light_seen := 1;' } : t)),
  }));
  expect(itemsOf(other, []).find((x) => x.item.key === before.item.key)?.gap).toBe('suspect');
  // what is gone is told
  const gone = changed((c) => ({ transitions: c.transitions.filter((_, k) => k !== 1) }));
  expect(coverageReport(gone, []).orphans).toEqual([excuse]);
});

test.each([
  [['x > 3', 'x > 1'], 0b01, false],
  [['x > 3', 'x > 1'], 0b11, true],
  [['x > 3', 'x > 1'], 0b10, true],
  [['x < 1', 'x > 3'], 0b11, false],
  [['x <= 1', 'x >= 1'], 0b11, true],
  [['x < 1', 'x >= 1'], 0b00, false],
  [['x == 2', 'x <> 2'], 0b11, false],
  [['x == 2', '3 > x'], 0b01, false],
  [['x > y', 'y > x'], 0b11, true],
  [['x > 3', 'z > 1', 'x < -2'], 0b101, false],
] as const)('%j can be %i: %s', (conditions, word, possible) => {
  expect(canBe(conditions)(word)).toBe(possible);
});

test('the demo: excuses speak of what is there, and are not needed where a case does it', () => {
  const { types, orphans } = coverageReport(tubeCapper, []);
  expect(orphans).toEqual([]);
  const excused = types.flatMap((t) => t.items.filter((x) => x.excuse));
  expect(excused.map((x) => x.gap)).toEqual(['excused', 'excused']);
});

test('a part of one type that stands in two places adds up', () => {
  const blink = { ...tubeCapper.types.find((t) => t.name === 'GuardSwitch')!, id: 't-switch', name: 'Switch' };
  const root = { ...projectOf({}).types[0] };
  const two: Project = {
    ...projectOf({}),
    types: [
      {
        ...root,
        parts: ['a', 'b'].map((name) => ({ id: name, name, type: 't-switch', changes: [], note: '', place: null })),
      },
      blink,
    ],
  };
  const of = { ...newCase('k', 'K'), setup: two.setups[0]?.id ?? '', script: 'set a.open = true; wait 0.1 s' };
  const done = came(two, of);
  const [only] = coverageReport({ ...two, cases: [of] }, [done]).types;
  const kinds = only.items.map((x) => `${x.item.kind} ${x.item.text} ${x.item.hasCome}`);
  expect(kinds).toContain('entered Ajar true');
  expect(kinds.filter((k) => k.startsWith('entered Ajar'))).toHaveLength(1);
});
