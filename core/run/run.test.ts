import { tubeCapper } from '../../samples/tube-capper';
import { readProjectText, writeProjectJson } from '../formats/project-file';
import { newRequirement, newChart, newState, newTransition, type Project, type Setup } from '../project/project';
import { valueAt } from '../simulate/recording';
import { createEngine, type RunUpdate } from './engine';
import { createRun, isRunnable, prepareRun } from './index';
import { checkProject } from './check';
import { readFileSync } from 'node:fs';

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
const verdicts = (run: ReturnType<typeof finish>): Record<string, string> => Object.fromEntries(run.findings().map((f) => [f.key, f.verdict]));

test('the sample file is the one the sources write', () => {
  const text = readFileSync('samples/tube-capper.zelvar.json', 'utf8');
  expect(text).toBe(writeProjectJson(tubeCapper));
  expect(readProjectText(text).problems).toEqual([]);
});

describe('the stories of the capper', () => {
  test('Empty belt: the missing tube is reported at the very end of its time, which still counts', () => {
    const finding = finish(setup('Empty belt')).findings().find((f) => f.key === 'CAP-10')!;
    expect(finding.verdict).toBe('holds');
    expect(Math.abs(finding.margin!)).toBeLessThan(1e-9);
  });
  test('Five tubes: each in time', () => {
    const run = finish(setup('Five tubes'));
    expect(run.findings().find((f) => f.key === 'CAP-07')).toMatchObject({ verdict: 'holds', reason: 'Tested 5 times' });
  });
  test('Careful: everything that can be decided holds', () => {
    const run = finish(setup('Careful'));
    expect(run.simulation.status).toBe('finished');
    expect(verdicts(run)).toEqual({
      'CAP-01': 'holds', 'CAP-02': 'holds', 'CAP-03': 'holds', 'CAP-04': 'holds', 'CAP-05': 'undecided', 'CAP-06': 'holds', 'CAP-07': 'holds', 'CAP-08': 'holds', 'CAP-09': 'holds',
      'CAP-10': 'undecided', 'CAP-11': 'holds', 'CAP-12': 'holds', 'CAP-13': 'undecided', 'CAP-14': 'undecided', 'CAP-15': 'holds',
    });
    const recording = run.recorder.take();
    const at = (name: string, t: number): number => valueAt(recording, recording.columns.find((c) => c.name === name)!, t)!;
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
    let given = 0, heat = 0;
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
  const snapshot = straight.simulation.snapshot();
  straight.simulation.advance(Infinity);
  const end = Float64Array.from(straight.simulation.machine.memory.v);
  const other = createRun(prepare(setup('Eager')));
  other.simulation.advance(0);
  other.simulation.restore(snapshot);
  other.simulation.advance(Infinity);
  expect([...other.simulation.machine.memory.v]).toEqual([...end]);
});

describe('bad input', () => {
  const changed = (typeId: string, change: (t: Project['types'][number]) => Project['types'][number]): Project => ({ ...tubeCapper, types: tubeCapper.types.map((t) => (t.id === typeId ? change(t) : t)) });
  const found = (p: Project): string => checkProject(p).problems.map((x) => `${x.place} ${x.message}`).join('\n');

  test('a misspelt name and clashing units in the physics', () => {
    const p = changed('t-spindledrive', (t) => ({ ...t, physics: t.physics.replace('rotorSpeed = gear*speed', 'rotorSpeed = gear*sped').replace('R*current -', 'speed -') }));
    expect(found(p)).toMatch(/t-spindledrive\/physics sped is not a quantity .* did you mean speed\?/);
    expect(found(p)).toMatch(/subtracts voltage in V and speed in rad\/s/);
  });
  test('a chart that never settles names its loop', () => {
    const p = changed('t-guardswitch', (t) => ({
      ...t, charts: [{ ...newChart('c', 'door'), states: [{ ...newState('a', 'Here', null, 0, 0), initial: true }, newState('b', 'There', null, 0, 0)], transitions: [newTransition('x', 'a', 'b'), newTransition('y', 'b', 'a')] }],
    }));
    const run = createRun(prepare(setup('Careful'), p));
    run.simulation.advance(Infinity);
    expect(run.simulation.problem?.code).toBe('never-settles');
    expect(run.simulation.problem?.message).toMatch(/guard\.door never settles: it keeps going through (Here -> There|There -> Here)/);
  });
  test('an equation and a chart that give one quantity', () => {
    const p = changed('t-beltdrive', (t) => ({ ...t, physics: `${t.physics}driving = true;\n` }));
    expect(found(p)).toMatch(/driving is given by the equation "driving = true;" and is also set by the state chart belt\.drive/);
  });
  test('setups that name what is not there', () => {
    const p = { ...tubeCapper, setups: [{ ...setup('Careful'), changes: [{ name: 'ctrl.crepSpeed', value: '3' }], stimulus: [{ id: 'i', time: 0, kind: 'send' as const, target: 'nobody.start', value: '' }] }] };
    expect(found(p)).toMatch(/has no ctrl\.crepSpeed; did you mean ctrl\.creepSpeed\?/);
    expect(found(p)).toMatch(/nobody\.start does not name a part and a message/);
  });
  test('a requirement without a number does not keep the product from running', () => {
    const p = { ...tubeCapper, requirements: [newRequirement('r', 'R', 'The cap torque shall not exceed much.')] };
    expect(found(p)).toMatch(/requirement\/r "much" is not understood/);
    expect(finish(setup('Careful'), p).findings()[0]).toMatchObject({ verdict: 'undecided', reason: expect.stringContaining('"much"') });
  });
});

describe('the engine', () => {
  const collect = async (until: (u: RunUpdate) => boolean, start: (e: ReturnType<typeof createEngine>, listen: (u: RunUpdate) => void) => void) => {
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
    const updates = await collect((u) => u.status === 'finished', (e, listen) => void e.start(tubeCapper, 'u-careful', { pace: 0 }, listen));
    const rows = updates.reduce((sum, u) => sum + u.chunk.rows, 0);
    expect(rows).toBe(finish(setup('Careful')).recorder.rows);
    expect(updates.at(-1)!.findings.find((f) => f.key === 'CAP-02')?.verdict).toBe('holds');
  });
  test('pause, step to the next event, act, go on, end', async () => {
    const updates: RunUpdate[] = [];
    const engine = createEngine();
    engine.start({ ...tubeCapper, setups: [{ ...setup('Careful'), stimulus: [] }] }, 'u-careful', { pace: 0, paused: true }, (u) => updates.push(u));
    engine.step();
    expect(updates.at(-1)).toMatchObject({ status: 'paused', time: 0.05 });
    engine.step();
    expect(updates.at(-1)!.time).toBeCloseTo(0.15, 12);
    expect(engine.send('panel.start')).toBe(true);
    expect(updates.at(-1)!.chunk.messages.map((m) => m.message)).toEqual(['start', 'start', 'advance']);
    expect(engine.set('guard.open', 1)).toBe(true);
    expect(updates.at(-1)!.chunk.messages.map((m) => m.message)).toContain('guardOpened');
    expect(engine.send('nobody.start')).toBe(false);
    engine.cancel();
    expect(updates.at(-1)!.status).toBe('cancelled');
  });
  test('a pace follows the clock', async () => {
    const started = performance.now();
    const updates = await collect((u) => u.time >= 0.3, (e, listen) => void e.start(tubeCapper, 'u-careful', { pace: 1 }, listen));
    const seconds = (performance.now() - started) / 1000;
    expect(updates.at(-1)!.time).toBeLessThanOrEqual(seconds + 0.05);
    expect(seconds).toBeGreaterThan(0.25);
  });
  test('a run that cannot start says why', () => {
    const p = { ...tubeCapper, types: tubeCapper.types.map((t) => (t.id === 't-supply' ? { ...t, physics: 'voltage = ;' } : t)) };
    const result = createEngine().start(p, 'u-careful', { pace: 0 }, () => undefined);
    expect(result.model).toBeUndefined();
    expect(result.problems[0].place).toBe('type/t-supply/physics');
  });
});
