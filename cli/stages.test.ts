import { unzipSync } from 'fflate';
import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { commandHost } from './testing/command';

/** Controllers as code, by the command: written, built, run in steps and compared. */
jest.setTimeout(400_000);
const folder = mkdtempSync(join(tmpdir(), 'zelvar-stages-'));
const capper = 'samples/tube-capper.zelvar.json';
const { run: zelvar, end } = commandHost();
afterAll(end);
const hasCompiler = spawnSync('cc', ['--version']).status === 0;
const isThere = hasCompiler ? test : test.skip;

test('read-back: what can be said in the model, what cannot at its line, and the project with it', () => {
  const out = join(folder, 'back');
  zelvar('code', capper, '--type', 'CapperControl', '--out', out);
  const source = readFileSync(join(out, 'CapperControl.c'), 'utf8');
  const edited = join(out, 'edited.c');
  const next = join(out, 'next.zelvar.json');
  writeFileSync(edited, source.replace('mode_after_Off = 50;', 'mode_after_Off = 80;'));
  const all = zelvar('read-back', capper, edited, '--type', 'CapperControl', '--out', next);
  expect([all.status, all.stdout]).toEqual([0, expect.stringContaining("    0.05 's'\n  becomes\n    0.08 's'\n")]);
  zelvar('code', next, '--type', 'CapperControl', '--out', join(out, 'next'));
  expect(readFileSync(join(out, 'next', 'CapperControl.c'), 'utf8')).toBe(readFileSync(edited, 'utf8'));
  // what the model has come to since stays, and what is not understood is told
  writeFileSync(edited, source.replace('out->ready += 1;', 'out->ready += 2;'));
  const some = zelvar(
    ...['read-back', next, edited, '--type', 'CapperControl', '--since', join(out, 'CapperControl.c'), '--json'],
  );
  expect(some.status).toBe(1);
  const line = source.split('\n').findIndex((l) => l.includes('out->ready += 1;')) + 1;
  expect(JSON.parse(some.stdout)).toEqual({
    proposals: [],
    notTaken: [
      {
        line,
        message: 'A message is sent once: out->ready += 1',
        element: expect.stringContaining('s-ready') as string,
      },
    ],
  });
  expect(zelvar('read-back', capper, join(out, 'none.c'), '--type', 'CapperControl').status).toBe(2);
});

test('code: sources with a map, told as JSON; what cannot be put into code at its place', () => {
  const out = join(folder, 'code');
  const done = zelvar('code', capper, '--type', 'CapperControl', '--out', out, '--json');
  expect(done.status).toBe(0);
  const said = JSON.parse(done.stdout) as { files: string[]; period: number; inputs: { name: string; c: string }[] };
  expect(said.files).toEqual([
    'CapperControl.h',
    'CapperControl.c',
    'CapperControl_test.c',
    'Makefile',
    'CapperControl.map.json',
  ]);
  expect(said.period).toBe(0.001);
  expect(said.inputs.map((i) => i.c)).toContain('tubeSeen');
  const source = readFileSync(join(out, 'CapperControl.c'), 'utf8').split('\n');
  const { lines } = JSON.parse(readFileSync(join(out, 'CapperControl.map.json'), 'utf8')) as {
    lines: { file: string; from: number; to: number; element: string }[];
  };
  // the lines of a state name it
  const clamp = lines.filter((l) => l.element.endsWith('/state/s-clamp'));
  expect(
    clamp.some((l) =>
      source
        .slice(l.from - 1, l.to)
        .join('\n')
        .includes('CapperControl_Mode_Clamp;'),
    ),
  ).toBe(true);
  for (const l of lines) expect(l.from <= l.to && l.to <= source.length).toBe(true);
  expect(source.every((l) => l.length <= 80)).toBe(true);
  const not = zelvar('code', capper, '--type', 'BeltDrive', '--out', join(folder, 'belt'), '--every', '0.001');
  expect(not.status).toBe(1);
  expect(not.stderr).toContain('physics of BeltDrive: error: A rate (der) cannot be put into code');
  expect(existsSync(join(folder, 'belt'))).toBe(false);
  expect(zelvar('code', capper, '--type', 'Belt', '--out', out)).toMatchObject({ status: 2 });
  expect(zelvar('code', capper, '--type', 'Gripper', '--out', out).stderr).toContain('--every says');
});
isThere('code: the build file builds it, and the test program steps it', () => {
  const out = join(folder, 'built');
  zelvar('code', capper, '--type', 'CapperControl', '--out', out);
  const flags = 'CFLAGS=-std=c99 -O2 -Wall -Wextra -Wconversion -Wshadow -Werror -ffp-contract=off';
  expect(spawnSync('make', [flags], { cwd: out, encoding: 'utf8' })).toMatchObject({ status: 0, stderr: '' });
  // 150 steps without anything: from Off by Homing to Ready
  const ran = spawnSync(join(out, 'CapperControl_test'), {
    input: `152 0 0 0 20 ${'0 '.repeat(8)}\n`,
    encoding: 'utf8',
  });
  const rows = ran.stdout
    .trim()
    .split('\n')
    .map((l) => l.split(' ').map(Number));
  expect(rows).toHaveLength(152);
  const mode = 12;
  expect([rows[0][mode], rows[49][mode], rows[50][mode], rows[149][mode], rows[150][mode]]).toEqual([1, 1, 2, 2, 3]);
  // it says once that it is ready
  expect(rows.map((r) => r[7]).reduce((a, b) => a + b)).toBe(1);
});
test('code: a unit for co-simulation, where it is asked for', () => {
  const out = join(folder, 'unit');
  const done = zelvar('code', capper, '--type', 'CapperControl', '--out', out, '--fmu', '--json');
  expect(done.status).toBe(0);
  expect((JSON.parse(done.stdout) as { files: string[] }).files).toContain('CapperControl.fmu');
  const parts = unzipSync(readFileSync(join(out, 'CapperControl.fmu')));
  expect(Object.keys(parts).sort()).toEqual([
    'modelDescription.xml',
    'sources/CapperControl.c',
    'sources/CapperControl.h',
    'sources/CapperControl_fmi.c',
    'sources/buildDescription.xml',
    'sources/fmi3.h',
  ]);
});
test('code: what is no software and has equations only as a unit of its own; what has more is told at its place', () => {
  const out = join(folder, 'plant');
  const done = zelvar('code', capper, '--type', 'SpindleDrive', '--out', out, '--fmu', '--json');
  expect([done.status, done.stderr]).toEqual([0, '']);
  const said = JSON.parse(done.stdout) as Record<string, readonly unknown[]>;
  expect(said.files).toEqual(['SpindleDrive.fmu']);
  expect(said.inputs).toContainEqual({ name: 'command', type: 'Float64' });
  expect(said.states.length).toBeGreaterThan(1);
  expect(Object.keys(unzipSync(readFileSync(join(out, 'SpindleDrive.fmu')))).sort()).toEqual([
    'modelDescription.xml',
    'sources/SpindleDrive.c',
    'sources/SpindleDrive.h',
    'sources/SpindleDrive_fmi.c',
    'sources/buildDescription.xml',
    'sources/fmi3.h',
  ]);
  const belt = zelvar('code', capper, '--type', 'BeltDrive', '--out', out, '--fmu');
  expect(belt.status).toBe(1);
  expect(belt.stderr + belt.stdout).toContain('drive goes from state to state: only equations are put into a unit');
});
test('build: an image with its sizes, and what is no board', () => {
  const out = join(folder, 'image');
  const ask = (board: string, ...more: string[]) =>
    zelvar('build', capper, '--type', 'CapperControl', '--board', board, '--out', out, ...more);
  expect(ask('pine')).toMatchObject({
    status: 2,
    stderr: 'zelvar: there is no board pine; there are larch8, larch32\n',
  });
  const built = ask('larch8', '--json');
  if (spawnSync('avr-gcc', ['--version']).status !== 0) {
    expect(built.status).toBe(1);
    expect(built.stderr).toContain('install gcc-avr avr-libc');
    return;
  }
  expect(built.status).toBe(0);
  const { sizes, problems, file } = JSON.parse(built.stdout) as {
    sizes: { flash: { used: number; of: number }; memory: { used: number; of: number }; text: number; data: number };
    problems: unknown[];
    file: string;
  };
  expect(problems).toEqual([]);
  expect(readFileSync(file).subarray(0, 4)).toEqual(Buffer.from([0x7f, 0x45, 0x4c, 0x46]));
  expect(sizes.flash).toEqual({ used: sizes.text + sizes.data, of: 32768 });
  expect(sizes.flash.used).toBeGreaterThan(4000);
  expect(sizes.memory.of).toBe(2048);
});
isThere('stages: what differs, where it first does, and how long a step takes', () => {
  // through its channels a step reads what its sensors tell
  const measured = zelvar('stages', capper, '--setup', 'Careful', '--part', 'ctrl', '--stages', 'designed, sampled');
  expect(measured.status).toBe(1);
  expect(measured.stdout).toMatch(/ctrl\.speed: first at 0\.8\d* s/);
  const all = zelvar('stages', capper, '--setup', 'Careful', '--part', 'ctrl', '--direct', '--json');
  expect(all.status).toBe(1);
  const { pairs, profile } = JSON.parse(all.stdout) as {
    pairs: { a: string; b: string; quantity: string; same: boolean; first: { time: number } | null }[];
    profile: { host: { unit: string; functions: { calls: number; min: number; mean: number; max: number }[] } };
  };
  expect(pairs.filter((p) => !p.same).map((p) => [p.a, p.b, p.quantity])).toEqual([
    ['designed', 'sampled', 'ctrl.part'],
  ]);
  expect(pairs.find((p) => !p.same)!.first!.time).toBeGreaterThan(1);
  const boards = ['avr-gcc', 'arm-none-eabi-gcc'].map((c) => spawnSync(c, ['--version']).status === 0);
  expect(new Set(pairs.map((p) => `${p.a} ${p.b}`))).toEqual(
    new Set([
      'designed sampled',
      'sampled code',
      'code host',
      ...['code board:larch8', 'code board:larch32'].filter((_, k) => boards[k]),
    ]),
  );
  if (!boards.every(Boolean)) expect(all.stderr).toContain('is not available here: install gcc');
  const [step] = profile.host.functions;
  expect(step.calls).toBe(2001);
  expect(step.min <= step.mean && step.mean <= step.max).toBe(true);
  const equal = zelvar('stages', capper, '--setup', 'Careful', '--part', 'ctrl', '--stages', 'code, host');
  expect(equal).toMatchObject({ status: 0 });
  expect(equal.stdout).toContain('code and host: the same in');
});
test('run: a part in steps, with verdicts as ever; what is no stage is told', () => {
  const run = zelvar('run', capper, '--setup', 'Careful', '--stage', 'ctrl=code');
  expect(run.status).toBe(0);
  expect(run.stdout).toMatch(/CAP-02 +holds +margin 0\.0985/);
  expect(run.stdout).toMatch(/CAP-16 +undecided +Loops are looked at only/);
  const told = (stage: string) => zelvar('run', capper, '--setup', 'Careful', '--stage', stage);
  expect(told('ctrl=fast')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('designed, sampled, code') as string,
  });
  expect(told('ctrl=board:small').stderr).toContain('There is no board small; there are larch8, larch32');
  const host = zelvar('run', capper, '--setup', 'Careful', '--stage', 'ctrl=host');
  expect(host.status).toBe(0);
  expect(host.stdout).toMatch(/CAP-02 +holds +margin 0\.0985/);
  const wire = (text: string) => zelvar('run', capper, '--setup', 'Guard', '--stage', 'ctrl=code', '--wire', text);
  const loose = wire('ctrl.guardSwitch=loose');
  expect(loose.status).toBe(1);
  expect(loose.stdout).toMatch(/CAP-05 +fails by 203 ms/);
  expect(loose.stdout).toContain('ctrl.guardSwitch: 1 message did not arrive');
  expect(wire('ctrl.guardSwitch=sound')).toMatchObject({ status: 0 });
  expect(wire('ctrl.startKey=stopKey').stdout).toContain('ctrl.startKey: 1 message did not arrive');
  expect(wire('ctrl.startKey=motorDriver')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('would join two outputs') as string,
  });
  // its key hears what the lamp puts out, not who presses it
  expect(wire('ctrl.startKey=pin:panelLamp').stdout).toContain('ctrl.startKey: 1 message did not arrive');
  expect(wire('ctrl.startKey=pin:stopKey')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('nothing would come over a jumper') as string,
  });
  expect(wire('guardSwitch')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('part.channel=fault') as string,
  });
  expect(host.stdout).toMatch(/CAP-13 +undecided +How long a step of ctrl takes is known where it runs on a board/);
  expect(told('ctl=code')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('did you mean ctrl?') as string,
  });
});
test('a controller with names that C does not have', () => {
  const type = (n: string) => ({
    ...(JSON.parse(readFileSync(capper, 'utf8')) as { types: { name: string }[] }).types.find(
      (t) => t.name === 'CapperControl',
    )!,
    name: n,
  });
  const whole = JSON.parse(readFileSync(capper, 'utf8')) as { types: { id: string; name: string }[] };
  const text = JSON.stringify({
    ...whole,
    types: whole.types.map((t) => (t.name === 'CapperControl' ? type('Größe') : t)),
  });
  const file = join(folder, 'names.zelvar.json');
  // another alphabet for a state, a word of C for an input
  writeFileSync(
    file,
    text.replaceAll('"Clamp"', '"Зажим"').replaceAll('Clamp', 'Зажим').replaceAll('torque', 'volatile'),
  );
  const out = join(folder, 'names');
  const done = zelvar('code', file, '--type', 'Größe', '--out', out);
  if (done.status !== 0) throw new Error(done.stderr);
  const header = readFileSync(join(out, 'Grosse.h'), 'utf8');
  expect(header).toContain('float volatile_;');
  expect(/^[\x20-\x7e\n]*$/.test(header.replace(/\/\*[\s\S]*?\*\//g, ''))).toBe(true);
  if (hasCompiler) expect(spawnSync('make', { cwd: out }).status).toBe(0);
});
