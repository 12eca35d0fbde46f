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
  type Project,
  type Setup,
} from '../project/project';
import { createRun } from '../run';
import { stagedRun, type StagedRun } from '../run/staged';
import { valueAt, type Recording } from '../simulate/recording';
import { stepProgramOf } from '../stepcode/controller';
import type { StageText } from '../stepcode/stage';
import { isBoardHere } from '../testing/boards-here';
import { quantity } from '../testing/run-project';

const on = (small: readonly string[], large: readonly string[]): Pick<Channel, 'pins' | 'otherPins'> => {
  const of = (k: number): Channel['pins'] => [
    { board: 'larch8', pin: small[k] },
    { board: 'larch32', pin: large[k] },
  ];
  return { pins: of(0), otherPins: of(1) };
};
const period = 0.001;
/** 400 counts for a turn of 8. */
const encoder: Channel = {
  ...newChannel('l-1', 'disc', 'encoder'),
  quantity: 'angle',
  low: 0,
  high: 8,
  counts: 400,
  ...on(['P3', 'P16'], ['P4', 'P20']),
};
const bridge: Channel = {
  ...newChannel('l-2', 'bridge', 'pwm'),
  quantity: 'u',
  low: 0,
  high: 10,
  frequency: 10_000,
  carrier: 'triangle',
  pair: true,
  blanking: 2e-6,
  ...on(['P11', 'P10'], ['P7', 'P8']),
};

/** What turns to and fro; its angle is told, and a voltage asked for. */
const product = (channels: readonly Channel[], more: Partial<Setup> = {}, angle = "3*sin(20*time/1 's')"): Project => ({
  ...emptyProject('p', 'P'),
  root: 'top',
  types: [
    {
      ...newType('top', 'Top'),
      parts: [newPart('a', 'plant', 'plant'), newPart('b', 'ctrl', 'ctrl')],
      links: [
        { id: 'l1', carries: '', from: 'plant.angle', to: 'ctrl.angle' },
        { id: 'l2', carries: '', from: 'ctrl.u', to: 'plant.u' },
      ],
    },
    {
      ...newType('plant', 'Plant'),
      quantities: [quantity('u', '', { role: 'input' }), quantity('angle', '0', { role: 'output' })],
      physics: `equation angle = 1 + ${angle};`,
    },
    {
      ...newType('ctrl', 'Ctrl'),
      software: `${period} 's'`,
      channels,
      quantities: [
        quantity('angle', '', { role: 'input' }),
        quantity('wish', '4', { role: 'parameter' }),
        quantity('u', '0', { role: 'output' }),
        quantity('seen', '0', { role: 'output' }),
      ],
      physics: 'equation u = wish; seen = angle;',
    },
  ],
  setups: [{ ...newSetup('s', 'S'), stop: 0.3, recordEvery: 0.0005, relative: 1e-9, absolute: 1e-11, ...more }],
});
const staged = (project: Project, stage: StageText): StagedRun => {
  const { value, problems } = stagedRun(project, project.setups[0], new Map([['ctrl', stage]]), {
    compiledSteps: compiledHere,
  });
  if (!value) throw new Error(problems.map((p) => `${p.place}: ${p.message}`).join('; '));
  return value;
};
const ran = (project: Project, stage: StageText): StagedRun['run'] => {
  const { run } = staged(project, stage);
  run.simulation.advance(Infinity);
  expect(run.simulation.problem).toBeUndefined();
  return run;
};
const at = (recording: Recording, name: string, time: number): number =>
  valueAt(
    recording,
    recording.columns.find((c) => c.name === name)!,
    time,
  )!;
/** Of a run: what was read of an angle after each step, in counts. */
const counts = (run: StagedRun['run']): readonly number[] => {
  const recording = run.recorder.take();
  return Array.from({ length: 299 }, (_, k) => Math.round(at(recording, 'ctrl.seen', (k + 0.9) * period) / 0.02));
};
/** What an encoder counts from where it stood at the beginning. */
const turned = Array.from({ length: 299 }, (_, k) => Math.floor((1 + 3 * Math.sin(20 * k * period)) / 0.02) - 50);
const stages: readonly StageText[] = ['sampled', 'code', 'host', 'board:larch8', 'board:larch32'].filter(
  (s) => !s.startsWith('board:') || isBoardHere(s.slice(6)),
) as StageText[];

test.each(stages)('%s counts the edges of an encoder from where it stood, both ways', (stage) => {
  const run = ran(product([encoder, bridge]), stage);
  expect(counts(run)).toEqual(turned);
  expect(run.steps[0].losses()).toEqual([]);
});

test.each(stages)('%s: two lines that are crossed count the other way, and what is loose counts nothing', (stage) => {
  const faulty = (fault: Setup['wires'][number]['fault']): readonly number[] =>
    counts(ran(product([encoder, bridge], { wires: [{ part: 'ctrl', channel: 'disc', fault, other: '' }] }), stage));
  expect(faulty('crossed')).toEqual(turned.map((x) => (x === 0 ? 0 : -x)));
  expect(new Set(faulty('loose'))).toEqual(new Set([0]));
  expect(new Set(faulty('noisy')).size).toBeGreaterThan(2);
});

test.each(stages.filter((s) => s.startsWith('board:')))('%s misses edges that come too fast, and says so', (stage) => {
  // 120,000 counts in a second fit; ten and thirty times as many do not
  const missed = (perSecond: number): ReturnType<StagedRun['run']['steps'][number]['losses']> =>
    ran(product([encoder, bridge], { stop: 0.02 }, `${perSecond * 0.02}*time/1 's'`), stage).steps[0].losses();
  expect(missed(20_000)).toEqual([]);
  const [lost] = missed(stage === 'board:larch8' ? 1.2e6 : 2e7);
  expect(lost.line).toBe('disc');
  expect(lost.counts).toBeGreaterThan(100);
  // however long it has stood before
  const perSecond = (stage === 'board:larch8' ? 1.2e6 : 2e7) * 0.02;
  const late = `(if time < 0.0155 's' then 0 else ${perSecond}*(time/1 's' - 0.0155))`;
  expect(ran(product([encoder, bridge], { stop: 0.02 }, late), stage).steps[0].losses()).toEqual([
    expect.objectContaining({ line: 'disc' }),
  ]);
  // no stage that only computes has that
  expect(ran(product([encoder, bridge], { stop: 0.02 }, "24000*time/1 's'"), 'code').steps[0].losses()).toEqual([]);
});

test.each(stages.filter((s) => s.startsWith('board:') || s === 'code'))('%s goes on from the middle', (stage) => {
  const { prepared } = staged(product([encoder, bridge]), stage);
  const first = createRun(prepared);
  first.simulation.advance(0.0973);
  const kept = first.keep();
  first.simulation.advance(Infinity);
  const again = createRun(prepared, {
    from: { state: kept.state, recorder: first.recorder.fork(kept.mark, false) },
  });
  again.simulation.advance(Infinity);
  expect(counts(again)).toEqual(turned);
});

test.each(stages)('%s: of a pair both are off in between, which is missing in the mean', (stage) => {
  const u = (wish: number, more: Partial<Channel> = {}, wires: Setup['wires'] = []): number => {
    const project = product([encoder, { ...bridge, ...more }], {
      stop: 0.01,
      wires,
      changes: [{ id: 'c', name: 'ctrl.wish', value: String(wish) }],
    });
    // the same after every step
    const recording = ran(project, stage).recorder.take();
    const found = [3, 4, 5, 6, 7, 8].map((k) => at(recording, 'ctrl.u', (k + 0.9) * period));
    expect(new Set(found).size).toBe(1);
    return found[0];
  };
  // 2 us of 100 us, once in each period of either
  const step = 10 / (stage === 'board:larch32' ? 6250 : 800);
  expect(Math.abs(u(4) - (4 - 0.2))).toBeLessThanOrEqual(step);
  expect(u(0)).toBe(0);
  expect(u(10)).toBe(10);
  expect(u(11)).toBe(10);
  // less than is left out is nothing
  expect(u(0.15)).toBe(0);
  const crossed: Setup['wires'] = [{ part: 'ctrl', channel: 'bridge', fault: 'crossed', other: '' }];
  expect(Math.abs(u(4, {}, crossed) - (10 - 4 - 0.2))).toBeLessThanOrEqual(step);
  expect(u(0, {}, crossed)).toBe(10);
  expect(u(10, {}, crossed)).toBe(0);
  expect(Math.abs(u(4, { pair: false, carrier: 'ramp' }) - 4)).toBeLessThanOrEqual(step);
});

test.each(['larch8', 'larch32'].filter(isBoardHere))(
  'pulses of %s are those that are worked out, at every step',
  (id) => {
    const board = pinBoardNamed(id)!;
    for (const channel of [
      bridge,
      { ...bridge, blanking: 0 },
      { ...bridge, blanking: 7.77e-6, ...on(['P10', 'P11'], ['P8', 'P7']) },
      { ...bridge, pair: false },
      { ...bridge, pair: false, carrier: 'ramp' as const },
    ]) {
      const project = product([encoder, channel]);
      const type = project.types.find((t) => t.name === 'Ctrl')!;
      const { program } = stepProgramOf(project, type);
      const lines = linesOf(type, board);
      const made = compiledHere(program!, board, lines);
      if (typeof made === 'string') throw new Error(made);
      const [run, side] = [made.create(), createPinSide(lines, false)];
      run.init();
      const slot = (role: string, name: string): number =>
        program!.slots.findIndex((s) => s.role === role && s.name === name);
      const seen = new Set<number>();
      for (let k = -3; k <= 203; k++) {
        run.write(slot('parameter', 'wish'), k / 20);
        run.step();
        side.write((name) => run.read(slot('output', name)));
        const [first, second] = [false, true].map((isOther) => run.pins!.volts('bridge', isOther));
        expect([k, first]).toEqual([k, side.volts('bridge')]);
        if (channel.pair) expect([k, second]).toEqual([k, side.volts('bridge', true)]);
        seen.add(first);
      }
      expect(seen.size).toBeGreaterThan(140);
    }
  },
);

const valueOfU = (run: StagedRun['run'], time: number): number => at(run.recorder.take(), 'ctrl.u', time);

test.each(stages)('%s: what smooths pulses follows them as a resistor and a capacitor do', (stage) => {
  const smoothing = 0.02;
  const plain: Channel = { ...bridge, pair: false, blanking: 0, carrier: 'ramp', smoothing };
  const run = ran(product([encoder, plain]), stage);
  // 4 are 640 of 1600 steps, or 5000 of 12,500
  for (const t of [0.005, 0.02, 0.1, 0.25])
    // on a board they begin when the first step is done
    expect(Math.abs(valueOfU(run, t) - 4 * (1 - Math.exp(-t / smoothing)))).toBeLessThan(
      stage.startsWith('board:') ? 0.02 : 2e-3,
    );
  // with every pulse: between the two ends of a saw tooth once it has settled
  const slow: Channel = { ...plain, frequency: 100, smoothing: 0.01, ripple: true };
  const rippled = ran(product([encoder, slow]), stage).recorder.take();
  const values = rippled.columns.find((c) => c.name === 'ctrl.u')!.values.slice(0, rippled.rows);
  const settled = [...values].filter((_, k) => rippled.time[k] > 0.2);
  const [onFor, all] = [0.4, 1];
  const top = (10 * (1 - Math.exp(-onFor))) / (1 - Math.exp(-all));
  const bottom = top * Math.exp(-(all - onFor));
  expect(Math.abs(Math.max(...settled) - top)).toBeLessThan(0.01);
  expect(Math.abs(Math.min(...settled) - bottom)).toBeLessThan(0.01);
});
