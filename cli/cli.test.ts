import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { commandHost, zelvarAlone } from './testing/command';

jest.setTimeout(400_000);
const folder = mkdtempSync(join(tmpdir(), 'zelvar-cli-'));
const capper = 'samples/tube-capper.zelvar.json';
const { run: zelvar, end } = commandHost();
afterAll(end);
const file = (name: string, text: string): string => {
  const path = join(folder, name);
  writeFileSync(path, text);
  return path;
};

test('run: verdicts, exit codes, values set, CSV', () => {
  const out = join(folder, 'run.csv');
  const careful = zelvarAlone(
    'run',
    capper,
    '--setup',
    'Careful',
    '--record',
    'spindle.speed,ctrl.mode,gripper.closed',
    '--out',
    out,
  );
  expect(careful.status).toBe(0);
  expect(careful.stdout).toMatch(/CAP-02\s+holds\s+margin 0\.09\d* N\.m/);
  const rows = readFileSync(out, 'utf8').trim().split('\n');
  expect(rows[0]).toBe('time,gripper.closed,spindle.speed [rad/s],ctrl.mode');
  expect(rows.at(-1)!.split(',')[0]).toBe('2');
  expect(rows.at(-1)!.split(',')[1]).toBe('false');
  expect(rows.at(-1)!.split(',')[3]).toBe('Running.WaitTube');
  const eager = zelvar('run', capper, '--setup', 'Careful', '--set', 'ctrl.creepSpeed=16', '--json');
  expect(eager.status).toBe(1);
  const told = JSON.parse(eager.stdout) as {
    status: string;
    requirements: { id: string; verdict: string; margin: number }[];
  };
  expect(told.requirements.find((r) => r.id === 'CAP-02')).toMatchObject({ verdict: 'fails' });
  expect(told.requirements.find((r) => r.id === 'CAP-02')!.margin).toBeLessThan(0);
});

test('run: what cannot run exits with 2 and says why', () => {
  expect(zelvar('run', capper, '--setup', 'Nowhere')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('it has Careful, Eager, Guard'),
  });
  expect(zelvar('run', 'missing.json', '--setup', 'x').status).toBe(2);
  expect(zelvar('run', capper, '--setup', 'Careful', '--set', 'ctrl.crepSpeed=3')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('did you mean ctrl.creepSpeed'),
  });
  expect(zelvar('run', capper, '--setup', 'Careful', '--record', 'nothing').status).toBe(2);
  expect(zelvar('run', file('cut.json', readFileSync(capper, 'utf8').slice(0, 500)), '--setup', 'x')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('cut short'),
  });
});

test('simulate: a plain text of physics; the last row is at the stop time', () => {
  const text = file(
    'decay.mo',
    'model Decay parameter Real k = 1; Real x(start = 1, unit = "V"); Boolean low = x < 0.5; equation der(x) = -k*x; end Decay;',
  );
  const out = join(folder, 'decay.csv');
  const run = zelvar(
    'simulate',
    text,
    '--class',
    'Decay',
    '--stop',
    '2',
    '--step',
    '0.25',
    '--rtol',
    '1e-9',
    '--atol',
    '1e-12',
    '--set',
    'k=2',
    '--out',
    out,
  );
  expect(run.status).toBe(0);
  const rows = readFileSync(out, 'utf8')
    .trim()
    .split('\n')
    .map((r) => r.split(','));
  expect(rows[0]).toEqual(['time', 'x [V]', 'low']);
  expect(rows.at(-1)![0]).toBe('2');
  expect(Number(rows.at(-1)![1])).toBeCloseTo(Math.exp(-4), 9);
  expect(rows[1]).toEqual(['0', '1', 'false']);
  expect(rows.at(-1)![2]).toBe('true');
  expect(zelvar('simulate', text, '--class', 'Decai')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('There is no class Decai'),
  });
  for (const solver of ['dopri5', 'rk4', 'implicit', 'auto', 'euler', 'implicit-euler'])
    expect(zelvar('simulate', text, '--class', 'Decay', '--solver', solver).status).toBe(0);
  expect(zelvar('simulate', text, '--class', 'Decay', '--solver', 'magic').status).toBe(2);
});

test('check: positions, and exit 1 on errors', () => {
  expect(zelvar('check', capper)).toMatchObject({ status: 0, stdout: expect.stringContaining('0 errors, 1 other') });
  const bad = file('bad.mo', 'model A\n  Real x;\nequation\n  x = yy + 1;\nend A;\n');
  expect(zelvar('check', bad)).toMatchObject({
    status: 1,
    stdout: expect.stringContaining(`${bad}:4:7: error: yy is not a quantity or part of A`),
  });
  const told = JSON.parse(zelvar('check', bad, '--json').stdout) as { problems: { line: number; column: number }[] };
  expect(told.problems[0]).toMatchObject({ line: 4, column: 7, severity: 'error' });
});

test('chart: active states at the start and after each event', () => {
  const lamp = file(
    'lamp.scxml',
    `<scxml xmlns="http://www.w3.org/2005/07/scxml" version="1.0" datamodel="ecmascript" initial="off">
  <datamodel><data id="n" expr="0"/></datamodel>
  <state id="off"><transition event="press" target="on" cond="_event.data.force &gt; 2"/></state>
  <state id="on"><onentry><assign location="n" expr="n + 1"/><send event="time-out" delay="500ms"/></onentry>
    <transition event="time-out" target="off"/><transition event="press" cond="n === 2" target="done"/></state>
  <final id="done"/></scxml>`,
  );
  const events = file(
    'events.json',
    JSON.stringify([
      { event: 'press', data: { force: 1 } },
      { event: 'press', data: { force: 3 } },
      { event: 'nothing', after: 600 },
      { event: 'press', data: { force: 3 } },
      { event: 'press', after: 100 },
    ]),
  );
  expect(zelvar('chart', lamp, '--events', events)).toMatchObject({
    status: 0,
    stdout: 'start: off\npress: off\npress: on\nnothing: off\npress: on\npress: done\n',
  });
  expect(JSON.parse(zelvar('chart', lamp, '--events', events, '--json').stdout)).toHaveLength(6);
  expect(JSON.parse(zelvar('chart', lamp, '--events', events, '--json').stdout)[3]).toEqual({
    event: 'nothing',
    time: 0.6,
    active: ['off'],
  });
  expect(zelvar('chart', file('bad.scxml', '<scxml><state></scxml>')).status).toBe(2);
  expect(zelvar('chart', lamp, '--events', file('bad.json', '[{"evnt": 1}]'))).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('entry 1 has no event'),
  });
  const endless = file(
    'endless.scxml',
    '<scxml version="1.0"><state id="a"><transition target="b"/></state><state id="b"><transition target="a"/></state></scxml>',
  );
  expect(zelvar('chart', endless)).toMatchObject({ status: 1, stderr: expect.stringContaining('never comes to rest') });
});

test('npx zelvar finds the command of this package', () => {
  expect(execFileSync('npx', ['--no-install', 'zelvar', '--help'], { encoding: 'utf8' })).toContain('simulate');
});

const cache = 'node_modules/.cache/zelvar-cli';
const madeAt = (name: string): number => statSync(`${cache}/${name}`).mtimeMs;

test('the command is bundled anew when a source is newer, and only then', () => {
  const made = (): number => {
    expect(zelvarAlone('--help').stdout).toMatch(/Usage: zelvar/);
    return madeAt('zelvar.cjs');
  };
  const first = made();
  expect(made()).toBe(first);
  const now = new Date();
  utimesSync('cli/options.ts', now, now);
  expect(made()).toBeGreaterThan(first);
});

test('what was compiled is kept for the next start, and made anew when it cannot be read', () => {
  const name = `check.${process.version}.${process.arch}.compiled`;
  const check = (): void => {
    expect(zelvarAlone('check', capper).stdout).toContain('0 errors');
  };
  check();
  const first = madeAt(name);
  check();
  expect(madeAt(name)).toBe(first);
  writeFileSync(`${cache}/${name}`, 'not a compiled form');
  check();
  expect(statSync(`${cache}/${name}`).size).toBeGreaterThan(100_000);
});

test('simulate --set: several values, of elements and with units too; what cannot be set is told', () => {
  const text = file(
    'set.mo',
    `model S parameter Real k = 1; parameter Real g[2] = {1, 2}; parameter Integer n = 2; Real v[n] = fill(k, n);
       parameter Real T(unit = "K") = 300; Real x = k + 10*g[1] + 100*g[2] + 1000*sum(v) + T;
       Real z(start = 1, fixed = true); equation der(z) = 0; end S;`,
  );
  const out = join(folder, 'set.csv');
  const last = (column: string, ...sets: string[]): number => {
    const run = zelvar('simulate', text, '--class', 'S', '--out', out, ...sets.flatMap((s) => ['--set', s]));
    expect([sets, run.status, run.stderr]).toEqual([sets, 0, '']);
    const rows = readFileSync(out, 'utf8').trim().split('\n');
    return Number(
      rows.at(-1)!.split(',')[
        rows[0]
          .replace(/ \[[^,]*\]/g, '')
          .split(',')
          .indexOf(column)
      ],
    );
  };
  expect(last('x')).toBe(2511);
  expect(last('x', 'k=5', 'g[1]=10')).toBe(10_605);
  expect(last('x', 'g={3, 4}', 'n=3')).toBe(3731);
  expect(last('x', 'g[1]=2*3', "T=20 'degC'")).toBeCloseTo(2554.15, 6);
  expect(last('z', 'z=7')).toBe(7);
  for (const [set, message] of [
    ['g[3]=10', 'S has no g[3]; did you mean g[1]?'],
    ['g[1]=abc', 'what abc is, is not known before the run'],
    ['k=(3', 'needs ")" here'],
    ['x=3', 'x follows from the equations and cannot be set'],
    ['nope=3', 'S has no nope'],
  ])
    expect(zelvar('simulate', text, '--class', 'S', '--set', set)).toMatchObject({
      status: 2,
      stderr: expect.stringContaining(message),
    });
});

test('check looks into packages, at every class and at functions', () => {
  const text = file(
    'package.mo',
    `package P
  package Q
    model M Real x; Real y; equation x = 1; end M;
    model Good Real x = f(1); end Good;
    partial model Base Real z; end Base;
    function f input Real x; output Real y; algorithm y := x + nowhere; end f;
    function g input Real x[:]; output Real y; algorithm y := sum(x); end g;
    connector C Real v; flow Real i; end C;
  end Q;
  model Uses Q.Good g; Real w = g.nothing; end Uses;
end P;
`,
  );
  const { status, stdout } = zelvar('check', text);
  expect(status).toBe(1);
  const lines = stdout
    .trim()
    .split('\n')
    .map((l) => l.slice(text.length));
  expect(lines).toEqual([
    expect.stringMatching(/^:3:26: error: Nothing determines y/),
    expect.stringMatching(/^:6:64: error: nowhere is not a quantity or part of f/),
    expect.stringMatching(/^:10:35: error: Good has no quantity or part named nothing/),
    ': 3 errors, 0 other',
  ]);
});

describe('linear', () => {
  const loop = file(
    'loop.mo',
    `model Loop parameter Real K = 2; input Real w; Real e, u, x1(start = 0), x2(start = 0), x3(start = 0);
equation e = w - x1; u = K*e; der(x1) = x2; der(x2) = x3 - x2; 0.2*der(x3) = u - x3; end Loop;
model Tank input Real q; Real h(start = 4, fixed = true); equation der(h) = q - sqrt(h); end Tank;
model Switched input Boolean on; Real x(start = 0); equation der(x) = if on then 1 else -x; end Switched;
model Ticks input Real w; discrete Real u(start = 0); Real x(start = 0);
equation der(x) = u - x; when sample(0, 0.1) then u = 3*(w - x); end when; end Ticks;`,
  );
  interface Told {
    A: number[][];
    B: number[][];
    C: number[][];
    D: number[][];
    states: string[];
    poles: [number, number][];
    zeros: [number, number][] | null;
    stable: boolean;
    gainMargin: number | null;
    phaseMargin: number | null;
    delayMargin: number | null;
    bandwidth: number | null;
    dcGain: number | null;
    time: number;
  }
  const told = (...args: string[]): Told => {
    const { status, stdout, stderr } = zelvar('linear', loop, ...args, '--json');
    expect([status, stderr]).toEqual([0, '']);
    return JSON.parse(stdout) as Told;
  };

  test('matrices, poles and the margins of the loop opened at a quantity', () => {
    const r = told('--class', 'Loop', '--from', 'w', '--to', 'x1', '--open', 'u');
    expect(r.states).toEqual(['x1', 'x2', 'x3']);
    expect(r.A).toEqual([
      [0, 1, 0],
      [0, -1, 1],
      [expect.closeTo(-10, 12), 0, -5],
    ]);
    expect([r.B, r.C, r.D]).toEqual([[[0], [0], [expect.closeTo(10, 12)]], [[1, 0, 0]], [[0]]]);
    expect(r.gainMargin).toBeCloseTo(3, 8);
    expect(r.phaseMargin).toBeCloseTo(25.3898, 3);
    expect(r.stable).toBe(true);
    expect(r.zeros).toEqual([]);
    expect(r.dcGain).toBeCloseTo(1, 10);
    // the same loop where its gain is three times as large stands at the edge
    const edge = told('--class', 'Loop', '--open', 'u');
    expect(edge.poles).toEqual([
      [expect.closeTo(0, 12), 0],
      [expect.closeTo(-1, 12), 0],
      [expect.closeTo(-5, 12), 0],
    ]);
    expect(edge.stable).toBe(false);
    expect(edge.dcGain).toBeNull();
  });

  test('around a moment, exactly', () => {
    const r = told('--class', 'Tank', '--from', 'q', '--to', 'h', '--at', '2');
    expect(r.time).toBe(2);
    // sqrt(h) = 2 - t/2
    expect(r.A[0][0]).toBeCloseTo(-0.5, 6);
    expect(r.gainMargin).toBeNull();
  });

  test('from tick to tick', () => {
    const r = told('--class', 'Tank', '--from', 'q', '--to', 'h', '--every', '0.5', '--method', 'tustin');
    // a = -1/4: (1 + aT/2)/(1 - aT/2)
    expect(r.poles[0][0]).toBeCloseTo((1 - 0.0625) / (1 + 0.0625), 6);
    expect(told('--class', 'Tank', '--from', 'q', '--to', 'h', '--every', '0.5').poles[0][0]).toBeCloseTo(
      Math.exp(-0.125),
      6,
    );
  });

  test('with a controller that has ticks of its own', () => {
    const r = told('--class', 'Ticks', '--from', 'w', '--to', 'x', '--open', 'u');
    const a = Math.exp(-0.1);
    expect(r.poles).toEqual([[expect.closeTo(a - 3 * (1 - a), 9), 0]]);
    expect(r.gainMargin).toBeCloseTo((1 + a) / (1 - a) / 3, 6);
    expect(zelvar('linear', loop, '--class', 'Ticks', '--from', 'w', '--to', 'x', '--every', '0.2').stderr).toMatch(
      /set every 0\.1 s/,
    );
  });

  test('a part type of a project', () => {
    const { status, stdout } = zelvar(
      'linear',
      capper,
      '--type',
      'SpindleDrive',
      '--from',
      'command',
      '--to',
      'speed',
      '--json',
    );
    expect(status).toBe(0);
    const r = JSON.parse(stdout) as Told;
    // the angle goes on: it has no part in the speed, whose gain at rest is that of V = R i + 10 k w, 8.5 k i = d w
    expect(r.stable).toBe(false);
    expect(r.dcGain).toBeCloseTo(1 / (0.35 + (1.2 * 2e-4) / (8.5 * 0.035)), 3);
    expect(r.poles).toHaveLength(5);
    expect(r.zeros!.length).toBeLessThan(3);
  });

  test.each([
    [['--class', 'Loop', '--from', 'w', '--to', 'x4'], /There is no quantity x4; did you mean x[123]\?/],
    [['--class', 'Loop', '--from', 'e', '--to', 'x1'], /e is no input that is free: it follows from the rest/],
    [['--from', 'w', '--to', 'x1'], /--class says which class of the text is meant/],
    [['--class', 'Switched', '--from', 'on', '--to', 'x'], /on is no number that can change a little/],
    [['--class', 'Loop', '--from', 'w'], /--from and --to say what is looked at/],
    [['--class', 'None', '--from', 'w', '--to', 'x1'], /There is no class None/],
    [['--class', 'Loop', '--from', 'w', '--to', 'x1', '--every', '0'], /A number above 0 is needed/],
    [['--class', 'Loop', '--from', 'w', '--to', 'x1', '--at', '-1'], /A time from 0 on is needed/],
  ])('%j is refused', (args, why) => {
    const { status, stderr } = zelvar('linear', loop, ...args);
    expect(status).toBe(2);
    expect(stderr).toMatch(why);
  });
});

describe('probe', () => {
  const boxes = join(folder, 'boxes.mo');
  beforeAll(() =>
    writeFileSync(
      boxes,
      `model Linear input Real u; output Real y; Real x(start = 0, fixed = true); equation der(x) = -x + u; y = 2*x; end Linear;
model Offset input Real u; output Real y; equation y = 2*u + 1; end Offset;
model Product input Real a; input Real b; output Real y; equation y = a*b; end Product;
`,
    ),
  );
  interface Answer {
    holds: boolean | 'not refuted';
    because: string;
    counterexample: {
      inputs: { text: string }[];
      at: number;
      left: { value: number };
      right: { value: number };
    } | null;
    difference: number;
    culprit: { quantity: string; without: string } | null;
    tried: { inputs: number; runs: number; seed: number };
  }

  test('what is asked for is answered, each under the word it was asked by; 1 where something is refuted', () => {
    const linear = zelvar(
      'probe',
      boxes,
      '--class',
      'Linear',
      '--property',
      'homogeneous,additive,time-invariant',
      '--json',
    );
    expect(linear.status).toBe(0);
    const told = JSON.parse(linear.stdout) as Record<string, Answer>;
    expect(Object.keys(told)).toEqual(['from', 'to', 'effort', 'seed', 'homogeneous', 'additive', 'time-invariant']);
    expect(told.homogeneous).toMatchObject({ holds: true, counterexample: null, culprit: null });
    const offset = zelvar(
      'probe',
      boxes,
      '--class',
      'Offset',
      '--property',
      'additive,memoryless',
      '--effort',
      '20',
      '--seed',
      '3',
      '--json',
    );
    expect(offset.status).toBe(1);
    const { additive, memoryless } = JSON.parse(offset.stdout) as Record<string, Answer>;
    expect(additive.holds).toBe(false);
    expect(additive.counterexample).toMatchObject({ left: { value: 1 }, right: { value: 2 } });
    expect(additive.culprit).toMatchObject({
      quantity: 'y',
      without: 'without `+ 1` in y it is additive for all inputs tried',
    });
    expect(additive.tried.seed).toBe(3);
    expect(memoryless.holds).toBe(true);
  });

  test('without names everything is asked, in words', () => {
    const { status, stdout } = zelvar('probe', boxes, '--class', 'Linear', '--effort', '10');
    expect(status).toBe(1);
    expect(stdout).toMatch(/homogeneous +holds: its equations are sums/);
    expect(stdout).toMatch(/memoryless +refuted: .*\n.*\n.*with another past/);
    expect(stdout).toMatch(/der\(x\) = -x \+ u;: x is all it remembers/);
  });

  test('several inputs together, or one of them', () => {
    const both = zelvar('probe', boxes, '--class', 'Product', '--property', 'additive', '--json');
    expect(both.status).toBe(1);
    const { from, additive } = JSON.parse(both.stdout) as { from: string; additive: Answer };
    expect([from, additive.holds]).toEqual(['a,b', false]);
    expect(zelvar('probe', boxes, '--class', 'Product', '--property', 'additive', '--from', 'a').status).toBe(0);
  });

  test('a part type of a project, and its line that is to blame', () => {
    const { status, stdout } = zelvar(
      'probe',
      'samples/heated-block.zelvar.json',
      '--type',
      'Controller',
      '--from',
      'wanted',
      '--property',
      'homogeneous',
      '--json',
    );
    expect(status).toBe(1);
    const { homogeneous } = JSON.parse(stdout) as Record<string, Answer>;
    expect(homogeneous.culprit).not.toBeNull();
  });

  test.each([
    [['--class', 'None'], /There is no class None/],
    [['--class', 'Linear', '--property', 'fancy'], /There is no property fancy; there are homogeneous, additive/],
    [['--class', 'Linear', '--to', 'z'], /There is no quantity z/],
    [[], /--class says which class of the text is meant/],
    [['--class', 'Linear', '--effort', '0'], /A number above 0 is needed/],
  ])('%j is refused', (args, why) => {
    const { status, stderr } = zelvar('probe', boxes, ...args);
    expect([status, stderr]).toEqual([2, expect.stringMatching(why)]);
  });
});

test('the starter “Is it linear?”: one is, one has an offset, one a limit', () => {
  const ask = (type: string): Record<string, { holds: unknown; culprit: { quantity: string } | null }> =>
    JSON.parse(
      zelvar('probe', 'samples/is-it-linear.zelvar.json', '--type', type, '--property', 'linear', '--json').stdout,
    ) as ReturnType<typeof ask>;
  expect(ask('Smoother')).toMatchObject({ homogeneous: { holds: true }, additive: { holds: true } });
  expect(ask('Transmitter')).toMatchObject({ homogeneous: { holds: false, culprit: { piece: 'zero' } } });
  expect(ask('Drive')).toMatchObject({ additive: { holds: false, culprit: { quantity: 'given' } } });
});
