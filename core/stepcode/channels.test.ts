import { compiledHere } from '@/cli/compiled';
import { boards } from '../boards/board';
import { createPulses } from '../pins/pulses';
import {
  emptyProject,
  newChannel,
  newPart,
  newSetup,
  newType,
  type Channel,
  type Project,
  type Setup,
} from '../project/project';
import { createRun, type Run } from '../run';
import { stagedRun, type StagedRun } from '../run/staged';
import { valueAt } from '../simulate/recording';
import { chart, quantity, row, state, transition } from '../testing/run-project';
import type { StageText } from './stage';

const channel = (name: string, kind: Channel['kind'], more: Partial<Channel>): Channel => ({
  ...newChannel(`l-${name}`, name, kind),
  ...more,
});
const pins = (pin: string): Channel['pins'] => [
  { board: 'larch8', pin },
  { board: 'larch32', pin },
];
const channels: readonly Channel[] = [
  channel('probe', 'analog', { quantity: 'level', low: 0, high: 16, bits: 8, highVolts: 2 }),
  channel('drive', 'pwm', { quantity: 'u', low: 0, high: 10, frequency: 500, pins: pins('P10') }),
  channel('key', 'digital', { rises: 'go', debounce: 2, pins: pins('P1') }),
  channel('bell', 'digital', { rises: 'ring', falls: 'hush', pins: pins('P2') }),
  channel('gate', 'digital', { quantity: 'open', inverted: true, pins: pins('P3') }),
];

/** A lag of 5 ms behind pulses; a controller that works every 10 ms, starts at a message and rings once for each it has seen. */
const loop = (more: Partial<Setup> = {}, own: readonly Channel[] = channels): Project => ({
  ...emptyProject('p', 'P'),
  root: 'top',
  types: [
    {
      ...newType('top', 'Top'),
      parts: [newPart('a', 'plant', 'plant'), newPart('b', 'ctrl', 'ctrl'), newPart('c', 'desk', 'desk')],
      links: [
        { id: 'l1', carries: '', from: 'desk.level', to: 'ctrl.level' },
        { id: 'l2', carries: '', from: 'ctrl.u', to: 'plant.u' },
        { id: 'l3', carries: '', from: 'ctrl.open', to: 'plant.open' },
        { id: 'l4', carries: '', from: 'desk.out', to: 'ctrl.in' },
        { id: 'l5', carries: '', from: 'ctrl.back', to: 'desk.in' },
      ],
    },
    {
      ...newType('plant', 'Plant'),
      quantities: [
        quantity('u', '', { role: 'input' }),
        quantity('open', '', { role: 'input', type: 'Boolean' }),
        quantity('x', '0', { role: 'output' }),
      ],
      physics: 'equation 0.005*der(x) = (if open then u else 0) - x;',
    },
    {
      ...newType('ctrl', 'Ctrl'),
      software: "0.01 's'",
      channels: own,
      quantities: [
        quantity('level', '', { role: 'input' }),
        quantity('u', '0', { role: 'output' }),
        quantity('seen', '0', { role: 'output' }),
        quantity('open', 'false', { role: 'output', type: 'Boolean' }),
      ],
      physics: 'equation u = if in(mode.On) then 3 else 0; seen = level; open = in(mode.On);',
      charts: [
        chart(
          'mode',
          [state('Off'), state('On')],
          [
            transition('Off', 'On', 'message go', { effect: 'send ring to back;' }),
            transition('On', 'On', 'message go', { internal: true, effect: 'send ring to back;' }),
          ],
        ),
      ],
      ports: [
        { id: 'i', name: 'in', accepts: ['go'], sends: [], note: '' },
        { id: 'o', name: 'back', accepts: [], sends: ['ring', 'hush'], note: '' },
      ],
    },
    {
      ...newType('desk', 'Desk'),
      quantities: [
        quantity('level', '3.3', { role: 'output' }),
        quantity('rung', '0', { type: 'Integer' }),
        quantity('ask', 'false', { type: 'Boolean', role: 'parameter' }),
      ],
      physics: 'equation level = 3.3 + time;',
      charts: [
        chart(
          'says',
          [state('Waiting'), state('Asked')],
          [
            transition('Waiting', 'Asked', 'when ask', { effect: 'send go to out;' }),
            transition('Asked', 'Waiting', 'when not ask'),
          ],
        ),
        chart(
          'hears',
          [state('Ears')],
          [transition('Ears', 'Ears', 'message ring', { internal: true, effect: 'rung := rung + 1;' })],
        ),
      ],
      ports: [
        { id: 'i', name: 'in', accepts: ['ring'], sends: [], note: '' },
        { id: 'o', name: 'out', accepts: [], sends: ['go'], note: '' },
      ],
    },
  ],
  setups: [
    {
      ...newSetup('s', 'S'),
      stop: 0.5,
      recordEvery: 0.0002,
      relative: 1e-8,
      absolute: 1e-10,
      stimulus: [row('set', 0.0531, 'desk.ask', 'true')],
      ...more,
    },
  ],
});
const runOf = (project: Project, stage: StageText): StagedRun => {
  const { value, problems } = stagedRun(project, project.setups[0], new Map([['ctrl', stage]]), {
    keepSteps: true,
    compiledSteps: compiledHere,
  });
  if (!value) throw new Error(problems.map((p) => `${p.place}: ${p.message}`).join('; '));
  value.run.simulation.advance(Infinity);
  expect(value.run.simulation.problem).toBeUndefined();
  return value;
};
const reader = (run: Run) => {
  const recording = run.recorder.take();
  return (name: string, t: number): number => {
    const column = recording.columns.find((c) => c.name === name);
    if (!column) throw new Error(`There is no ${name}`);
    return valueAt(recording, column, t)!;
  };
};

test.each(['sampled', 'code'] as const)('in the stage %s signals go through their channels', (stage) => {
  const done = runOf(loop(), stage);
  const at = reader(done.run);
  // 8 bits over 5 V: 16/2*5/256 to a count, and the middle of it is told
  const count = 0.15625;
  expect(at('ctrl.seen', 0.205)).toBeCloseTo((Math.floor((3.3 + 0.2) / count) + 0.5) * count, 6);
  // the message comes at 0.0531; the step at 0.06 looks at the line, that at 0.07 believes it
  expect(at('ctrl.u', 0.069)).toBe(0);
  expect(at('ctrl.u', 0.0701)).toBeCloseTo(3, 9);
  expect(at('ctrl.open', 0.0701)).toBe(1);
  expect(at('desk.rung', 0.2)).toBe(1);
  expect(at('plant.x', 0.4)).toBeCloseTo(3, 6);
  expect(done.parts[0].losses()).toEqual([]);
});

test('what is beyond a range, and messages that come too fast, are counted', () => {
  const more = [row('set', 0.0531, 'desk.ask', 'true'), row('set', 0.0561, 'desk.ask', 'false')];
  const again = [row('set', 0.0581, 'desk.ask', 'true'), row('set', 0.0611, 'desk.ask', 'false')];
  const late = [row('set', 0.0621, 'desk.ask', 'true')];
  const narrow = channels.map((c) => (c.name === 'probe' ? { ...c, high: 3.6, highVolts: 5 } : c));
  const done = runOf(loop({ stimulus: [...more, ...again, ...late] }, narrow), 'code');
  const [{ losses }] = done.parts;
  // above 3.6 from 0.3 s on: 21 steps, or 20 where rounding says so
  const [probe, key] = losses();
  expect(probe.line).toBe('probe');
  expect(Math.abs(probe.beyond - 20)).toBeLessThanOrEqual(1);
  // two in one step are one edge, and the third comes while the line is still high
  expect(key).toEqual({ line: 'key', beyond: 0, lost: 2, counts: 0 });
  expect(reader(done.run)('desk.rung', 0.4)).toBe(1);
});

test('pulses themselves are on for their share of each period, behind a lag as it is known', () => {
  const rippling = channels.map((c) => (c.kind === 'pwm' ? { ...c, ripple: true } : c));
  const done = runOf(loop({ recordEvery: 0.00005 }, rippling), 'code');
  const at = reader(done.run);
  // 0.3 of 2 ms on at 10: between these once it has settled
  const [T, d, tau] = [0.002, 0.3, 0.005];
  const high = (10 * (1 - Math.exp((-d * T) / tau))) / (1 - Math.exp(-T / tau));
  const low = high * Math.exp((-(1 - d) * T) / tau);
  for (const k of [200, 210, 240]) {
    expect(at('plant.x', k * T + d * T)).toBeCloseTo(high, 5);
    expect(at('plant.x', k * T)).toBeCloseTo(low, 5);
    expect([at('ctrl.u', k * T + 0.0001), at('ctrl.u', k * T + 0.0007)]).toEqual([10, 0]);
  }
});

test('pulses: none, always, and a share that changes within a period', () => {
  const p = createPulses(100, false);
  expect([p.isOn(0), p.next(0)]).toEqual([false, Infinity]);
  p.turn(0.02, 0.25);
  expect([p.isOn(0.01), p.isOn(0.02), p.isOn(0.0224), p.isOn(0.0226), p.isOn(0.03)]).toEqual([
    false,
    true,
    true,
    false,
    true,
  ]);
  expect([p.next(0), p.next(0.02), p.next(0.0225), p.next(0.03)].map((x) => Number(x.toFixed(9)))).toEqual([
    0.02, 0.0225, 0.03, 0.0325,
  ]);
  p.turn(0.043, 1);
  expect([p.isOn(0.041), p.isOn(0.0426), p.isOn(0.043), p.isOn(0.0499), p.next(0.0426), p.next(0.05)]).toEqual([
    true,
    false,
    true,
    true,
    0.043,
    Infinity,
  ]);
  p.turn(0.06, 0);
  expect([p.isOn(0.07), p.next(0.061)]).toEqual([false, Infinity]);
  // what is kept is gone on from
  const again = createPulses(100, false, p.keep());
  expect([again.isOn(0.059), again.isOn(0.07)]).toEqual([true, false]);
});

const rippling = channels.map((c) => (c.kind === 'pwm' ? { ...c, ripple: true } : c));
/** With a fixed point for every real number of the controller. */
const withFixedPoint = (project: Project): Project => ({
  ...project,
  types: project.types.map((t) =>
    t.id === 'ctrl'
      ? {
          ...t,
          quantities: t.quantities.map((q) =>
            q.type === 'Real' && q.role !== 'constant' ? { ...q, number: 'fixed16', min: '-0.1', max: '0.1' } : q,
          ),
        }
      : t,
  ),
});
test.each<readonly [StageText, readonly Channel[], isFixed: boolean]>([
  ['code', channels, false],
  ['code', channels, true],
  ['code', rippling, false],
  ...boards.map((b) => [`board:${b.id}`, rippling, false] as const),
])('a run through channels goes on from a moment as it went: %s', (stage, own, isFixed) => {
  const usual = loop(
    {
      stop: 0.2,
      stimulus: [
        row('set', 0.0531, 'desk.ask', 'true'),
        row('set', 0.0561, 'desk.ask', 'false'),
        row('set', 0.1031, 'desk.ask', 'true'),
      ],
    },
    own,
  );
  const project = isFixed ? withFixedPoint(usual) : usual;
  const { value, problems } = stagedRun(project, project.setups[0], new Map([['ctrl', stage]]), {
    compiledSteps: compiledHere,
  });
  if (!value) {
    expect(problems[0].message).toContain('is not available here');
    return;
  }
  const story = (run: Run): string =>
    JSON.stringify([
      run.recorder.take().columns.map((c) => [c.name, [...c.values].slice(-200)]),
      run.steps[0].losses(),
      run.steps[0].overruns(),
      run.steps[0].fits(),
    ]);
  for (const moment of [0.055, 0.0651, 0.0751, 0.1041, 0.1151]) {
    const first = createRun(value.prepared);
    first.simulation.advance(moment);
    const kept = first.keep();
    first.simulation.advance(Infinity);
    expect(first.simulation.problem).toBeUndefined();
    const wanted = story(first);
    if (isFixed) expect(first.steps[0].fits().some((f) => f.beyond > 0)).toBe(true);
    for (let twice = 0; twice < 2; twice++) {
      const again = createRun(value.prepared, {
        from: { state: kept.state, recorder: first.recorder.fork(kept.mark, false) },
      });
      again.simulation.advance(Infinity);
      expect(story(again)).toBe(wanted);
    }
  }
});

test.each(boards.map((b) => b.id))('on %s the same arrives through its pins', (id) => {
  const project = loop();
  const { value, problems } = stagedRun(project, project.setups[0], new Map([['ctrl', `board:${id}` as const]]), {
    compiledSteps: compiledHere,
  });
  if (!value) {
    expect(problems[0].message).toContain('is not available here');
    return;
  }
  value.run.simulation.advance(Infinity);
  const at = reader(value.run);
  expect(at('ctrl.u', 0.069)).toBe(0);
  expect(at('ctrl.u', 0.075)).toBeCloseTo(3, id === 'larch8' ? 3 : 4);
  expect([at('ctrl.open', 0.065), at('ctrl.open', 0.075)]).toEqual([0, 1]);
  expect(at('desk.rung', 0.2)).toBe(1);
  // pulses begin when the step that asks for them is done
  const pulsed = loop({}, rippling);
  const seen = runOf(pulsed, `board:${id}` as const).run.recorder.take();
  const u = seen.columns.find((c) => c.name === 'ctrl.u')!.values.slice(0, seen.rows);
  const first = seen.time[u.findIndex((x) => x > 0)];
  expect(first).toBeGreaterThan(0.07 + 1e-6);
  expect(first).toBeLessThan(0.071);
  // on no pin: worked out beside the chip
  const count = ((id === 'larch8' ? 5 : 3.3) / 256) * 8;
  expect(at('ctrl.seen', 0.205)).toBeCloseTo((Math.floor((3.3 + 0.2) / count) + 0.5) * count, 6);
});

test('channels that cannot work keep a run from starting, at their place', () => {
  const wrong = channels.map((c) => (c.name === 'probe' ? { ...c, pins: pins('P1') } : c));
  const { problems } = stagedRun(loop({}, wrong), loop().setups[0], new Map([['ctrl', 'code' as const]]));
  expect(problems.map((p) => [p.place, p.message])).toContainEqual([
    'type/ctrl/channel/l-probe/pins',
    'P1 of Larch 8 cannot measure a voltage; P15, P16, P17, P18, P19 and P20 can',
  ]);
  const project = loop({ wires: [{ part: 'ctrl', channel: 'nokey', fault: 'loose', other: '' }] });
  const told = stagedRun(project, project.setups[0], new Map([['ctrl', 'code' as const]])).problems;
  expect(told.map((p) => [p.place, p.message])).toContainEqual([
    'setup/s/wires/0/channel',
    'Ctrl has no channel nokey; it has probe, drive, key, bell and gate',
  ]);
});

/** `probe` on a pin that measures, and jumpers: the pulses of `drive` to `probe`, the level of `gate` to `key`. */
const joined = (): Project => {
  const measuring = boards.map((b) => ({ board: b.id, pin: b.pins.find((p) => p.analog >= 0)!.name }));
  const own = channels.map((c) => (c.name === 'probe' ? { ...c, pins: measuring } : c));
  const wires = [
    { part: 'ctrl', channel: 'probe', fault: 'joined' as const, other: 'drive' },
    { part: 'ctrl', channel: 'key', fault: 'joined' as const, other: 'gate' },
  ];
  return loop({ wires, stimulus: [], stop: 0.2 }, own);
};
test.each<StageText>(['sampled', 'code', ...boards.map((b) => `board:${b.id}` as const)])(
  'jumpers bring what is put out to other pins, not what the product tells: %s',
  (stage) => {
    const project = joined();
    const { value, problems } = stagedRun(project, project.setups[0], new Map([['ctrl', stage]]), {
      compiledSteps: compiledHere,
    });
    if (!value) return expect(problems[0].message).toContain('is not available here');
    value.run.simulation.advance(0.035);
    const moment = value.run.keep();
    value.run.simulation.advance(Infinity);
    const at = reader(value.run);
    // a pin that rests shut is at its supply from the first step on: the second one sees it, the third believes it
    expect([at('ctrl.open', 0.019), at('ctrl.open', 0.0215)]).toEqual([0, 1]);
    expect(at('ctrl.u', 0.029)).toBeCloseTo(3, 2);
    // 30 % of the supply, of which 2 V are 16
    const supply = stage === 'board:larch32' ? 3.3 : 5;
    const count = (supply / 256) * 8;
    expect(at('ctrl.seen', 0.015)).toBeLessThan(count);
    expect(Math.abs(at('ctrl.seen', 0.15) - 0.3 * supply * 8)).toBeLessThan(count);
    // gone on from between two steps
    const again = createRun(value.prepared, { from: moment });
    again.simulation.advance(Infinity);
    expect(reader(again)('ctrl.seen', 0.0415)).toBe(at('ctrl.seen', 0.0415));
    expect(at('ctrl.seen', 0.0415)).toBeGreaterThan(5);
    return undefined;
  },
);
