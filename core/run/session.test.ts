import { tubeCapper } from '../../samples/tube-capper';
import type { Project } from '../project/project';
import { row } from '../testing/run-project';
import type { Recording, RecordingChunk } from '../simulate/recording';
import { createEngine } from './engine';
import { createMoments, type KeptMoment } from './moments';
import type { OutsideAction, RunUpdate } from './protocol';
import type { RunState } from './run';

/** Going back and going another way from a moment: what stays, what is done again, and that it comes out as a run that did it from the start. */

const project: Project = {
  ...tubeCapper,
  // few rows and a short time: what is compared here are whole recordings, many times
  setups: tubeCapper.setups.map((s) => ({ ...s, stop: 2.4, recordEvery: 0.005, sequences: [] })),
};
const careful = project.setups.find((s) => s.id === 'u-careful')!;

/** With an event every tenth of a second. */
const busy: Project = {
  ...project,
  setups: project.setups.map((s) => ({
    ...s,
    stop: 12,
    stimulus: [
      ...s.stimulus,
      ...Array.from({ length: 110 }, (_, k) => row('set', 0.05 + k / 10, 'guard.open', 'false')),
    ],
  })),
};

/** What a listener has, put together as the application does it. */
interface Heard {
  last: RunUpdate;
  time: number[];
  columns: Map<string, number[]>;
  messages: Recording['messages'][number][];
  transitions: number;
  actions: OutsideAction[];
}
const newHeard = (): Heard => ({
  last: undefined as unknown as RunUpdate,
  time: [],
  columns: new Map(),
  messages: [],
  transitions: 0,
  actions: [],
});
function goOn(column: number[], rows: number, values: ArrayLike<number>): void {
  column.length = Math.min(column.length, rows);
  for (let k = 0; k < values.length; k++) column.push(values[k]);
}
function hear(heard: Heard, update: RunUpdate): void {
  heard.last = update;
  heard.actions = [...heard.actions.slice(0, update.actions.after), ...update.actions.done];
  const chunk: RecordingChunk | undefined = update.chunk;
  if (!chunk) return;
  goOn(heard.time, chunk.after.rows, chunk.time);
  for (const c of chunk.columns) {
    const column = heard.columns.get(c.name) ?? [];
    heard.columns.set(c.name, column);
    goOn(column, chunk.after.rows, c.values);
  }
  heard.messages = [...heard.messages.slice(0, chunk.after.messages), ...chunk.messages];
  heard.transitions = chunk.after.transitions + chunk.transitions.length;
}
const isOver = (h: Heard): boolean => ['finished', 'failed', 'cancelled'].includes(h.last?.status);
async function until(holds: () => boolean): Promise<void> {
  for (let k = 0; k < 4000 && !holds(); k++) await new Promise((resolve) => setTimeout(resolve, 2));
  expect(holds()).toBe(true);
}
const story = (h: Heard) => ({
  time: h.time,
  // as texts: comparing millions of numbers one by one takes long
  columns: [...h.columns].map(([name, values]) => `${name} ${values.join()}`),
  messages: h.messages,
  transitions: h.transitions,
  findings: h.last.findings,
  at: h.last.time,
});

function begin(more: { readonly paused?: boolean; readonly actions?: readonly OutsideAction[] } = {}, of = project) {
  const engine = createEngine();
  engine.open(of, 0);
  const heard = newHeard();
  const { model, problems } = engine.start(careful.id, { pace: 0, ...more }, (u) => hear(heard, u));
  if (!model) throw new Error(problems.map((p) => p.message).join('; '));
  return { engine, heard, model };
}

test('back to the event before, again and again, and on: as if nothing had been', async () => {
  const straight = begin();
  await until(() => isOver(straight.heard));
  const { engine, heard, model } = begin({ paused: true });
  const events: number[] = [];
  for (let k = 0; k < 9; k++) {
    engine.step();
    events.push(heard.last.time);
  }
  const rows = heard.time.length;
  // several events may share a moment: going back leads to an earlier one each time
  const distinct = [...new Set(events)];
  for (const wanted of distinct.slice(0, -1).reverse()) {
    expect(engine.back(model.run)).toBe(true);
    expect(heard.last).toMatchObject({ status: 'paused', time: wanted });
    expect(heard.time.at(-1)).toBe(wanted);
  }
  expect(heard.time.length).toBeLessThan(rows);
  expect(engine.back(model.run)).toBe(true);
  expect(heard.last.time).toBe(0);
  expect(engine.back(model.run)).toBe(false);
  engine.resume();
  await until(() => isOver(heard));
  expect(story(heard)).toEqual(story(straight.heard));
});

test('a listener that takes its time is told less often, and everything', async () => {
  const told = async (listen: () => unknown) => {
    const engine = createEngine();
    engine.open(busy, 0);
    const heard = newHeard();
    let running = 0;
    const begun = performance.now();
    engine.start(careful.id, { pace: 0 }, (u) => {
      hear(heard, u);
      if (u.status === 'running') running++;
      return listen();
    });
    await until(() => isOver(heard));
    return { heard, running, seconds: (performance.now() - begun) / 1000 };
  };
  const quick = await told(() => undefined);
  expect(quick.running).toBeGreaterThan(3);
  const never = await told(() => new Promise(() => undefined));
  expect(never.running).toBeLessThanOrEqual(Math.ceil(never.seconds));
  expect(story(never.heard)).toEqual(story(quick.heard));
  const slow = await told(() => new Promise((resolve) => setTimeout(resolve, 100)));
  expect(slow.running).toBeLessThanOrEqual(Math.ceil(slow.seconds / 0.3));
  expect(slow.running).toBeGreaterThan(0);
});

test('back from the end of a run, and to its end again', async () => {
  const { engine, heard, model } = begin();
  await until(() => isOver(heard));
  const before = story(heard);
  const verdicts = heard.last.findings.map((f) => f.verdict);
  expect(engine.back(model.run)).toBe(true);
  expect(heard.last.status).toBe('paused');
  expect(heard.last.time).toBeLessThan(before.at);
  engine.resume();
  await until(() => isOver(heard));
  expect(story(heard)).toEqual(before);
  expect(heard.last.findings.map((f) => f.verdict)).toEqual(verdicts);
});

test('what an operator did before the moment gone back to is done again, what he did after it is not', async () => {
  const { engine, heard, model } = begin({ paused: true });
  for (let k = 0; k < 3; k++) engine.step();
  engine.set('spindle.R', 2.5);
  const first = heard.last.time;
  for (let k = 0; k < 3; k++) engine.step();
  engine.set('spindle.R', 3);
  engine.step();
  expect(heard.actions.map((a) => a.value)).toEqual([2.5, 3]);
  const second = heard.actions[1].time;
  expect(second).toBeGreaterThan(first);
  while (heard.last.time >= second) expect(engine.back(model.run)).toBe(true);
  expect(heard.actions.map((a) => a.value)).toEqual([2.5]);
  engine.resume();
  await until(() => isOver(heard));
  // the same done from the start, at the time it was told of
  const again = begin({ actions: heard.actions });
  await until(() => isOver(again.heard));
  expect(again.heard.messages.map((m) => [m.message, m.taken])).toEqual(
    heard.messages.map((m) => [m.message, m.taken]),
  );
  expect(again.heard.last.findings.map((f) => [f.key, f.verdict])).toEqual(
    heard.last.findings.map((f) => [f.key, f.verdict]),
  );
});

test('going back after something else was done leads back in what was done, not in what would have been', async () => {
  const { engine, heard, model } = begin();
  await until(() => isOver(heard));
  for (let k = 0; k < 12; k++) engine.back(model.run);
  engine.set('spindle.R', 4);
  engine.resume();
  await until(() => isOver(heard));
  const other = story(heard);
  for (let k = 0; k < 5; k++) engine.back(model.run);
  expect(heard.actions.map((a) => a.value)).toEqual([4]);
  engine.resume();
  await until(() => isOver(heard));
  expect(story(heard)).toEqual(other);
});

test('of many actions none is lost on the way back, however few moments are kept', async () => {
  const { engine, heard, model } = begin({ paused: true }, busy);
  for (let k = 0; k < 80; k++) {
    engine.step();
    engine.set('spindle.R', 1.5 + (k % 7) / 2);
  }
  engine.step();
  const [before, actions] = [story(heard), heard.actions];
  for (let k = 0; k < 30; k++) engine.back(model.run);
  expect(heard.actions).toEqual(actions.slice(0, heard.actions.length));
  expect(heard.actions.length).toBeGreaterThan(30);
  expect(heard.actions.length).toBeLessThan(80);
  // the same once more: to the same end
  for (const a of actions.slice(heard.actions.length)) {
    while (heard.last.time < a.time) engine.step();
    engine.set('spindle.R', a.value);
  }
  while (heard.last.time < before.at) engine.step();
  expect(heard.actions).toEqual(actions);
  expect(heard.columns.get('spindle.speed')!.at(-1)).toBeCloseTo(
    Number(/spindle.speed .*,(.*)$/m.exec(before.columns.find((c) => c.startsWith('spindle.speed '))!)![1]),
    6,
  );
});

test('it stops where it starts, if told to; what it stops at holds up neither going back nor a branch', async () => {
  const control = tubeCapper.types.find((t) => t.name === 'CapperControl')!;
  const mode = control.charts.find((c) => c.name === 'mode')!;
  const address = (name: string): string =>
    `type/${control.id}/chart/${mode.id}/state/${mode.states.find((x) => x.name === name)!.id}`;
  const engine = createEngine();
  engine.open(project, 0);
  const heard = newHeard();
  const { model } = engine.start(
    careful.id,
    { pace: 0, breakpoints: [address('Off'), address('Fast')], conditions: ['spindle.speed > 5'] },
    (u) => hear(heard, u),
  );
  await until(() => heard.last?.status === 'paused');
  expect(heard.last).toMatchObject({ time: 0, stoppedAt: address('Off') });
  const stops: (string | undefined)[] = [];
  while (!isOver(heard)) {
    engine.resume();
    await until(() => isOver(heard) || heard.last.status === 'paused');
    if (heard.last.status === 'paused') stops.push(heard.last.stoppedAt);
  }
  expect(stops).toEqual(expect.arrayContaining([address('Fast'), 'spindle.speed > 5']));
  let times = 0;
  while (engine.back(model!.run)) times++;
  expect(times).toBeGreaterThan(20);
  expect(heard.last.time).toBe(0);
  const other = newHeard();
  engine.branch(model!.run, 1, [], { pace: 0 }, (u) => hear(other, u));
  await until(() => other.last !== undefined);
  expect(other.last.time).toBeGreaterThanOrEqual(1);
});

describe('another way from a moment', () => {
  const at = 1.321;
  const change: OutsideAction = { time: at, kind: 'set', target: 'guard.open', value: 1 };

  test('the past is that of the run, the rest that of a run with the same done from its start', async () => {
    const straight = begin();
    await until(() => isOver(straight.heard));
    const other = newHeard();
    const model = straight.engine.branch(straight.model.run, at, [change], { pace: 0 }, (u) => hear(other, u))!;
    expect(model.run).not.toBe(straight.model.run);
    await until(() => isOver(other));
    const past = straight.heard.time.findLastIndex((t) => t < at) + 1;
    // rows before the moment are the same, but for the one that the shortened step ends at
    expect(other.time.slice(0, past - 2)).toEqual(straight.heard.time.slice(0, past - 2));
    expect(other.actions).toEqual([change]);
    const fromStart = begin({ actions: [change] });
    await until(() => isOver(fromStart.heard));
    expect(other.messages.map((m) => m.message)).toEqual(fromStart.heard.messages.map((m) => m.message));
    expect(other.messages.map((m) => m.message)).not.toEqual(straight.heard.messages.map((m) => m.message));
    other.last.findings.forEach((f, k) => {
      expect(f.verdict).toBe(fromStart.heard.last.findings[k].verdict);
      const wanted = fromStart.heard.last.findings[k].margin;
      if (wanted !== undefined) expect(Math.abs(f.margin! - wanted)).toBeLessThan(1e-3 * Math.max(1, Math.abs(wanted)));
    });
    const speed = other.columns.get('spindle.speed')!.at(-1)!;
    expect(speed).toBeCloseTo(fromStart.heard.columns.get('spindle.speed')!.at(-1)!, 3);
  });

  test('without a change it is the same run once more, to the bit', async () => {
    const straight = begin();
    await until(() => isOver(straight.heard));
    const other = newHeard();
    straight.engine.branch(straight.model.run, at, [], { pace: 0 }, (u) => hear(other, u));
    await until(() => isOver(other));
    expect(story(other)).toEqual(story(straight.heard));
  });

  test('a branch of a branch before its change does not do that change', async () => {
    const straight = begin();
    await until(() => isOver(straight.heard));
    const [first, second] = [newHeard(), newHeard()];
    const model = straight.engine.branch(straight.model.run, at, [change], { pace: 0 }, (u) => hear(first, u))!;
    await until(() => isOver(first));
    straight.engine.branch(model.run, at - 1, [], { pace: 0 }, (u) => hear(second, u));
    await until(() => isOver(second));
    expect(second.actions).toEqual([]);
    expect(second.messages).toEqual(straight.heard.messages);
    expect(second.columns.get('spindle.speed')).toEqual(straight.heard.columns.get('spindle.speed'));
  });

  test('a branch before what was to be done by hand does not do it; one at the very start does what it is given', async () => {
    const run = begin({ actions: [change] });
    await until(() => isOver(run.heard));
    const [without, start] = [newHeard(), newHeard()];
    const model = run.engine.branch(run.model.run, at - 1, [], { pace: 0 }, (u) => hear(without, u))!;
    await until(() => isOver(without));
    expect(without.columns.get('guard.open')!.every((x) => x === 0)).toBe(true);
    run.engine.branch(model.run, 0, [{ ...change, time: 0 }], { pace: 0 }, (u) => hear(start, u));
    await until(() => isOver(start));
    expect(start.columns.get('guard.open')!.every((x, k) => x === 1 || start.time[k] === 0)).toBe(true);
    expect(start.actions).toEqual([{ ...change, time: 0 }]);
  });

  test('a run that is no longer at hand cannot be branched', async () => {
    const { engine, heard, model } = begin();
    await until(() => isOver(heard));
    expect(engine.branch(model.run + 1, 1, [], { pace: 0 }, () => undefined)).toBeUndefined();
    expect(createEngine().back(1)).toBe(false);
    expect(engine.back(model.run + 1)).toBe(false);
    expect(heard.last.status).toBe('finished');
    // what the run does not know by that name is not dropped without a word
    const renamed: OutsideAction = { ...change, target: 'door.open' };
    expect(engine.branch(model.run, 1, [change, renamed], { pace: 0 }, () => undefined)).toBeUndefined();
  });
});

test('what was done by hand to something that is no longer there keeps a run from starting, with its name', () => {
  const engine = createEngine();
  engine.open(project, 0);
  const lost: OutsideAction = { time: 1, kind: 'set', target: 'guard.ajar', value: 1 };
  const { model, problems } = engine.start(careful.id, { pace: 0, actions: [lost] }, () => undefined);
  expect(model).toBeUndefined();
  expect(problems.map((p) => p.message).join()).toContain('guard.ajar');
});

describe('moments', () => {
  const moment = (time: number, numbers: number): KeptMoment => ({
    time,
    actions: 0,
    mark: { rows: 0, messages: 0, transitions: 0, thinned: 0 },
    state: { memory: new Float64Array(numbers) } as unknown as RunState,
  });
  const keepMany = (count: number, numbers: number, limits: { number: number; bytes: number }) => {
    let time = 0;
    const moments = createMoments(() => moment(time, numbers), [], limits);
    for (; time < count; time++) moments.keep();
    return moments;
  };

  test('they stay few, with the first and the newest, and about evenly apart', () => {
    const times = keepMany(1000, 1, { number: 16, bytes: 1e9 })
      .upTo(Infinity)
      .map((m) => m.time);
    expect(times.length).toBeLessThanOrEqual(16);
    expect(times.length).toBeGreaterThanOrEqual(8);
    expect([times[0], times.at(-1)]).toEqual([999, 0]);
  });
  test('large ones are fewer', () => {
    const kept = keepMany(100, 1e5, { number: 64, bytes: 4e6 }).upTo(Infinity);
    expect(kept.length).toBeLessThanOrEqual(5);
    expect(kept.length).toBeGreaterThanOrEqual(2);
  });
  test('those up to a time come newest first, and those after one can be forgotten', () => {
    const moments = keepMany(6, 1, { number: 64, bytes: 1e9 });
    expect(moments.upTo(3.5).map((m) => m.time)).toEqual([3, 2, 1, 0]);
    moments.forgetAfter(moments.upTo(2)[0]);
    expect(moments.upTo(Infinity).map((m) => m.time)).toEqual([2, 1, 0]);
  });
});
