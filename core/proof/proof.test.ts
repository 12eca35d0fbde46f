import { XMLParser, XMLValidator } from 'fast-xml-parser';
import { tubeCapper } from '@/samples/tube-capper';
import { newCase, newVector, type Project, type TestCase } from '../project/project';
import type { StageText } from '../stepcode/stage';
import { caseMark } from './case-mark';
import { caseProblems, problemsOfCase } from './check-cases';
import { casesNamed, inStages, isFor, readStagesList } from './choose';
import { writeJunit, type TriedCase } from './junit';
import { runCase } from './run-case';

const withCases = (...cases: readonly TestCase[]): Project => ({ ...tubeCapper, cases });
const ctrl = 't-cappercontrol';
const alone = (script: string, more: Partial<TestCase> = {}): TestCase => ({
  ...newCase('k', 'K'),
  alone: ctrl,
  script,
  ...more,
});
const told = (c: TestCase, project = withCases(c)): readonly string[] =>
  caseProblems(project).map((p) => `${p.severity} ${p.place?.replace('case/k', '')}: ${p.message}`);

test('cases are chosen by name or tag, and run in the stages they are for', () => {
  const cases = [
    { ...newCase('a', 'A'), tags: ['quick'] },
    { ...newCase('b', 'B'), tags: ['quick', 'slow'], stages: ['code', 'board'] },
    { ...newCase('c', 'quick') },
  ];
  const named = (...words: readonly string[]) => casesNamed({ cases }, words).cases.map((c) => c.id);
  expect([named(), named('slow'), named('quick'), named('A', 'slow')]).toEqual([
    ['a', 'b', 'c'],
    ['b'],
    ['a', 'b', 'c'],
    ['a', 'b'],
  ]);
  expect(casesNamed({ cases }, ['A', 'sluw']).unknown).toEqual(['sluw']);
  expect([undefined, 'code', 'sampled', 'board:larch8'].map((s) => isFor(cases[1], s as StageText))).toEqual([
    true,
    true,
    false,
    true,
  ]);
  expect(inStages(cases, ['code', 'sampled']).map((x) => `${x.of.id} ${x.stage}`)).toEqual([
    'a code',
    'a sampled',
    'b code',
    'c code',
    'c sampled',
  ]);
  expect(inStages(cases, []).map((x) => x.stage)).toEqual([undefined, undefined, undefined]);
  expect(readStagesList('code, board:larch8,code , bord')).toEqual({
    stages: ['code', 'board:larch8'],
    wrong: ['bord'],
  });
});

test('a case that can never fail, or in which nothing happens, is pointed out', () => {
  expect(told(alone(''))).toEqual([]);
  expect(told(alone('wait 1 s; expect in(mode.Ready)'))).toEqual([]);
  expect(told(alone('send start; wait 1 s'))).toEqual([
    'warning : It expects nothing: only a requirement could fail it',
  ]);
  expect(told(alone('expect in(mode.Off)'))).toEqual([
    'warning /script: No time passes in it: everything is looked at as it begins',
  ]);
  expect(told(alone('wait 1 s; expect 1 < 2; expect in(mode.Ready)'))).toEqual([
    'warning /script: 1 < 2 says nothing of what is tried: it is always the same',
  ]);
  expect(told(alone('wate 1 s; expect in(mode.Ready)'))[0]).toMatch(/^error \/script: This is no line of a script/);
  expect(told(alone('wait 1 s; expect engage', { stages: ['code', 'bord'] }))).toEqual([
    'error /stages/1: There is no stage bord',
  ]);
  const table = { vectors: [newVector('v', 'expect' as const, 'voltage')], rows: [{ time: 1, cells: [] }] };
  expect(told(alone('', table))).toEqual([
    'warning /vector/v/target: voltage has no value in any row: nothing is expected of it',
  ]);
});

test('a case whose setup, part type or written sequence is gone says so', () => {
  const of = (more: Partial<TestCase>): TestCase => ({ ...newCase('k', 'K'), ...more });
  expect(told(of({ alone: 'gone' }))).toEqual(['error /alone: The part type it tries alone is not there any more']);
  expect(told(of({ setup: 'gone' }))).toEqual(['error /setup: Its setup is not there any more']);
  expect(told(of({}), { ...withCases(of({})), setups: [] })).toEqual(['error /setup: There is no setup to run']);
  expect(told(of({ setup: 'u-spindle-on-the-bench', sequences: ['q-a-batch-of-24'] }))).toEqual([
    'error /sequences: A written sequence of it is not of SpindleDrive, which its setup runs',
  ]);
  expect(told(of({ setup: 'u-batch', sequences: ['q-a-batch-of-24'] }))).toEqual([]);
  for (const c of [of({ alone: 'gone' }), of({ setup: 'gone' }), of({ alone: ctrl, sequences: ['q-a-batch-of-24'] })]) {
    const { verdict, why } = runCase(withCases(c), c);
    expect([verdict, why]).toEqual(['not run', expect.stringMatching(/not there any more|A written sequence is of/)]);
  }
});

test('what its run would say is known before it runs, in its own words and at its place', () => {
  const c = alone('expect voltge == 0\nexpect in(mode.Redy) within 1 s', {
    vectors: [newVector('v', 'set', 'temprature')],
    rows: [{ time: 0, cells: [{ column: 'v', value: '20' }] }],
  });
  const found = problemsOfCase(withCases(c), c).map((p) => [p.place, p.message]);
  expect(found).toEqual(
    expect.arrayContaining([
      ['case/k/script', expect.stringContaining('did you mean voltage?')],
      ['case/k/script', expect.stringContaining('Redy')],
      ['case/k/vector/v/target', 'CapperControl has no temprature; did you mean temperature?'],
    ]),
  );
});

test('an outcome is out of date when something it rests on has changed, and only then', () => {
  const [whole] = [{ ...newCase('k', 'K'), setup: 'u-careful' }];
  const own = alone('wait 1 s; expect engage');
  const marks = (p: Project): readonly string[] => [whole, own].map((c) => caseMark(p, c));
  const [a, b] = marks(tubeCapper);
  const after = (change: (p: Project) => Project): readonly boolean[] => {
    const [x, y] = marks(change(tubeCapper));
    return [x !== a, y !== b];
  };
  const typed = (name: string, physics: string) => (p: Project) => ({
    ...p,
    types: p.types.map((t) => (t.name === name ? { ...t, physics: `${t.physics}${physics}` } : t)),
  });
  expect(after((p) => ({ ...p, name: 'Other', note: 'another' }))).toEqual([false, false]);
  expect(after(typed('CapperControl', ' '))).toEqual([true, true]);
  // what is around a part alone does not matter to it
  expect(after(typed('CapThread', ' '))).toEqual([true, false]);
  expect(after(typed('SpindleWatch', ' '))).toEqual([false, false]);
  expect(after((p) => ({ ...p, setups: p.setups.map((s) => ({ ...s, stop: s.stop + 1 })) }))).toEqual([true, false]);
  expect(after((p) => ({ ...p, setups: p.setups.map((s) => ({ ...s, note: 'x' })) }))).toEqual([false, false]);
  expect(after((p) => ({ ...p, requirements: p.requirements.slice(1) }))).toEqual([true, true]);
  expect(caseMark(tubeCapper, { ...own, note: 'other', name: 'Other', tags: ['x'] })).toBe(b);
  expect(caseMark(tubeCapper, { ...own, script: 'wait 2 s; expect engage' })).not.toBe(b);
});

test('outcomes as XML: a suite per stage, with numbers that a reader counts up', () => {
  const outcome = runCase(tubeCapper, alone('wait 1 s; expect engage & true'));
  const failed = runCase(tubeCapper, alone('wait 1 s\nexpect engage'));
  const passed = runCase(tubeCapper, alone('wait 0.1 s\nexpect not engage'));
  expect([outcome.verdict, failed.verdict, passed.verdict]).toEqual(['not run', 'failed', 'passed']);
  const tried: readonly TriedCase[] = [
    { name: 'A "quoted" <case> \u0007', tags: [], stage: 'code', outcome: failed },
    { name: 'B', tags: [], stage: 'code', outcome: passed },
    { name: 'C', tags: [], stage: undefined, outcome },
  ];
  const xml = writeJunit('Capper & co', tried, new Date('2026-12-02T01:02:03Z'));
  expect(XMLValidator.validate(xml)).toBe(true);
  const { testsuites } = new XMLParser({
    ignoreAttributes: false,
    attributeNamePrefix: '',
    isArray: (n) => n === 'testcase' || n === 'testsuite',
  }).parse(xml) as {
    testsuites: { testsuite: Record<string, unknown>[] };
  };
  const [code, asSet] = testsuites.testsuite as {
    name: string;
    tests: string;
    failures: string;
    errors: string;
    timestamp: string;
    testcase: { name: string; failure?: { message: string }; error?: { message: string } }[];
  }[];
  expect([code.name, code.tests, code.failures, code.errors, code.timestamp]).toEqual([
    'code',
    '2',
    '1',
    '0',
    '2026-12-02T01:02:03',
  ]);
  expect([asSet.name, asSet.tests, asSet.failures, asSet.errors]).toEqual(['as set up', '1', '0', '1']);
  expect(code.testcase.map((t) => t.name)).toEqual(['A "quoted" <case> \ufffd', 'B']);
  expect(code.testcase[0].failure!.message).toBe('line 2: engage did not hold');
  expect(code.testcase[1].failure).toBeUndefined();
  expect(asSet.testcase[0].error!.message).not.toBe('');
});
