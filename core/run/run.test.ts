import { tubeCapper } from '../../samples/tube-capper';
import { readProjectText, writeProjectJson } from '../formats/project-file';
import {
  newChange,
  newRequirement,
  newChart,
  newState,
  newTransition,
  type Project,
  type Setup,
} from '../project/project';
import { wordOf } from '../simulate/configurations';
import { valueAt } from '../simulate/recording';
import { copyOf } from '../simulate/simulation';
import { createEngine } from './engine';
import type { RunUpdate, StartOptions } from './protocol';
import { runSetups } from './batch';
import { createRun, isRunnable, prepareRun } from './index';
import { messageTarget, type Prepared } from './prepare';
import { checkProject } from './check';
import { readFileSync } from 'node:fs';

const startOn = (
  engine: ReturnType<typeof createEngine>,
  project: Project,
  options: StartOptions,
  listen: (update: RunUpdate) => void,
) => {
  engine.open(project, 0);
  return engine.start('u-careful', options, listen);
};
const setup = (name: string): Setup => tubeCapper.setups.find((s) => s.name === name)!;
const prepare = (s: Setup, project: Project = tubeCapper) => {
  const prepared = prepareRun(project, s);
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join('; '));
  return prepared;
};
const finish = (s: Setup, project: Project = tubeCapper) => {
  const run = createRun(prepare(s, project));
  run.simulation.advance(Infinity);
  return run;
};
const verdicts = (run: ReturnType<typeof finish>): Record<string, string> =>
  Object.fromEntries(run.findings().map((f) => [f.key, f.verdict]));

test('the sample file is the one the sources write', () => {
  const text = readFileSync('samples/tube-capper.zelvar.json', 'utf8');
  expect(text).toBe(writeProjectJson(tubeCapper));
  expect(readProjectText(text).problems).toEqual([]);
});

describe('the stories of the capper', () => {
  test('Empty belt: the missing tube is reported at the very end of its time, which still counts', () => {
    const finding = finish(setup('Empty belt'))
      .findings()
      .find((f) => f.key === 'CAP-10')!;
    expect(finding.verdict).toBe('holds');
    expect(Math.abs(finding.margin!)).toBeLessThan(1e-9);
  });
  test('Five tubes: each in time', () => {
    const run = finish(setup('Five tubes'));
    expect(run.findings().find((f) => f.key === 'CAP-07')).toMatchObject({
      verdict: 'holds',
      reason: 'Tested 5 times',
    });
  });
  test('Careful: everything that can be decided holds', () => {
    const run = finish(setup('Careful'));
    expect(run.simulation.status).toBe('finished');
    expect(verdicts(run)).toEqual({
      'CAP-01': 'holds',
      'CAP-02': 'holds',
      'CAP-03': 'holds',
      'CAP-04': 'holds',
      'CAP-05': 'undecided',
      'CAP-06': 'holds',
      'CAP-07': 'holds',
      'CAP-08': 'holds',
      'CAP-09': 'holds',
      'CAP-10': 'undecided',
      'CAP-11': 'holds',
      'CAP-12': 'holds',
      'CAP-13': 'undecided',
      'CAP-14': 'undecided',
      'CAP-15': 'holds',
      'CAP-16': 'holds',
    });
    const recording = run.recorder.take();
    const at = (name: string, t: number): number =>
      valueAt(
        recording,
        recording.columns.find((c) => c.name === name)!,
        t,
      )!;
    // at rest under torque control the cap holds what it is pressed with: friction and seat together 0.6 N.m within 2 %
    expect(Math.abs(at('cap.torque', 1.36) - 0.6)).toBeLessThan(0.012);
    expect(at('ctrl.count', 2)).toBe(1);
  });

  test('Eager: CAP-02 fails when the cap has seated; the finding agrees with the recording', () => {
    const run = finish(setup('Eager'));
    const finding = run.findings().find((f) => f.key === 'CAP-02')!;
    expect(finding.verdict).toBe('fails');
    const recording = run.recorder.take();
    const torque = recording.columns.find((c) => c.name === 'cap.torque')!.values;
    const seated = recording.time[recording.columns.find((c) => c.name === 'cap.seated')!.values.indexOf(1)];
    const peak = Math.max(...torque);
    // the monitor also sees what lies between the recorded rows
    expect(finding.margin!).toBeLessThanOrEqual(0.85 - peak);
    expect(finding.margin!).toBeGreaterThan(0.85 - peak - 1e-3);
    const crossing = recording.time[torque.findIndex((x) => x > 0.85)];
    expect(Math.abs(finding.failsSince! - crossing)).toBeLessThan(1e-6);
    expect(finding.failsSince).toBeGreaterThan(seated);
    expect(finding.lane.map((s) => s.status)).toEqual(['good', 'bad', 'good']);
  });

  test('Guard: the stop is decided and the messages are recorded', () => {
    const run = finish(setup('Guard'));
    const finding = run.findings().find((f) => f.key === 'CAP-05')!;
    expect(finding.verdict).toBe('holds');
    expect(finding.margin).toBeGreaterThan(100);
    const { messages } = run.recorder.take();
    const opened = messages.find((m) => m.message === 'guardOpened')!;
    expect(opened.time).toBe(0.85);
    expect(opened.taken).toBe(true);
  });

  test('energy: what the supply gives is never less than what turns and heats', () => {
    const recording = finish(setup('Careful')).recorder.take();
    const column = (name: string): Float64Array => recording.columns.find((c) => c.name === name)!.values;
    const [power, current, speed] = [column('spindle.power'), column('spindle.current'), column('spindle.speed')];
    let given = 0,
      heat = 0;
    for (let r = 1; r < recording.rows; r++) {
      const h = recording.time[r] - recording.time[r - 1];
      given += (h * (power[r] + power[r - 1])) / 2;
      heat += (h * 1.2 * (current[r] ** 2 + current[r - 1] ** 2)) / 2;
    }
    expect(given).toBeGreaterThan(heat);
    expect(Math.abs(speed[recording.rows - 1])).toBeLessThan(1e-6);
  });

  test('all solvers agree on the peak torque', () => {
    const peaks = (['dopri5', 'rk4', 'implicit', 'auto'] as const).map((solver) => {
      const recording = finish({ ...setup('Eager'), solver, step: 2e-4, recordEvery: 1e-3 }).recorder.take();
      return Math.max(...recording.columns.find((c) => c.name === 'cap.torque')!.values);
    });
    for (const peak of peaks) expect(Math.abs(peak - peaks[0])).toBeLessThan(2e-4);
  });
});

test('a snapshot taken in the middle restores to the same bits', () => {
  const straight = createRun(prepare(setup('Eager')));
  straight.simulation.advance(0.9);
  const snapshot = copyOf(straight.simulation.state);
  straight.simulation.advance(Infinity);
  const end = Float64Array.from(straight.simulation.machine.memory.v);
  const from = { state: { simulation: snapshot, monitors: [], sequences: [] } };
  const other = createRun(prepare(setup('Eager')), { from });
  other.simulation.advance(Infinity);
  expect([...other.simulation.machine.memory.v]).toEqual([...end]);
});

describe('bad input', () => {
  const changed = (typeId: string, change: (t: Project['types'][number]) => Project['types'][number]): Project => ({
    ...tubeCapper,
    types: tubeCapper.types.map((t) => (t.id === typeId ? change(t) : t)),
  });
  const found = (p: Project): string =>
    checkProject(p)
      .problems.map((x) => `${x.place} ${x.message}`)
      .join('\n');

  test('a misspelt name and clashing units in the physics', () => {
    const p = changed('t-spindledrive', (t) => ({
      ...t,
      physics: t.physics
        .replace('rotorSpeed = rotor.w', 'rotorSpeed = gear*sped')
        .replace('abs(voltage*current)', 'abs((voltage - speed)*current)'),
    }));
    expect(found(p)).toMatch(/t-spindledrive\/physics sped is not a quantity .* did you mean speed\?/);
    expect(found(p)).toMatch(/subtracts voltage in V and speed in rad\/s/);
  });
  test('a chart that never settles names its loop', () => {
    const p = changed('t-guardswitch', (t) => ({
      ...t,
      charts: [
        {
          ...newChart('c', 'door'),
          states: [{ ...newState('a', 'Here', null, 0, 0), initial: true }, newState('b', 'There', null, 0, 0)],
          transitions: [newTransition('x', 'a', 'b'), newTransition('y', 'b', 'a')],
        },
      ],
    }));
    const run = createRun(prepare(setup('Careful'), p));
    run.simulation.advance(Infinity);
    expect(run.simulation.problem?.code).toBe('never-settles');
    expect(run.simulation.problem?.message).toMatch(
      /guard\.door never settles: it keeps going through (Here -> There|There -> Here)/,
    );
  });
  test('an equation and a chart that give one quantity', () => {
    const p = changed('t-beltdrive', (t) => ({ ...t, physics: `${t.physics}driving = true;\n` }));
    expect(found(p)).toMatch(
      /driving is given by the equation "driving = true;" and is also set by the state chart belt\.drive/,
    );
  });
  test('setups that name what is not there', () => {
    const p = {
      ...tubeCapper,
      setups: [
        {
          ...setup('Careful'),
          changes: [newChange('c', 'ctrl.crepSpeed', '3')],
          stimulus: [{ id: 'i', time: 0, kind: 'send' as const, target: 'nobody.start', value: '' }],
        },
      ],
    };
    expect(found(p)).toMatch(/has no ctrl\.crepSpeed; did you mean ctrl\.creepSpeed\?/);
    expect(found(p)).toMatch(/nobody\.start does not name a part and a message/);
  });
  test('a requirement without a number does not keep the product from running', () => {
    const p = { ...tubeCapper, requirements: [newRequirement('r', 'R', 'The cap torque shall not exceed much.')] };
    expect(found(p)).toMatch(/requirement\/r "much" is not understood/);
    expect(finish(setup('Careful'), p).findings()[0]).toMatchObject({
      verdict: 'undecided',
      reason: expect.stringContaining('"much"'),
    });
  });
});

describe('the engine', () => {
  const collect = async (
    until: (u: RunUpdate) => boolean,
    start: (e: ReturnType<typeof createEngine>, listen: (u: RunUpdate) => void) => void,
  ) => {
    const updates: RunUpdate[] = [];
    await new Promise<void>((resolve) => {
      const engine = createEngine();
      start(engine, (u) => {
        updates.push(u);
        if (until(u)) resolve();
      });
    });
    return updates;
  };
  test('a run arrives in pieces that make up the whole', async () => {
    const updates = await collect(
      (u) => u.status === 'finished',
      (e, listen) => void startOn(e, tubeCapper, { pace: 0 }, listen),
    );
    const rows = updates.reduce((sum, u) => sum + (u.chunk?.rows ?? 0), 0);
    expect(rows).toBe(finish(setup('Careful')).recorder.rows);
    expect(updates.at(-1)!.findings.find((f) => f.key === 'CAP-02')?.verdict).toBe('holds');
  });
  test('without a screen: no rows and no verdicts until it rests, then the same ones', async () => {
    const long = (screen: boolean) => ({
      ...tubeCapper,
      setups: tubeCapper.setups.map((x) => ({ ...x, stop: 6, screen })),
    });
    const updates = (screen: boolean) =>
      collect(
        (u) => u.status === 'finished',
        (e, listen) => void startOn(e, long(screen), { pace: screen ? 0 : 1000 }, listen),
      );
    const unseen = await updates(false),
      shown = await updates(true);
    for (const u of unseen.slice(0, -1)) expect([u.chunk, u.findings.length]).toEqual([undefined, 0]);
    const end = unseen.at(-1)!;
    const { time, rows } = end.chunk!;
    expect([time[0], time[rows - 1]]).toEqual([0, 6]);
    expect(shown.reduce((sum, u) => sum + (u.chunk?.rows ?? 0), 0)).toBe(rows);
    expect(end.findings).toEqual(shown.at(-1)!.findings);
  });
  test('pause, step to the next event, act, go on, end', async () => {
    const updates: RunUpdate[] = [];
    const engine = createEngine();
    engine.open({ ...tubeCapper, setups: [{ ...setup('Careful'), stimulus: [] }] }, 0);
    engine.start('u-careful', { pace: 0, paused: true }, (u) => updates.push(u));
    engine.step();
    expect(updates.at(-1)).toMatchObject({ status: 'paused', time: 0.05 });
    engine.step();
    expect(updates.at(-1)!.time).toBeCloseTo(0.15, 12);
    expect(engine.send('panel.start')).toBe(true);
    expect(updates.at(-1)!.chunk!.messages.map((m) => m.message)).toEqual(['start', 'start', 'advance']);
    expect(engine.set('guard.open', 1)).toBe(true);
    expect(updates.at(-1)!.chunk!.messages.map((m) => m.message)).toContain('guardOpened');
    expect(engine.send('nobody.start')).toBe(false);
    engine.cancel();
    expect(updates.at(-1)!.status).toBe('cancelled');
  });
  test('a pace follows the clock', async () => {
    const started = performance.now();
    const updates = await collect(
      (u) => u.time >= 0.3,
      (e, listen) => void startOn(e, tubeCapper, { pace: 1 }, listen),
    );
    const seconds = (performance.now() - started) / 1000;
    expect(updates.at(-1)!.time).toBeLessThanOrEqual(seconds + 0.05);
    expect(seconds).toBeGreaterThan(0.25);
  });
  test('a run that cannot start says why', () => {
    const p = {
      ...tubeCapper,
      types: tubeCapper.types.map((t) => (t.id === 't-supply' ? { ...t, physics: 'voltage = ;' } : t)),
    };
    const result = startOn(createEngine(), p, { pace: 0 }, () => undefined);
    expect(result.model).toBeUndefined();
    expect(result.problems[0].place).toBe('type/t-supply/physics');
  });
});

describe('what a setup can say', () => {
  const withSetup = (more: Partial<Setup>): ReturnType<typeof createRun> => {
    const prepared = prepareRun(tubeCapper, { ...setup('Careful'), loopsWhen: '', ...more });
    expect(prepared.problems.filter((p) => p.severity === 'error')).toEqual([]);
    const run = createRun(prepared as Prepared & { program: NonNullable<Prepared['program']> });
    run.simulation.advance(Infinity);
    return run;
  };
  const row = (kind: 'set' | 'send' | 'follow', target: string, value: string, time = 0) => ({
    id: `r${target}`,
    time,
    kind,
    target,
    value,
  });

  test('it starts in a state, and ends when a condition holds', () => {
    const run = withSetup({
      startIn: ['ctrl.mode.Ready'],
      stimulus: [row('send', 'panel.start', '', 0.05)],
      endWhen: 'gripper.closed',
    });
    expect(run.simulation.status).toBe('finished');
    const recording = run.recorder.take();
    const mode = recording.columns.find((c) => c.name === 'ctrl.mode')!;
    expect(wordOf(mode, mode.values[0])).toBe('Ready');
    expect(recording.time[recording.rows - 1]).toBeLessThan(1);
    expect(recording.columns.find((c) => c.name === 'gripper.closed')!.values[recording.rows - 1]).toBe(1);
  });
  test('only what is asked for is recorded; parts stand for all they hold', () => {
    const run = withSetup({ record: ['psu', 'ctrl.mode', 'cap.torque'], stop: 0.05 });
    expect(
      run.recorder
        .take()
        .columns.map((c) => c.name)
        .filter((n) => !n.startsWith('psu.'))
        .sort(),
    ).toEqual(['cap.torque', 'ctrl.mode', 'ctrl.mode.guardShut']);
    expect(
      prepareRun(tubeCapper, { ...setup('Careful'), record: ['cap.torqe'] }).problems.map((p) => [p.place, p.message]),
    ).toContainEqual([`setup/${setup('Careful').id}/record/0`, 'Capper has no cap.torqe to record']);
  });
  test('inputs follow formulas over time; another part type runs on its own', () => {
    const run = withSetup({
      root: 't-supply',
      stimulus: [row('follow', 'power', "6 'W' + 6 'W'*sin(6.283185307179586 'rad/s'*time)")],
      stop: 1,
    });
    const recording = run.recorder.take();
    const column = (name: string): Float64Array => recording.columns.find((c) => c.name === name)!.values;
    const at = recording.time.findIndex((t) => t >= 0.25);
    expect(column('power')[at]).toBeCloseTo(12, 6);
    // 12 W from 12 V through 0.06 ohm: u^2 - 12 u + 0.06*12 = 0
    expect(column('voltage')[at]).toBeCloseTo((12 + Math.sqrt(144 - 4 * 0.06 * 12)) / 2, 6);
    expect(run.findings()).toEqual([]);
  });
  test('what cannot be followed, started in or ended by is told at its place', () => {
    const told = (more: Partial<Setup>): string[] =>
      prepareRun(tubeCapper, { ...setup('Careful'), ...more })
        .problems.filter((p) => p.severity === 'error')
        .map((p) => p.message);
    expect(told({ startIn: ['ctrl.mode.Nowhere'] })).toEqual([expect.stringContaining('no state ctrl.mode.Nowhere')]);
    expect(told({ stimulus: [row('follow', 'spindle.speed', '1')] })).toEqual([
      expect.stringContaining('spindle.speed is no input'),
    ]);
    expect(told({ stimulus: [row('follow', 'guard.opn', '1')] })).toEqual([
      expect.stringContaining('There is no guard.opn'),
    ]);
    expect(told({ endWhen: 'gripper.closed and' }).length).toBeGreaterThan(0);
  });
  test('several setups one after the other; cancelled between slices', async () => {
    const seen: number[] = [];
    const results = await runSetups(
      tubeCapper,
      ['u-careful', 'u-eager', 'u-guard-written'],
      (p) => seen.push(p.done),
      () => Promise.resolve(true),
    );
    expect(
      results.map((r) => [
        r.status,
        r.findings.filter((f) => f.verdict === 'fails').length,
        r.sequences[0]?.report.verdict,
      ]),
    ).toEqual([
      ['finished', 0, undefined],
      ['finished', 1, undefined],
      ['finished', 0, 'passed'],
    ]);
    expect(seen.at(-1)).toBe(3);
    const stopped = await runSetups(
      tubeCapper,
      ['u-batch', 'u-eager'],
      () => undefined,
      () => Promise.resolve(false),
    );
    expect(stopped.map((r) => r.status)).toEqual(['cancelled']);
  });
  test('written sequences decide: as written, and with the seeded fault', () => {
    const verdict = (name: string, id?: string): string => {
      const run = withSetup({ ...setup(name), ...(id && { sequences: [id], stimulus: [] }) });
      return run.sequences()[0].report.verdict;
    };
    expect(verdict('Careful', 'q-cap-one-tube')).toBe('passed');
    expect(verdict('Guard, written')).toBe('passed');
    expect(verdict('Batch')).toBe('passed');
    expect(verdict('Late counter')).toBe('failed');
    expect(verdict('Empty belt', 'q-cap-one-tube')).toBe('failed');
  });
  test('what was done from outside, done again, gives the same run', () => {
    const first = createRun(
      prepareRun(tubeCapper, { ...setup('Careful'), stimulus: [] }) as Prepared & {
        program: NonNullable<Prepared['program']>;
      },
    );
    first.simulation.advance(0.3137);
    const at = first.simulation.time;
    first.simulation.send(messageTarget(prepareRun(tubeCapper, setup('Careful')).model, 'panel.start')!.part, 'start');
    first.simulation.advance(Infinity);
    const again = withSetup({ stimulus: [row('send', 'panel.start', '', at)] });
    const [a, b] = [first.recorder.take(), again.recorder.take()];
    expect(b.messages.map((m) => [m.message, m.sender])).toEqual(a.messages.map((m) => [m.message, m.sender]));
    b.messages.forEach((m, k) => expect(Math.abs(m.time - a.messages[k].time)).toBeLessThan(1e-9));
  });
  test('a run stops at states, transitions and conditions', () => {
    const prepared = prepareRun(tubeCapper, setup('Careful'), undefined, ['spindle.speed > 20']);
    const run = createRun(prepared as Prepared & { program: NonNullable<Prepared['program']> });
    run.simulation.breakAt(
      new Set([
        'type/t-cappercontrol/chart/c-mode/state/s-turning',
        'type/t-cappercontrol/chart/c-mode/transition/x-8',
      ]),
    );
    const hits: (string | undefined)[] = [];
    for (let k = 0; k < 50 && run.simulation.status !== 'finished'; k++) {
      run.simulation.advance(Infinity);
      const hit = run.simulation.takeBreak();
      if (hit) hits.push(hit.split('/').at(-1));
    }
    expect(hits).toEqual(['s-turning', 'spindle.speed > 20', 'x-8']);
  });
});
