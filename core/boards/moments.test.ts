import { compiledHere } from '@/cli/compiled';
import { linesOf } from '../pins/channels';
import { createPinSide } from '../pins/pin-side';
import { pinBoardNamed } from '../pins/pin-boards';
import {
  emptyProject,
  newChannel,
  newPart,
  newSetup,
  newType,
  type Channel,
  type PartType,
  type Project,
  type Setup,
} from '../project/project';
import { createRun } from '../run';
import type { RunState } from '../run/run';
import { stagedRun, type StagedRun } from '../run/staged';
import { valueAt } from '../simulate/recording';
import type { StageText } from '../stepcode/stage';
import { isBoardHere } from '../testing/boards-here';
import { quantity } from '../testing/run-project';

/** Voltages that are measured before the step that gets them. */
const period = 0.001;
const analog = (name: string, small: string, large: string, more: Partial<Channel> = {}): Channel => ({
  ...newChannel(name, name, 'analog'),
  quantity: name,
  pins: [
    { board: 'larch8', pin: small },
    { board: 'larch32', pin: large },
  ],
  ...more,
});
const waves = [
  analog('a', 'P17', 'P27', { early: 200e-6, average: 2 }),
  analog('b', 'P18', 'P28', { early: 550e-6 }),
  analog('c', 'P19', 'P29'),
];
const wave = { a: (t: number) => 0.5 + 0.45 * Math.sin(400 * t), b: (t: number) => 0.5 + 0.45 * Math.cos(310 * t) };

const project = (
  ctrl: Partial<PartType>,
  plant: string,
  links: readonly string[],
  more: Partial<Setup> = {},
): Project => ({
  ...emptyProject('p', 'P'),
  root: 'top',
  types: [
    {
      ...newType('top', 'Top'),
      parts: [newPart('x', 'plant', 'plant'), newPart('y', 'ctrl', 'ctrl')],
      links: [
        ...links.map((l) => ({ id: l, carries: '', from: `plant.${l}`, to: `ctrl.${l}` })),
        { id: 'l2', carries: '', from: 'ctrl.u', to: 'plant.u' },
      ],
    },
    {
      ...newType('plant', 'Plant'),
      quantities: [quantity('u', '', { role: 'input' }), ...links.map((l) => quantity(l, '0', { role: 'output' }))],
      physics: plant,
    },
    { ...newType('ctrl', 'Ctrl'), software: `${period} 's'`, ...ctrl },
  ],
  setups: [{ ...newSetup('s', 'S'), stop: 0.1, recordEvery: 0.0005, relative: 1e-9, absolute: 1e-11, ...more }],
});
const waving = (channels: readonly Channel[], more: Partial<Setup> = {}): Project =>
  project(
    {
      channels,
      quantities: [
        ...['a', 'b', 'c'].map((q) => quantity(q, '', { role: 'input' })),
        quantity('u', '0', { role: 'output' }),
        ...['seenA', 'seenB', 'seenC'].map((q) => quantity(q, '0', { role: 'output' })),
      ],
      physics: 'equation u = 0; seenA = a; seenB = b; seenC = c;',
    },
    "equation a = 0.5 + 0.45*sin(400*time/1 's'); b = 0.5 + 0.45*cos(310*time/1 's'); c = a;",
    ['a', 'b', 'c'],
    more,
  );
const staged = (of: Project, stage: StageText, from?: RunState): StagedRun['run'] => {
  const { value, problems } = stagedRun(of, of.setups[0], new Map([['ctrl', stage]]), { compiledSteps: compiledHere });
  if (!value) throw new Error(problems.map((p) => `${p.place}: ${p.message}`).join('; '));
  return from ? createRun(value.prepared, { from: { state: from } }) : value.run;
};
const ran = (of: Project, stage: StageText): StagedRun['run'] => {
  const run = staged(of, stage);
  run.simulation.advance(Infinity);
  expect(run.simulation.problem).toBeUndefined();
  return run;
};
const seen = (run: StagedRun['run'], name: string, steps = 99): readonly number[] => {
  const recording = run.recorder.take();
  const column = recording.columns.find((c) => c.name === `ctrl.${name}`)!;
  return Array.from({ length: steps }, (_, k) => valueAt(recording, column, (k + 0.9) * period)!);
};
/** What a step reads of a voltage that is so at a time. */
const read = (channels: readonly Channel[], stage: StageText, name: string, value: (t: number) => number) => {
  const board = pinBoardNamed(stage.startsWith('board:') ? stage.slice(6) : 'larch8')!;
  const lines = linesOf(
    { ...newType('t', 'T'), channels, quantities: channels.map((c) => quantity(c.quantity, '', { role: 'input' })) },
    board,
  );
  const line = { ...lines.find((l) => l.name === name)!, early: 0 };
  const side = createPinSide([line], stage === 'sampled');
  return (t: number): number => side.read(new Map([[name, (value(t) - line.base) / line.perVolt]])).get(name)!;
};
const stages: readonly StageText[] = ['sampled', 'code', 'host', 'board:larch8', 'board:larch32'].filter(
  (s) => !s.startsWith('board:') || isBoardHere(s.slice(6)),
) as StageText[];

test.each(stages)('%s: each step gets what was there so long before it, the first one what is there', (stage) => {
  const run = ran(waving(waves), stage);
  const moments = (early: number): readonly number[] =>
    Array.from({ length: 99 }, (_, k) => Math.max(0, k * period - early));
  expect(seen(run, 'seenA')).toEqual(moments(200e-6).map(read(waves, stage, 'a', wave.a)));
  expect(seen(run, 'seenB')).toEqual(moments(550e-6).map(read(waves, stage, 'b', wave.b)));
  expect(seen(run, 'seenC')).toEqual(moments(0).map(read(waves, stage, 'c', wave.a)));
  expect(run.steps[0].losses()).toEqual([]);
});

test.each(stages)('%s: wires that are swapped bring what is on the other one at that moment', (stage) => {
  const faulty = ran(waving(waves, { wires: [{ part: 'ctrl', channel: 'a', fault: 'swapped', other: 'b' }] }), stage);
  const at = (k: number, early: number): number => Math.max(0, k * period - early);
  const all = Array.from({ length: 99 }, (_, k) => k);
  expect(seen(faulty, 'seenA')).toEqual(all.map((k) => read(waves, stage, 'a', wave.b)(at(k, 200e-6))));
  expect(seen(faulty, 'seenB')).toEqual(all.map((k) => read(waves, stage, 'b', wave.a)(at(k, 550e-6))));
});

test.each(stages.filter((s) => s !== 'host'))('%s: a run goes on from a moment between measuring and step', (stage) => {
  const whole = ran(waving(waves), stage);
  const first = staged(waving(waves), stage);
  first.simulation.advance(0.0207);
  const kept = first.keep().state;
  // both have been measured for the next step, which is still to come
  expect([first.simulation.time > 0.02045, first.simulation.time < 0.021]).toEqual([true, true]);
  const rest = staged(waving(waves), stage, kept);
  expect(rest.simulation.time).toBe(first.simulation.time);
  rest.simulation.advance(Infinity);
  for (const name of ['seenA', 'seenB']) expect(seen(rest, name).slice(21)).toEqual(seen(whole, name).slice(21));
});

test('what is beyond its range is counted where it is measured, once', () => {
  const narrow = waves.map((c) => (c.name === 'b' ? { ...c, low: 0.5, high: 1 } : c));
  const lost = ran(waving(narrow), 'code').steps[0].losses();
  const below = Array.from({ length: 101 }, (_, k) => Math.max(0, k * period - 550e-6)).filter((t) => wave.b(t) < 0.5);
  expect(lost.map((l) => [l.line, l.beyond])).toEqual([['b', below.length]]);
});

test('a current is its mean in the middle between pulses, and highest at the end of one', () => {
  const [volts, ohms, tau, frequency] = [10, 1, 0.01, 10_000];
  const measuredAt = (early: number): number => {
    const channels = [
      analog('i', 'P17', 'P27', { low: 4.9, high: 5.1, early }),
      {
        ...newChannel('u', 'u', 'pwm'),
        quantity: 'u',
        low: 0,
        high: volts,
        frequency,
        carrier: 'triangle' as const,
        ripple: true,
        pins: [{ board: 'larch8', pin: 'P10' }],
      },
    ];
    const run = ran(
      project(
        {
          channels,
          quantities: [
            quantity('i', '', { role: 'input' }),
            quantity('u', '0', { role: 'output' }),
            quantity('seen', '0', { role: 'output' }),
          ],
          physics: 'equation u = 5; seen = i;',
        },
        `equation ${tau} * 1 's' * der(i) = u/${ohms} - i;`,
        ['i'],
        { stop: 0.2, recordEvery: 0.005 },
      ),
      'sampled',
    );
    return seen(run, 'seen', 199).at(-1)!;
  };
  const half = 1 / frequency / 2;
  const grows = 1 - Math.exp(-half / tau);
  const highest = ((volts / ohms) * grows) / (1 - Math.exp(-(2 * half) / tau));
  const resolution = 0.2 / 2 ** 10;
  expect(Math.abs(measuredAt(half / 2) - highest)).toBeLessThan(resolution);
  const middle = highest * Math.exp(-half / 2 / tau);
  expect(Math.abs(measuredAt(2 * half) - middle)).toBeLessThan(resolution);
  expect(Math.abs(middle - 5)).toBeLessThan(resolution);
  expect(highest - middle).toBeGreaterThan(50 * resolution);
});
