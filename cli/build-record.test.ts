import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { tubeCapper } from '../samples/tube-capper';
import { commandHost } from './testing/command';
import { capperFolder, short } from './testing/short-capper';

jest.setTimeout(400_000);
const { run: zelvar, end } = commandHost();
afterAll(end);
const { path, projectFile } = capperFolder('record');

test('a record of a state that is ready: all of it in a folder, and in one file that is checked', () => {
  const out = path('ready');
  const file = projectFile('ready.json', { name: 'Short capper', cases: [short] });
  const { status, stdout, stderr } = zelvar('build-record', file, '--out', out, '--stage', 'code', '--tag', '1.0');
  expect([status, stderr]).toEqual([0, '']);
  expect(stdout).toMatch(/^done {5}check: no errors/m);
  expect(stdout).toMatch(/^left out compile: no board was asked for$/m);
  expect(stdout).toMatch(/^ready for test$/m);
  for (const name of ['tests.xml', 'coverage.json', 'code/CapperControl/CapperControl.c', 'project.zelvar.json'])
    expect(existsSync(join(out, name))).toBe(true);
  const archive = join(out, 'short-capper-record.zip');
  const checked = zelvar('evidence', 'check', archive, '--project', join(out, 'project.zelvar.json'));
  expect(checked.stdout).toMatch(
    /\(build record\)\nright {2}Everything that belongs to the record is there as it was: 11 files/,
  );
  expect(checked.status).toBe(0);
});

test('what is not ready is 1 with the reason, what fails at a phase as well; what cannot be begun is 2', () => {
  const failing = projectFile('failing.json', { cases: [{ ...short, script: `${short.script}; expect engage` }] });
  const bad = zelvar('build-record', failing, '--out', path('bad'), '--stage', 'code', '--least', '90');
  expect(bad.status).toBe(1);
  expect(bad.stdout).toMatch(/^not ready: 1 of 1 outcome did not pass; coverage is \d+\.\d %, 90 % is asked for$/m);
  const made = (file: string): string => {
    const { status, stdout } = zelvar('build-record', file, '--out', path('failed'), '--stage', 'code', '--json');
    const { verdict, phases } = JSON.parse(stdout) as { verdict: string; phases: { name: string; outcome: string }[] };
    return `${status} ${verdict}: ${phases.map((p) => p.outcome).join(', ')}`;
  };
  expect(made(projectFile('cannot.json', { cases: [{ ...short, script: 'expect nothing' }] }))).toBe(
    '1 not ready: done, done, left out, done, done, done',
  );
  const types = tubeCapper.types.map((t) => (t.id === 't-cappercontrol' ? { ...t, physics: 'equation\n  x = 1;' } : t));
  expect(made(projectFile('wrong.json', { cases: [short], types }))).toBe(
    '1 failed: failed, left out, left out, left out, left out, left out',
  );
  expect(zelvar('build-record', failing, '--out', path('x'), '--board', 'oak').stderr).toMatch(/there is no board oak/);
  expect(zelvar('build-record', failing, '--out', path('x'), '--least', '101').status).toBe(2);
});

test('images are built for the boards that are asked for, with their sizes', () => {
  if (spawnSync('avr-gcc', ['--version']).status !== 0) {
    console.warn('avr-gcc is not here: images of records are left out');
    return;
  }
  const out = path('board');
  const file = projectFile('board.json', { name: 'Short capper', cases: [short] });
  const { status } = zelvar('build-record', file, '--out', out, '--stage', 'code', '--board', 'larch8');
  expect(status).toBe(0);
  const record = JSON.parse(readFileSync(join(out, 'record.json'), 'utf8')) as { sizes: unknown[]; files: unknown[] };
  expect(record.sizes).toEqual([
    expect.objectContaining({ program: 'CapperControl', board: 'larch8', memory: { used: 410, of: 2048 } }),
  ]);
  expect(readFileSync(join(out, 'images/CapperControl-larch8.elf')).length).toBeGreaterThan(1000);
});
