import { spawnSync } from 'node:child_process';
import fc from 'fast-check';
import { createChartRun } from '../behaviour/chart-run';
import { readChart } from '../behaviour/chart-source';
import {
  newChart,
  newState,
  newTransition,
  type Chart,
  type StateKind,
  type Transition,
  type Trigger,
} from '../project/project';
import { tubeCapper } from '../../samples/tube-capper';
import { readScxml } from './scxml-read';
import { writeScxml } from './scxml-write';

/** What a chart says, whatever its ids and the order of its lists. */
function meaning(chart: Chart): unknown {
  const nameOf = new Map(chart.states.map((s) => [s.id, s.name]));
  const start = new Set(chart.states.filter((s) => s.kind === 'start').map((s) => s.id));
  return {
    period: chart.period,
    values: chart.values.map(({ id: _, ...v }) => v),
    states: chart.states
      .filter((s) => s.kind !== 'start')
      .map((s) => ({ ...s, id: '', initial: false, parent: s.parent === null ? null : nameOf.get(s.parent) }))
      .sort((a, b) => a.name.localeCompare(b.name)),
    first: chart.states
      .filter((s) => s.initial && chart.states.find((o) => o.parent === s.parent && o.kind !== 'start') !== s)
      .map((s) => s.name)
      .sort(),
    transitions: chart.transitions
      .filter((t) => !start.has(t.from))
      .map(({ id: _, from, to, also, ...t }) =>
        JSON.stringify([nameOf.get(from), nameOf.get(to) ?? '', also.map((a) => nameOf.get(a)), t]),
      )
      .sort(),
    starts: chart.transitions
      .filter((t) => start.has(t.from))
      .map((t) => [chart.states.find((s) => s.id === t.from)?.parent, nameOf.get(t.to), t.effect].join()).length,
  };
}

test('the charts of the capper go out as well-formed XML and come back the same', () => {
  for (const type of tubeCapper.types) {
    for (const chart of type.charts) {
      const text = writeScxml(chart);
      const lint = spawnSync('xmllint', ['--noout', '-'], { input: text, encoding: 'utf8' });
      if (!lint.error) expect(lint.stderr).toBe('');
      const { value, problems } = readScxml(text);
      expect(problems).toEqual([]);
      expect(meaning(value!.chart)).toEqual(meaning(chart));
    }
  }
});

const text = fc.constantFrom(
  '',
  'x := x + 1;',
  'send go(level = 2) to out;',
  'if x > 2 and not y then\n  x := 0;\nend if;',
  'name := "a<b & \'c\'";',
);
const trigger = fc.oneof(
  fc.record({ kind: fc.constantFrom('message' as const), on: fc.constantFrom('go', 'go(level)', 'stop') }),
  fc.record({ kind: fc.constantFrom('after' as const, 'every' as const, 'at' as const), on: fc.constant("0.1 's'") }),
  fc.record({ kind: fc.constantFrom('when' as const, 'rises' as const), on: fc.constant('x < 3') }),
  fc.constant<Trigger>({ kind: 'done', on: '' }),
);
const chartArbitrary: fc.Arbitrary<Chart> = fc.integer({ min: 1, max: 9 }).chain((n) =>
  fc
    .record({
      kinds: fc.array(fc.constantFrom<StateKind>('state', 'state', 'parallel', 'final', 'choice', 'junction'), {
        minLength: n,
        maxLength: n,
      }),
      parents: fc.array(fc.nat(), { minLength: n, maxLength: n }),
      texts: fc.array(text, { minLength: n * 3, maxLength: n * 3 }),
      arrows: fc.array(
        fc.record({
          from: fc.nat({ max: n - 1 }),
          to: fc.nat({ max: n - 1 }),
          triggers: fc.array(trigger, { maxLength: 2 }),
          internal: fc.boolean(),
          guard: fc.constantFrom('', 'x > 2', 'else'),
          effect: text,
        }),
        { maxLength: 8 },
      ),
    })
    .map(({ kinds, parents, texts, arrows }): Chart => {
      const holds = (k: number): boolean => kinds[k] === 'state' || kinds[k] === 'parallel';
      const states = kinds.map((kind, k) => {
        const parent =
          k > 0 && parents[k] % (k + 1) < k && holds(parents[k] % (k + 1)) ? `s${parents[k] % (k + 1)}` : null;
        return {
          ...newState(`s${k}`, `S${k}`, parent, k * 10, k * 20, kind),
          entry: texts[k * 3],
          exit: texts[k * 3 + 1],
          do: texts[k * 3 + 2],
          defers: k % 3 === 0 ? 'go, stop' : '',
          note: k % 2 ? 'a "note"\nof <two> lines' : '',
        };
      });
      return {
        ...newChart('c', 'mode'),
        period: "10 'ms'",
        values: [{ id: 'v', name: 'x', type: 'Integer', value: '2 + 3', unit: '' }],
        states,
        transitions: arrows.map((a, k): Transition => ({
          ...newTransition(`t${k}`, `s${a.from}`, `s${a.to}`),
          triggers: a.triggers,
          internal: a.internal,
          guard: a.guard,
          effect: a.effect,
        })),
      };
    }),
);

test('any chart comes back from SCXML with the same meaning', () => {
  fc.assert(
    fc.property(chartArbitrary, (chart) => {
      const { value, problems } = readScxml(writeScxml(chart));
      expect(problems).toEqual([]);
      expect(meaning(value!.chart)).toEqual(meaning({ ...chart, states: chart.states.map((s) => s) }));
    }),
    { numRuns: 150 },
  );
});

test('ECMAScript becomes our language, and what does not is told and kept', () => {
  const { value, problems } =
    readScxml(`<scxml version="1.0" datamodel="ecmascript"><datamodel><data id="x" expr="[1, 2]"/></datamodel>
    <state id="a-1"><onentry><assign location="x" expr="x.concat([3])"/><foreach array="x" item="i"><log expr="i"/></foreach></onentry>
      <transition event="go.now" cond="x.length === 3 &amp;&amp; !In('b') || _event.data.level != 2" target="b"/></state>
    <state id="b"><onentry><assign location="x" expr="new Date()"/></onentry><transition cond="(() =&gt; 1)()" target="a-1"/></state></scxml>`);
  const { chart } = value!;
  expect(chart.states.map((s) => s.name)).toEqual(['a_1', 'b']);
  expect(chart.states[0].entry).toBe('x := cat(1, x, {3});\nfor i in x loop\nend for;');
  expect(chart.transitions[0]).toMatchObject({
    guard: 'size(x, 1) == 3 and not in(b) or level <> 2',
    triggers: [{ kind: 'message', on: 'go.now(level)' }],
  });
  expect(chart.states[1].entry).toBe('x := new Date();');
  expect(problems.map((p) => p.message)).toEqual([
    expect.stringContaining('"new Date()" cannot be said'),
    expect.stringContaining('"(() => 1)()" cannot be said'),
  ]);
});

test('broken files are refused with a line', () => {
  expect(readScxml('<scxml>\n<state>\n</scxml>')).toMatchObject({
    value: undefined,
    problems: [{ message: expect.stringMatching(/^Line \d/) }],
  });
  expect(readScxml('<html/>').problems[0].message).toContain('not scxml');
  expect(readScxml('<!DOCTYPE x [<!ENTITY a "b">]><scxml/>').value).toBeUndefined();
  expect(readScxml('<scxml><state id="a"><transition target="nowhere"/></state></scxml>').problems[0].message).toBe(
    'There is no state nowhere',
  );
});

test('a chart runs on its own: time, memory of a message, deferred messages', () => {
  const chart: Chart = {
    ...newChart('c', 'mode'),
    values: [{ id: 'v', name: 'total', type: 'Real', value: '0', unit: '' }],
    states: [{ ...newState('a', 'Busy', null, 0, 0), initial: true, defers: 'add' }, newState('b', 'Idle', null, 0, 0)],
    transitions: [
      { ...newTransition('1', 'a', 'b'), triggers: [{ kind: 'after', on: "2 's'" }] },
      {
        ...newTransition('2', 'b', ''),
        triggers: [{ kind: 'message', on: 'add(amount)' }],
        effect: 'total := total + amount;',
      },
      { ...newTransition('3', 'b', 'a'), triggers: [{ kind: 'message', on: 'rest' }] },
    ],
  };
  const run = createChartRun({ source: readChart(chart, '', []), services: [] });
  run.start();
  run.send('add', { amount: 3 });
  run.send('add', { amount: 4 });
  expect([run.value('total'), run.active()]).toEqual([0, ['Busy']]);
  run.advance(1.9);
  expect(run.active()).toEqual(['Busy']);
  run.advance(0.2);
  expect([run.value('total'), run.active()]).toEqual([7, ['Idle']]);
  expect(run.nextTime()).toBe(Infinity);
});
