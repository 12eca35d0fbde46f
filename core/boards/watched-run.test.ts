import { compiledHere } from '@/cli/compiled';
import { tubeCapper } from '@/samples/tube-capper';
import { withoutChannels } from '../pins/channels';
import type { Project, Setup } from '../project/project';
import { createRun, isRunnable, prepareRun } from '../run';
import { isBoardHere } from '../testing/boards-here';

/** A run of the demo in which its controller is watched over its serial line. */
const whereCompiled = isBoardHere('larch32') ? test : test.skip;

const careful = tubeCapper.setups.find((s) => s.name === 'Careful')!;
const watched = (more: Partial<Setup> = {}): Setup => ({
  ...careful,
  stop: 1,
  stages: [{ part: 'ctrl', stage: 'board', board: 'larch32' }],
  serial: [{ part: 'ctrl', baud: 115_200, every: 4, noise: 0 }],
  heard: ['ctrl.voltage', 'ctrl.speedGain', 'ctrl.engage'],
  record: [],
  ...more,
});
function runOf(setup: Setup, project: Project = tubeCapper) {
  const prepared = prepareRun(project, setup, undefined, undefined, compiledHere);
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join('; '));
  const run = createRun(prepared, {
    record: ['ctrl.voltage', 'ctrl.heard.voltage', 'ctrl.heard.speedGain', 'ctrl.heard.engage'],
  });
  return { prepared, run };
}
const column = (run: ReturnType<typeof runOf>['run'], name: string) => {
  const recording = run.recorder.take();
  return { time: recording.time, values: recording.columns.find((c) => c.name === name)!.values };
};

whereCompiled('what is told is what was there, a few milliseconds before, and unknown until then', () => {
  // without channels: what goes out through pulses is not quite what was worked out
  const { run } = runOf(watched(), withoutChannels(tubeCapper));
  run.simulation.advance(Infinity);
  const { time, values: heard } = column(run, 'ctrl.heard.voltage');
  const { values: there } = column(run, 'ctrl.voltage');
  expect(heard[0]).toBeNaN();
  const known = heard.findIndex((x) => !Number.isNaN(x));
  expect(time[known]).toBeLessThan(0.04);
  let changes = 0;
  for (let k = known + 1; k < heard.length; k++) {
    if (heard[k] === heard[k - 1]) continue;
    changes++;
    let was = false;
    // no sooner than its 21 bytes take
    for (let j = k; j >= 0 && time[j] > time[k] - 0.006 && !was; j--)
      was = time[j] < time[k] - 0.0018 && Math.fround(there[j]) === heard[k];
    expect([time[k], was]).toEqual([time[k], true]);
  }
  expect(changes).toBeGreaterThan(40);
  expect(run.steps[0].line()).toMatchObject({ lost: 0, broken: 0, sent: 3, followed: 3 });
  // 250 tellings, the last one still under way
  expect(run.steps[0].line()!.received).toBeGreaterThanOrEqual(249);
});

whereCompiled('what is told is recorded, whatever else is', () => {
  const { prepared } = runOf(watched({ record: ['ctrl.mode'] }));
  expect(prepared.record).toEqual(expect.arrayContaining(['ctrl.mode', 'ctrl.heard.voltage', 'ctrl.heard.engage']));
});

whereCompiled('a parameter that is given another value while it runs gets it over the line', () => {
  const set = [{ id: 'x', time: 0.5, kind: 'set' as const, target: 'ctrl.speedGain', value: '0.375' }];
  const { run } = runOf(watched({ stimulus: [...careful.stimulus, ...set] }));
  run.simulation.advance(Infinity);
  const { time, values } = column(run, 'ctrl.heard.speedGain');
  const at = time[values.findIndex((x) => x === 0.375)];
  expect(at).toBeGreaterThan(0.501);
  expect(at).toBeLessThan(0.515);
  expect(run.steps[0].line()).toMatchObject({ sent: 4, followed: 4 });
});

whereCompiled('noise: frames are broken and lost, verdicts are the same', () => {
  const [calm, noisy] = [0, 0.005].map((noise) => {
    const { run } = runOf(watched({ serial: [{ part: 'ctrl', baud: 115_200, every: 4, noise }] }));
    run.simulation.advance(Infinity);
    return run;
  });
  const { received, lost, broken } = noisy.steps[0].line()!;
  expect(broken).toBeGreaterThan(5);
  expect(received + lost).toBeGreaterThanOrEqual(248);
  expect(noisy.findings().map((f) => [f.key, f.verdict])).toEqual(calm.findings().map((f) => [f.key, f.verdict]));
});

const problemsOf = (more: Partial<Setup>, project = tubeCapper): readonly string[] =>
  prepareRun(project, watched(more), undefined, undefined, compiledHere)
    .problems.filter((p) => p.code === 'serial' || p.code === 'stage')
    .map((p) => `${p.severity} ${p.place!.split('/').slice(2).join('/')}: ${p.message}`);
const line = (more: Partial<Setup['serial'][number]>) => [{ part: 'ctrl', baud: 115_200, every: 4, noise: 0, ...more }];

whereCompiled.each([
  [{}, []],
  [{ serial: line({ part: 'nobody' }) }, ['error serial/0/part: There is no part nobody of a type of the project']],
  [{ serial: [...line({}), ...line({})] }, ['error serial/1/part: ctrl has a serial line already']],
  [
    { stages: [{ part: 'ctrl', stage: 'code' as const, board: '' }] },
    ['warning serial/0/part: ctrl is not on a board here: it has no serial line'],
  ],
  [
    { stages: [{ part: 'ctrl', stage: 'board' as const, board: 'larch8' }] },
    [
      'error serial/0/part: P1 of Larch 8 is needed for the serial line, and taken by tubeSensor',
      'error serial/0/part: P2 of Larch 8 is needed for the serial line, and taken by jawSensor',
    ],
  ],
  [
    { heard: ['ctrl.voltage', 'ctrl.mode'] },
    ['error serial/0/part: ctrl.mode is no quantity of ctrl itself: it is not told'],
  ],
  [
    { heard: ['ctrl.wanted'] },
    ['error stages/0/part: wanted of ctrl has no place in its memory: it cannot be told over its serial line'],
  ],
  [
    { serial: line({ baud: 9600, every: 4 }) },
    ['warning serial/0/every: What is to be told is 547 % of what the line can carry: some of it will be left out'],
  ],
])('%j', (more, wanted) => {
  expect(problemsOf(more)).toEqual(wanted);
});
