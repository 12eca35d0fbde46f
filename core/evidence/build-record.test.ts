import { unzipSync, zipSync } from 'fflate';
import { boards } from '../boards/board';
import { newCase, newPart, newRequirement, newType, type Project, type TestCase } from '../project/project';
import { runCase } from '../proof/run-case';
import { chart, projectOf, quantity, state, transition } from '../testing/run-project';
import { archiveOfRecord, makeRecord, type RecordOptions, type Workshop } from './build-record';
import { readEvidence } from './check';

const goes: TestCase = {
  ...newCase('k-goes', 'Goes'),
  alone: 't',
  stop: 1,
  script: "send go; wait until in(mode.On) within 0.1 's'",
};
const project: Project = {
  ...projectOf({
    software: '0.01',
    quantities: [quantity('light', '0', { role: 'output' })],
    charts: [
      chart(
        'mode',
        [state('Off', { entry: 'light := 0' }), state('On', { entry: 'light := 1' })],
        [transition('Off', 'On', 'message go'), transition('On', 'Off', 'message halt')],
      ),
    ],
    ports: [{ id: 'o', name: 'in', accepts: ['go', 'halt'], sends: [], note: '' }],
  }),
  cases: [goes],
};
const elf = new Uint8Array([1, 2, 3]);
const casesOf = (of: Project): Pick<Workshop, 'tryCases'> => ({
  tryCases: (asked, tell) =>
    Promise.resolve(
      asked.map(({ of: tried, stage }, k) => {
        tell(k + 1);
        return {
          ...{ of: tried, stage, isStale: false, at: '2026-12-02T10:00:00.000Z' },
          outcome: runCase(of, tried, { stage, isCounted: true }),
        };
      }),
    ),
});
const workshop: Workshop = {
  build: () => Promise.resolve({ elf, sizes: { text: 100, data: 10, bss: 20 }, wrong: [], said: '' }),
  ...casesOf(project),
};
const make = async (more: Partial<RecordOptions> = {}, by: Partial<Workshop> = {}) => {
  const told: string[] = [];
  const made = await makeRecord(
    {
      ...{ project, made: '2026-12-02T11:00:00.000Z', tag: '1.0', stages: ['code'], boards: [boards[0]], least: 0 },
      ...{ tools: [], signed: [], ...more },
    },
    { ...workshop, ...by },
    (phase, share, over) => told.push(over ? `${phase} ${over.outcome}` : `${phase} ${share}`),
  );
  return { ...made, told };
};
const outcomes = (r: { phases: readonly { name: string; outcome: string }[] }): string =>
  r.phases.map((p) => `${p.name} ${p.outcome}`).join(', ');

test('all phases are gone through, told as they go, and end in a file with everything in it', async () => {
  const made = await make();
  expect(outcomes(made.record)).toBe(
    'check done, generate done, compile done, test done, coverage done, evidence done',
  );
  expect(made.record).toMatchObject({ verdict: 'ready for test', why: [], tag: '1.0' });
  expect(made.record.sizes).toEqual([
    {
      ...{ program: 'T', board: boards[0].id },
      flash: { used: 110, of: boards[0].flash },
      memory: { used: 30, of: boards[0].memory },
    },
  ]);
  expect(made.told).toEqual([
    ...['check 0', 'check done', 'generate 0', 'generate done', 'compile 0', 'compile 1', 'compile done'],
    ...['test 0', 'test 1', 'test done', 'coverage 0', 'coverage done', 'evidence 0', 'evidence done'],
  ]);
  const file = archiveOfRecord(made);
  expect(Object.keys(unzipSync(file))).toEqual(expect.arrayContaining(['record.json', 'tests.xml', 'code/T/T.c']));
  const read = await readEvidence(file);
  if (read.problem !== undefined) throw new Error(read.problem);
  expect(read.form).toBe('build record');
  expect(read.checks.map((c) => c.kind)).toEqual(['right', 'right', 'right']);
});

test('what was changed, added or taken out of the file is found', async () => {
  const whole = unzipSync(archiveOfRecord(await make()));
  const { 'tests.xml': _, ...less } = whole;
  const wrong = async (files: Record<string, Uint8Array>) => {
    const read = await readEvidence(zipSync(files));
    return read.problem ?? read.checks.flatMap((c) => (c.kind === 'wrong' ? c.details : []));
  };
  expect(await wrong(less)).toEqual(['tests.xml is missing']);
  expect(await wrong({ ...whole, 'code/T/T.c': new TextEncoder().encode('int x;') })).toEqual([
    'code/T/T.c is another',
  ]);
  expect(await wrong({ ...whole, more: elf })).toEqual(['more was added']);
  expect(await wrong({ ...whole, 'record.json': elf })).toMatch(/damaged/);
});

test('it is not ready where an outcome did not pass, a requirement is not met, or less is come through than asked for', async () => {
  const failing = { ...project, cases: [{ ...goes, script: `${goes.script}; expect in(mode.Off)` }] };
  const bad = await make({ project: failing });
  expect(bad.record).toMatchObject({ verdict: 'not ready', why: ['1 of 1 outcome did not pass'] });
  expect(outcomes(bad.record)).toMatch(/evidence done$/);
  expect((await make({ least: 0.99 })).record).toMatchObject({
    verdict: 'not ready',
    why: [expect.stringMatching(/^coverage is .*, 99 % is asked for$/)],
  });
  const needs = { ...project, requirements: [{ ...newRequirement('r', 'R-1'), formula: 'always(part.light <= 0.5)' }] };
  const product = {
    ...needs,
    root: 'box',
    types: [project.types[0], { ...newType('box', 'Box'), parts: [newPart('p', 'part', 't')] }],
    cases: [{ ...goes, alone: '', script: "send part.go; wait 0.1 's'" }],
  };
  expect((await make({ project: product }, casesOf(product))).record).toMatchObject({
    verdict: 'not ready',
    why: ['1 of 1 outcome did not pass', '1 requirement not met'],
  });
  const elsewhere = { ...project, cases: [{ ...goes, stages: ['host'] }] };
  expect((await make({ project: elsewhere })).record).toMatchObject({
    verdict: 'not ready',
    why: ['no test case was run'],
  });
});

test('a phase that fails stops what comes after it, with its words', async () => {
  const wrong = { ...project, cases: [{ ...goes, script: 'expect nothing' }] };
  const bad = await make({ project: { ...wrong, types: [{ ...project.types[0], physics: 'equation\n  x = 1;' }] } });
  expect(bad.record.verdict).toBe('failed');
  expect(outcomes(bad.record)).toBe(
    'check failed, generate left out, compile left out, test left out, coverage left out, evidence left out',
  );
  const none = await make({}, { build: () => Promise.resolve('the compiler is not here') });
  expect(outcomes(none.record)).toBe(
    'check done, generate done, compile failed, test left out, coverage left out, evidence left out',
  );
  expect(none.record.why).toEqual([`compile: T for ${boards[0].name}: the compiler is not here`]);
  const read = await readEvidence(archiveOfRecord(none));
  expect(read.problem).toMatch(/There is no evidence in this build record: failed, compile: T for/);
  const large = await make(
    {},
    { build: () => Promise.resolve({ elf, sizes: { text: 1, data: 1, bss: 1 }, wrong: ['too large'], said: '' }) },
  );
  expect(large.record.why).toEqual([`compile: T for ${boards[0].name}: too large`]);
  const noBoard = await make({ boards: [] });
  expect(outcomes(noBoard.record)).toMatch(/compile left out, test done/);
  expect(noBoard.record.verdict).toBe('ready for test');
});
