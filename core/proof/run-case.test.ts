import { tubeCapper } from '../../samples/tube-capper';
import { compiledHere } from '@/cli/compiled';
import { newCase, newSetup, type Project } from '../project/project';
import { prepareRun } from '../run/prepare';
import { createRun, isRunnable } from '../run/run';
import { scriptSource } from '../run/script-driver';
import type { StageText } from '../stepcode/stage';
import { aloneIn, nameAlone } from '../run/tried';
import { runCase, type CaseOutcome } from './run-case';

const setup = (name: string) => tubeCapper.setups.find((s) => s.name === name)!;
const ctrl = tubeCapper.types.find((t) => t.name === 'CapperControl')!;
const bare: Project = { ...tubeCapper, setups: tubeCapper.setups.map((u) => ({ ...u, stimulus: [] })) };
const whole = (script: string, stage?: StageText, name = 'Careful'): CaseOutcome =>
  runCase(bare, { ...newCase('a', 'A'), setup: setup(name).id, script }, { stage, compiledSteps: compiledHere });
const alone = (script: string, stage?: StageText): CaseOutcome =>
  runCase(
    tubeCapper,
    { ...newCase('a', 'A'), alone: ctrl.id, stop: 5, script },
    { stage, compiledSteps: compiledHere },
  );

test.each<StageText | undefined>([undefined, 'sampled', 'code'])('one tube by a script, in the stage %s', (stage) => {
  const done = whole(
    `
    wait until in(ctrl.mode.Ready) within 1 s
    send panel.start
    expect cap.torque < 0.9 'N.m' always
    wait until in(ctrl.mode.Running) within 1 's'
    wait until in(ctrl.mode.Running.Turning) within 2 's'   // the tube is there
    expect spindle.speed > 3 within 1 s
    wait until in(ctrl.mode.Running.WaitTube) within 3 s
    `,
    stage,
  );
  expect([done.verdict, done.why]).toEqual(['passed', '']);
  // it ends with its script
  expect(done.time).toBeLessThan(2);
  expect(done.script!.lines.map((l) => l.status)).toEqual(['done', 'done', 'held', 'done', 'done', 'held', 'done']);
});

test('what is expected and does not come fails with its moment and both sides', () => {
  const done = whole("send panel.start; wait 0.5 's'\nexpect spindle.speed > 1000 'rad/s'");
  expect(done.verdict).toBe('failed');
  expect(done.failedAt).toBeCloseTo(0.5, 9);
  expect(done.why).toMatch(/^line 2: spindle.speed > 1000 'rad\/s' did not hold: spindle.speed was 0 rad\/s$/);
});

test('requirements judge beside, whatever is expected', () => {
  const { verdict, why } = whole('wait 200 ms; send panel.start; wait 1.7 s', undefined, 'Eager');
  expect([verdict, why]).toEqual(['failed', expect.stringMatching(/^CAP-02 fails by 0\.\d+ N\.m$/)]);
});

test.each<StageText | undefined>([undefined, 'sampled', 'code', 'host'])(
  'a controller alone, in the stage %s',
  (stage) => {
    const done = alone(
      `
    set temperature = 20 'degC'
    wait until in(mode.Ready) within 1 s
    send start
    wait until in(mode.Running) within 1 s
    set temperature = 97 'degC'
    expect in(mode.Fault) within 0.5 's'
    expect voltage == 0 within 0.1 s
    `,
      stage,
    );
    expect([done.verdict, done.why]).toEqual(['passed', '']);
  },
);

test('alone, names are those of the part type: what is wrong is told in its own words', () => {
  const script = "set temperature = 30 'degC'; set temprature = 3; send strt\nexpect in(mode.Redy)\nexpect 1 < time";
  const { problems } = alone(script);
  const told = problems
    .filter((p) => p.place === 'case/a/script')
    .map((p) => [script.slice(p.span!.start, p.span!.end), p.message]);
  expect(told).toEqual([
    [expect.stringMatching(/Redy/), expect.stringContaining('Redy')],
    ['set temprature = 3', 'CapperControl has no temprature; did you mean temperature?'],
    ['send strt', expect.stringContaining('waits for strt; did you mean start?')],
  ]);
  expect(alone('wait 0.2 s; expect time > 0.1\nexpect time < 0.3 and in(mode.Ready)').why).toBe('');
  expect(alone('wait 0.2 s; expect time > 0.3').why).toBe('line 1: time > 0.3 did not hold: time was 0.2 s');
});

test('what steps work out cannot be set where they do; as designed it is given a value like before', () => {
  const script = 'set ctrl.count = 3; expect ctrl.count == 3';
  expect(whole(script)).toMatchObject({ verdict: 'passed' });
  expect(whole(script, 'code')).toMatchObject({
    verdict: 'not run',
    why: 'ctrl.count is worked out in steps and cannot be set; inputs and parameters can',
  });
});

test('what is no condition is told, and never taken for one', () => {
  for (const text of ['{1, 2}', 'cap', '"a"', 'true and 3', 'cap.torque + 1']) {
    const { verdict, problems } = whole(`expect ${text}`);
    expect([text, verdict]).toEqual([text, 'not run']);
    expect(problems.some((p) => p.place === 'case/a/script' && p.severity === 'error')).toBe(true);
  }
});

test('what a script names has to be there, at its place', () => {
  const script =
    "wait 1 s\nset spindle.sped = 3\nset cap.torque = 3\nsend ctrl.strt\nsend nobody.start\nexpect cap.torqe < 1\nexpect cap.torque\nexpect cap.torque < 1 's'\nset guard.open = 3";
  const { verdict, problems, why } = whole(script);
  expect([verdict, why]).toEqual(['not run', expect.any(String)]);
  const told = problems
    .filter((p) => p.place === 'case/a/script')
    .map((p) => [script.slice(p.span!.start, p.span!.end), p.message]);
  expect(told).toEqual([
    ['torqe', expect.stringContaining('no quantity or part named torqe; did you mean torque?')],
    ["cap.torque < 1 's'", "This compares cap.torque in N.m and 1 's' in s"],
    ['cap.torque', 'cap.torque is a number: a condition is true or false'],
    ['set spindle.sped = 3', 'Capper has no spindle.sped; did you mean spindle.speed?'],
    ['set cap.torque = 3', 'cap.torque follows from the equations and cannot be set; inputs and parameters can'],
    ['send ctrl.strt', 'Nothing in ctrl waits for strt; did you mean start?'],
    ['send nobody.start', 'nobody.start does not name a part and a message, such as ctrl.start'],
    ['set guard.open = 3', 'guard.open is true or false: 3 does not fit'],
  ]);
  expect(told.map(([at]) => at)).not.toContain('');
  // one of them is enough
  expect(why).not.toBe('');
});

test('a run goes on from any moment of its script as it went', () => {
  const script =
    'expect voltage < 99 always\nrepeat 2\nwait until in(mode.Ready) within 1 s\nsend start\nexpect in(mode.Running) for 0.2 s\nsend stop\nwait 50 ms\nend';
  const prepared = prepareRun(
    aloneIn(tubeCapper, ctrl),
    { ...newSetup('s', 'S'), stop: 5 },
    undefined,
    undefined,
    undefined,
    { script: scriptSource(script, 'x', nameAlone(ctrl)) },
  );
  if (!isRunnable(prepared)) throw new Error(prepared.problems[0].message);
  const whole = createRun(prepared, { record: [] });
  whole.simulation.advance(Infinity);
  expect(whole.script()).toMatchObject({ verdict: 'passed', endedAt: expect.closeTo(0.65, 6) });
  for (const moment of [0.1, 0.2, 0.36, 0.42]) {
    const first = createRun(prepared, { record: [] });
    first.simulation.advance(moment);
    const { state } = first.keep();
    first.simulation.advance(Infinity);
    const again = createRun(prepared, { record: [], from: { state } });
    expect(again.script()!.verdict).toBe('running');
    again.simulation.advance(Infinity);
    expect([moment, again.script()]).toEqual([moment, whole.script()]);
    expect(first.script()).toEqual(whole.script());
  }
});

test('a stage that is not there has not passed', () => {
  const done = runCase(
    tubeCapper,
    { ...newCase('a', 'A'), alone: ctrl.id, stop: 5, script: 'wait 1 s' },
    { stage: 'host' },
  );
  expect(done).toMatchObject({ verdict: 'not run', why: 'The stage host is not available here' });
  const given = runCase(
    tubeCapper,
    { ...newCase('a', 'A'), alone: ctrl.id, script: 'wait 5 s' },
    { goesOn: () => false },
  );
  expect(given).toMatchObject({ verdict: 'not run', why: 'It was given up' });
});
