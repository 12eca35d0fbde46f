import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { writeProjectJson } from '../core/formats/project-file';
import { newCase, type TestCase } from '../core/project/project';
import { tubeCapper } from '../samples/tube-capper';
import { commandHost } from './testing/command';

jest.setTimeout(400_000);
const { run: zelvar, end } = commandHost();
afterAll(end);
const folder = mkdtempSync(join(tmpdir(), 'zelvar-cases-'));
const path = (name: string): string => join(folder, name);
const capper = join(__dirname, '../samples/tube-capper.zelvar.json');
const withCases = (name: string, ...cases: readonly TestCase[]): string => {
  writeFileSync(path(name), writeProjectJson({ ...tubeCapper, cases }));
  return path(name);
};
const alone = (name: string, script: string, more: Partial<TestCase> = {}): TestCase => ({
  ...newCase(`k-${name}`, name),
  alone: 't-cappercontrol',
  script,
  ...more,
});

test('the cases of the demo pass, as its setups say and as code', () => {
  const { status, stdout, stderr } = zelvar('test', capper, '--case', 'controller', '--stage', 'code', '--jobs', '2');
  expect([status, stderr]).toEqual([0, '']);
  expect(stdout).toMatch(/^passed {3}One cap, step by step, code \(\d+ ms\)$/m);
  expect(stdout).toMatch(/^10 passed, 0 failed, 0 could not run$/m);
  // in several processes they are told in the same order, and come to the same
  const inTurn = zelvar('test', capper, '--case', 'controller', '--stage', 'code', '--jobs', '1');
  const bare = (text: string): string => text.replace(/\(\d+ ms\)/g, '');
  expect(bare(inTurn.stdout)).toBe(bare(stdout));
  const whole = zelvar('test', capper, '--case', 'The spindle alone', '--case', 'Guard, as written', '--json');
  const found = JSON.parse(whole.stdout) as { cases: { case: string; stage: null; verdict: string }[]; passed: number };
  expect(found.cases.map((c) => [c.case, c.stage, c.verdict])).toEqual([
    ['Guard, as written', null, 'passed'],
    ['The spindle alone', null, 'passed'],
  ]);
  expect(found.passed).toBe(2);
});

test('the fault that was put in on purpose is found by the case of the batch', () => {
  const late = { ...tubeCapper.cases.find((c) => c.name === 'Batches are counted')! };
  const file = withCases('late.json', { ...late, script: `set counterSlip = 1\n${late.script}` });
  const { status, stdout } = zelvar('test', file);
  expect(status).toBe(1);
  expect(stdout).toMatch(/^failed .* line 13: inBatch == 1 did not hold: inBatch was 0$/m);
});

test('what fails is 1, what could not run is 2, each with its place; and as XML', () => {
  const file = withCases(
    'some.json',
    alone('holds', 'wait 0.1 s; expect not engage'),
    alone('fails', 'wait 0.1 s\nexpect engage', { tags: ['bad'] }),
    alone('cannot', 'wait 0.1 s\nexpect engaged', { tags: ['worse'] }),
  );
  expect(zelvar('test', file, '--case', 'holds').status).toBe(0);
  const failed = zelvar('test', file, '--case', 'holds', '--case', 'bad', '--junit', path('out.xml'));
  expect(failed.status).toBe(1);
  expect(failed.stdout).toMatch(/^failed {3}fails, as set up \(\d+ ms\) at 0.1 s: line 2: engage did not hold$/m);
  expect(readFileSync(path('out.xml'), 'utf8')).toContain('tests="2" failures="1" errors="0"');
  const cannot = zelvar('test', file);
  expect(cannot.status).toBe(2);
  expect(cannot.stderr).toMatch(/script of test case cannot:2:8: error: .*engaged.*did you mean engage\?/);
  expect(cannot.stdout).toMatch(/^1 passed, 1 failed, 1 could not run$/m);
});

test('what cases come through is written as a file, in several processes as in one', () => {
  const of = ['--case', 'controller', '--stage', 'code', '--coverage'] as const;
  const many = zelvar('test', capper, ...of, path('many.json'));
  expect(many.status).toBe(0);
  expect(many.stdout).toMatch(/^97 of \d+ come through \(\d+\.\d %\)$/m);
  zelvar('test', capper, ...of, path('one.json'), '--jobs', '1');
  const read = (name: string): unknown => JSON.parse(readFileSync(path(name), 'utf8'));
  expect(read('one.json')).toEqual(read('many.json'));
  const { types } = read('many.json') as {
    types: {
      type: string;
      covered: number;
      wanted: number;
      items: { text: string; gap?: string; cases: string[] }[];
    }[];
  };
  const control = types.find((t) => t.type === 'CapperControl')!;
  expect([control.covered, control.wanted]).toEqual([97, 101]);
  expect(control.items.find((i) => i.text.startsWith('Stopped → Homing'))!.cases).toEqual([
    'Guard opens while it turns',
  ]);
  expect(control.items.filter((i) => i.gap === 'excused')).toHaveLength(1);
  // nothing else was run
  expect(types.find((t) => t.type === 'Gripper')!.covered).toBe(0);
  expect(zelvar('test', capper, '--case', 'Too hot', '--coverage', path('none/x.json')).status).toBe(2);
});

test('what is asked that is not there is told', () => {
  expect(zelvar('test', capper, '--case', 'contoller')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('no test case and no tag "contoller"; did you mean controller?') as string,
  });
  expect(zelvar('test', capper, '--stage', 'hosts')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('there is no stage hosts') as string,
  });
  expect(zelvar('test', withCases('none.json'))).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('has no test cases') as string,
  });
  expect(zelvar('test', capper, '--case', 'Guard, as written', '--stage', 'code')).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('none of these cases is for code') as string,
  });
});
