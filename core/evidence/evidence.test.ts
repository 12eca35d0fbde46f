import fc from 'fast-check';
import { unzipSync, zipSync } from 'fflate';
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { tubeCapper } from '../../samples/tube-capper';
import { readImage } from '../boards/board-image';
import { readElf, type ElfFile } from '../boards/elf';
import { applyEdit } from '../editing/edits';
import { newCase, newPart, newRequirement, newType, type Project, type TestCase } from '../project/project';
import { runCase } from '../proof/run-case';
import { checkProject } from '../run/check';
import type { StageText } from '../stepcode/stage';
import { chart, projectOf, quantity, state, transition } from '../testing/run-project';
import { linkPairsEdit } from '../trace/links';
import { fitsProject, readEvidence, type Checked } from './check';
import { sealed } from './conclude';
import { canonical, digestOf } from './digest';
import { figure, type Evidence, type Facts } from './evidence';
import { digestOfImage, digestOfProject, gather, type EvidenceInput, type KnownOfCase } from './gather';
import { momentText } from './tables';
import { writeHtml } from './write-html';
import { writeXlsx } from './write-xlsx';

/** A lamp in a box: told to shine it shines as bright as its level. */
const lamp = projectOf({
  name: 'Lamp',
  software: '0.01',
  quantities: [quantity('level', '2', { role: 'parameter' }), quantity('light', '0', { role: 'output' })],
  charts: [
    {
      ...chart(
        'mode',
        [state('Off', { entry: 'light := 0' }), state('On', { entry: 'light := level' })],
        [transition('Off', 'On', 'message switch', { guard: 'level > 1 and level < 9' })],
      ),
      id: 'c-mode',
    },
  ],
  ports: [{ id: 'o', name: 'in', accepts: ['switch'], sends: [], note: '' }],
});
const type = lamp.types[0];
const lit: TestCase = {
  ...newCase('k-lit', 'Lit'),
  setup: 's',
  stop: 1,
  script:
    "set lamp.level = 5; wait 0.2 's'; send lamp.switch; wait until in(lamp.mode.On) within 0.1 's'; wait 0.1 's'",
};
const withNeeds: Project = {
  ...lamp,
  name: 'Box',
  root: 'box',
  types: [type, { ...newType('box', 'Box'), parts: [newPart('p-lamp', 'lamp', type.id)] }],
  requirements: [
    { ...newRequirement('r-1', 'L-1', 'The light shall be low.'), formula: 'always(lamp.light <= 6)' },
    { ...newRequirement('r-2', 'L-2', 'It shall look good.') },
    { ...newRequirement('r-3', 'L-3', 'It shall be lower.'), formula: 'always(lamp.light <= 4)' },
  ],
  cases: [lit],
};
let ids = 0;
const project = applyEdit(
  withNeeds,
  linkPairsEdit(
    withNeeds,
    [
      ['r-1', 'case/k-lit'],
      ['r-1', `type/${type.id}/chart/c-mode`],
    ],
    () => `t${++ids}`,
  )!,
).project;

const at = '2026-12-02T10:00:00.000Z';
const stages: readonly (StageText | undefined)[] = [undefined, 'code'];
const ranIn = (p: Project, of: TestCase, stage: StageText | undefined): KnownOfCase => ({
  of,
  stage,
  outcome: runCase(p, of, { stage, isCounted: true }),
  isStale: false,
  at,
});
const inputOf = (p: Project, more: Partial<EvidenceInput> = {}): EvidenceInput => {
  const { problems, constants } = checkProject(p);
  return {
    project: p,
    made: '2026-12-02T11:00:00.000Z',
    stages,
    known: p.cases.flatMap((c) => stages.map((s) => ranIn(p, c, s))),
    problems,
    constants,
    ...more,
  };
};
const evidence = sealed(gather(inputOf(project)));
const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
/** Reads what has to be evidence. */
async function read(file: Uint8Array | string) {
  const found = await readEvidence(typeof file === 'string' ? bytes(file) : file);
  if (found.problem !== undefined) throw new Error(found.problem);
  return found;
}
const wrong = (checks: readonly Checked[]): string[] => checks.flatMap((c) => (c.kind === 'wrong' ? [c.text] : []));
const says = (e: Evidence, id: string) => e.conclusion.requirements.find((r) => r.id === id)!;

test('digests are those of the standard, whatever order fields are given in', () => {
  // FIPS 180-4, example of one block
  expect(digestOf('abc')).toBe('ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad');
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 300 }), (data) => {
      expect(digestOf(data)).toBe(createHash('sha256').update(data).digest('hex'));
    }),
  );
  fc.assert(
    fc.property(fc.dictionary(fc.string(), fc.jsonValue()), (of) => {
      expect(canonical(Object.fromEntries(Object.entries(of).reverse()))).toBe(canonical(of));
      expect(JSON.parse(canonical(of))).toEqual(JSON.parse(JSON.stringify(of)));
    }),
  );
  expect(digestOfProject({ ...project, id: 'another' })).toBe(digestOfProject(project));
  expect(digestOfProject({ ...project, note: 'another' })).not.toBe(digestOfProject(project));
});

test('a requirement is met where something decided it, nothing failed it and its cases passed; the least margin is told with its place', () => {
  expect(evidence.cases[0].tried.map((t) => [t.stage, t.verdict, t.isBeside])).toEqual([
    // by the requirement that fails, which it is not linked to
    ['as set up', 'failed', true],
    ['code', 'failed', true],
  ]);
  expect(says(evidence, 'r-1')).toMatchObject({
    conformity: 'met',
    margin: 1,
    case: 'k-lit',
    holds: 2,
    fails: 0,
    cases: ['k-lit'],
  });
  expect(says(evidence, 'r-2')).toMatchObject({ conformity: 'open', why: expect.stringMatching(/no formula/) });
  expect(says(evidence, 'r-3')).toMatchObject({ conformity: 'not met', margin: -1, fails: 2 });
  expect(evidence.conclusion).toMatchObject({
    met: 1,
    notMet: 1,
    open: 1,
    exercised: 2,
    passed: 0,
    failed: 2,
    without: 0,
  });
  const kinds = evidence.conclusion.points.map((p) => p.kind);
  expect(kinds).toEqual(
    expect.arrayContaining(['requirement not met', 'requirement open', 'no case', 'no baseline', 'not signed']),
  );
  // what is come through, and what is not
  expect(evidence.conclusion.covered).toBeGreaterThan(0);
  expect(evidence.conclusion.covered).toBeLessThan(evidence.conclusion.wanted);
});

test('what is out of date, was never run or could not run decides nothing', () => {
  const known = inputOf(project).known.map((k) => (k.stage === 'code' ? { ...k, isStale: true } : k));
  const old = sealed(gather(inputOf(project, { known })));
  expect(old.cases[0].tried.map((t) => t.verdict)).toEqual(['failed', 'out of date']);
  expect(says(old, 'r-1')).toMatchObject({ conformity: 'open', why: 'its case Lit is out of date (code)' });
  // what of it fails is known from the stage that is not out of date
  expect(says(old, 'r-3')).toMatchObject({ conformity: 'not met', fails: 1 });
  expect(old.conclusion).toMatchObject({ passed: 0, failed: 1, without: 1 });
  // what it came through counts as little
  const allOld = inputOf(project).known.map((k) => ({ ...k, isStale: true }));
  expect(sealed(gather(inputOf(project, { known: allOld }))).conclusion).toMatchObject({ covered: 0, without: 2 });
  const never = sealed(gather(inputOf(project, { known: [] })));
  expect(never.cases[0].tried.map((t) => t.verdict)).toEqual(['never run', 'never run']);
  expect(never.conclusion).toMatchObject({ met: 0, passed: 0, without: 2, covered: 0 });
  const none = { ...project, cases: project.cases.map((c) => ({ ...c, script: 'set nothing = 1' })) };
  const not = sealed(gather(inputOf(none)));
  expect(not.cases[0].tried[0]).toMatchObject({ verdict: 'not run' });
  expect(says(not, 'r-1').conformity).toBe('open');
});

test('a case that is for none of the stages has not passed, and what holds by nothing is told', () => {
  const elsewhere = { ...project, cases: [{ ...lit, stages: ['host'] }] };
  const found = sealed(gather(inputOf(elsewhere, { known: [] })));
  const inCode = sealed(gather(inputOf(elsewhere, { known: [], stages: ['code'] })));
  expect(says(found, 'r-1').why).toBe('its case Lit was never run (as set up)');
  expect(inCode.cases[0].tried).toEqual([]);
  expect(says(inCode, 'r-1')).toMatchObject({ conformity: 'open', why: expect.stringMatching(/left out/) });
  expect(inCode.conclusion.points).toContainEqual({
    kind: 'case left out',
    text: 'Lit is for none of these stages',
    of: 'case/k-lit',
  });
  const tight = {
    ...project,
    requirements: project.requirements.map((r) => (r.id === 'r-1' ? { ...r, formula: 'always(lamp.light <= 5)' } : r)),
  };
  const just = sealed(gather(inputOf(tight)));
  expect(says(just, 'r-1')).toMatchObject({ conformity: 'met', margin: 0 });
  expect(just.conclusion.points.map((p) => p.kind)).toContain('no margin left');
});

test('it conforms only where something was required, and something has run', () => {
  const verdict = (p: Project, more: Partial<EvidenceInput> = {}) => {
    const { conclusion: c } = sealed(gather(inputOf(p, more)));
    return c.verdict;
  };
  const good = { ...project, requirements: project.requirements.filter((r) => r.id === 'r-1') };
  expect(verdict(good)).toBe('conforms');
  expect(verdict(project)).toBe('does not conform');
  expect(verdict(good, { known: [] })).toBe('not decided');
  expect(verdict({ ...good, requirements: [], traces: [] })).toBe('not decided');
  expect(verdict({ ...good, cases: [] }, { known: [] })).toBe('not decided');
});

test('a case that fails fails its requirements; one that was signed for another text is open', () => {
  const strict = {
    ...project,
    cases: project.cases.map((c) => ({ ...c, script: `${c.script}; expect lamp.light > 7` })),
  };
  const found = sealed(gather(inputOf(strict)));
  expect(says(found, 'r-1')).toMatchObject({ conformity: 'not met', why: 'its case Lit fails (as set up)' });
  const seen = (text: string, verdict: 'holds' | 'fails') =>
    sealed(
      gather(
        inputOf({
          ...project,
          requirements: project.requirements.map((r) =>
            r.id === 'r-2' ? { ...r, observation: { verdict, by: 'Ada', on: '2026-12-01', note: '', text } } : r,
          ),
        }),
      ),
    );
  expect(says(seen('It shall look good.', 'holds'), 'r-2').conformity).toBe('met');
  expect(says(seen('It shall look good.', 'fails'), 'r-2').conformity).toBe('not met');
  expect(says(seen('It shall look bad.', 'holds'), 'r-2').conformity).toBe('open');
  expect(seen('It shall look good.', 'holds').conclusion.signatures).toMatchObject([{ name: 'Ada' }]);
});

test('stages that do not agree are named, and how far their margins are apart', () => {
  const known = inputOf(project).known.map((k): KnownOfCase =>
    k.stage === 'code'
      ? {
          ...k,
          outcome: {
            ...k.outcome,
            findings: k.outcome.findings.map((f) =>
              f.key === 'L-1' ? { ...f, margin: 0.75 } : f.key === 'L-3' ? { ...f, verdict: 'holds', margin: 2 } : f,
            ),
          },
        }
      : k,
  );
  const found = sealed(gather(inputOf(project, { known })));
  expect(found.conclusion.deviations).toMatchObject([
    { requirement: 'r-3', isVerdict: true, spread: 3 },
    { requirement: 'r-1', isVerdict: false, spread: 0.25 },
  ]);
  // the least of all is told, with where it was
  expect(says(found, 'r-1')).toMatchObject({ margin: 0.75, case: 'k-lit', stage: 'code' });
  expect(evidence.conclusion.deviations).toEqual([]);
});

test('numbers that JSON has no word for are said in words', () => {
  expect([NaN, Infinity, -Infinity, undefined, 2].map(figure)).toEqual([
    'not a number',
    'infinite',
    '-infinite',
    null,
    2,
  ]);
  const endless = gather(inputOf(project));
  const facts: Facts = {
    ...endless,
    cases: endless.cases.map((c) => ({
      ...c,
      tried: c.tried.map((t) => ({ ...t, judged: t.judged.map((j) => ({ ...j, margin: 'not a number' as const })) })),
    })),
  };
  expect(says(sealed(facts), 'r-1').margin).toBe('not a number');
  expect(writeHtml(sealed(facts))).toContain('not a number');
});

test('each form is read as it was written, and says that nothing was changed', async () => {
  for (const file of [
    bytes(JSON.stringify(evidence, null, 1)),
    bytes(writeHtml(evidence)),
    bytes(writeHtml(evidence).replaceAll('\n', '\r\n')),
    await writeXlsx(evidence),
  ]) {
    const found = await read(file);
    expect(found.evidence).toEqual(evidence);
    expect(wrong(found.checks)).toEqual([]);
  }
  expect(writeHtml(evidence)).toBe(writeHtml(sealed(gather(inputOf(project)))));
});

test('every figure that leads somewhere leads to something that is there', () => {
  const html = writeHtml(evidence);
  const there = new Set([...html.matchAll(/ id="([^"]+)"/g)].map((m) => m[1]));
  const wanted = [...html.matchAll(/href="#([^"]+)"/g)].map((m) => m[1]);
  expect(wanted.length).toBeGreaterThan(20);
  expect(wanted.filter((w) => !there.has(w))).toEqual([]);
  // needs nothing else, and runs nothing
  expect(html).not.toMatch(/(src|href)="(?!#)/);
  expect(html.match(/<script/g)).toHaveLength(1);
});

test('words of the project stay words, whatever is in them', async () => {
  const note = '</script><script>alert(1)</script> & "<b>" ]]>';
  const odd = sealed(gather(inputOf({ ...project, note, name: `<i>${note}` })));
  const html = writeHtml(odd);
  expect(html.match(/<script/g)).toHaveLength(1);
  expect(html).not.toMatch(/<(b|i)>/);
  const found = await read(html);
  expect(found.evidence.project.note).toBe(note);
  expect(wrong(found.checks)).toEqual([]);
  expect(wrong((await read(await writeXlsx(odd))).checks)).toEqual([]);
});

test('what constants decide counts without a case', () => {
  const fixed: Project = {
    ...project,
    requirements: [{ ...newRequirement('r-4', 'L-4', 'The level shall be low.'), formula: 'always(lamp.level <= 3)' }],
    cases: [],
  };
  const found = sealed(gather(inputOf(fixed, { known: [] })));
  expect(says(found, 'r-4')).toMatchObject({
    conformity: 'met',
    margin: 1,
    stage: 'from constants',
    case: '',
    holds: 1,
    isExercised: false,
  });
  expect(found.conclusion).toMatchObject({ met: 1, exercised: 0 });
  expect(found.conclusion.points.map((p) => p.kind)).toContain('not exercised');
});

test('of an image counts what a chip is loaded with, and where to', () => {
  const text = readFileSync(join(__dirname, '../../public/images/CapperControl-larch8.json'), 'utf8');
  const { elf } = readImage(JSON.parse(text))!;
  const segments = (readElf(elf) as ElfFile).segments;
  const own = digestOfImage(elf);
  expect(own.bytes).toBe(segments.reduce((n, s) => n + s.bytes.length, 0));
  // the last bytes are names for people
  const renamed = elf.slice();
  const last = renamed.lastIndexOf('_'.charCodeAt(0));
  renamed[last] = '-'.charCodeAt(0);
  expect(digestOfImage(renamed)).toEqual(own);
  const at = Buffer.from(elf).indexOf(Buffer.from(segments[0].bytes)) + 20;
  expect(at).toBeGreaterThan(20);
  const other = elf.slice();
  other[at] ^= 1;
  expect(digestOfImage(other).sha256).not.toBe(own.sha256);
});

test('what was changed in a file is found, whatever it was', async () => {
  const html = writeHtml(evidence);
  const shown = html.replace('✗ not met', '✓ met');
  expect(shown).not.toBe(html);
  expect(wrong((await read(shown)).checks)).toEqual(['What it shows is not what its data says']);
  const counted = html.replace('"notMet":1', '"notMet":0');
  expect(wrong((await read(counted)).checks)).toEqual([
    'The data was changed after it was written',
    'What it concludes does not follow from its facts',
    'What it shows is not what its data says',
  ]);
  // with a digest that fits, what follows does not
  const { sha256: _, ...whole } = JSON.parse(JSON.stringify(evidence)) as Evidence;
  const nicer = { ...whole, conclusion: { ...whole.conclusion, notMet: 0, met: 2 } };
  const forged = { ...nicer, sha256: digestOf(JSON.stringify(nicer)) };
  const { checks } = await read(JSON.stringify(forged));
  expect(wrong(checks)).toEqual(['What it concludes does not follow from its facts']);
  expect(checks[1].details).toEqual(['met: it says 2, 1 follows', 'notMet: it says 0, 1 follows']);
  // a cell of a workbook
  const book = unzipSync(await writeXlsx(evidence));
  const strings = new TextDecoder().decode(book['xl/sharedStrings.xml']);
  const cell = strings.replace('✗ not met', '✓ met');
  expect(cell).not.toBe(strings);
  const altered = zipSync({ ...book, 'xl/sharedStrings.xml': bytes(cell) });
  const found = (await read(altered)).checks;
  expect(wrong(found)).toEqual(['What it shows is not what its data says']);
  expect(found.at(-1)!.details).toEqual(['Requirements, row 4, column 3: ✓ met']);
});

test('any one letter of the data that becomes another is found, or the file is refused', async () => {
  const text = JSON.stringify(evidence);
  await fc.assert(
    fc.asyncProperty(fc.nat(text.length - 1), fc.constantFrom('0', '7', 'x', '"', ','), async (k, letter) => {
      fc.pre(text[k] !== letter);
      const found = await readEvidence(bytes(text.slice(0, k) + letter + text.slice(k + 1)));
      expect(found.problem !== undefined || wrong(found.checks).length > 0).toBe(true);
    }),
    { numRuns: 60 },
  );
});

test('what is no evidence is refused with a reason', async () => {
  const problem = async (file: string | Uint8Array) =>
    (await readEvidence(typeof file === 'string' ? bytes(file) : file)).problem;
  const text = JSON.stringify(evidence);
  const html = writeHtml(evidence);
  expect(await problem('')).toBe('The file is empty');
  expect(await problem('hello')).toMatch(/neither JSON, nor a page, nor a workbook/);
  expect(await problem('{}')).toBe('This is no evidence of Zelvar');
  expect(await problem('null')).toMatch(/neither JSON/);
  expect(await problem(JSON.stringify(tubeCapper))).toBe('This is no evidence of Zelvar');
  expect(await problem(text.slice(0, text.length / 2))).toMatch(/cut short/);
  expect(await problem(html.slice(0, html.length / 2))).toMatch(/cut short/);
  expect(await problem('<!doctype html><html><p>Hello</p></html>')).toMatch(/no evidence/);
  expect(await problem(text.replace('"version":1', '"version":2'))).toMatch(/newer Zelvar/);
  expect(await problem(text.replace('"version":1', '"version":"1"'))).toMatch(/which version/);
  expect(await problem(text.replace('"tried":[', '"tired":['))).toMatch(/damaged: cases\[0\]\.tried: It is missing/);
  expect(await problem(text.replace('"margin":1,', '"margin":[1],'))).toMatch(/damaged: .*margin: This is no number/);
  const book = await writeXlsx(evidence);
  expect(await problem(book.slice(0, book.length / 2))).toMatch(/damaged or was cut short/);
});

test('it is said whether evidence is of a project as it is, and what is not', () => {
  expect(fitsProject(evidence, project).map((c) => c.kind)).toEqual(['right', 'right', 'right']);
  // read out of its file again it is the same
  expect(wrong(fitsProject(evidence, JSON.parse(JSON.stringify(project)) as Project))).toEqual([]);
  const other: Project = {
    ...project,
    types: project.types.map((t) => ({
      ...t,
      charts: t.charts.map((c) => ({
        ...c,
        transitions: c.transitions.map((x) => ({ ...x, guard: 'level > 2 and level < 9' })),
      })),
    })),
  };
  const found = fitsProject(evidence, other);
  expect(wrong(found)).toEqual([
    'It is of another state of this project: 1 piece differs',
    'Other code is generated now',
    'Outcomes are of something else than is there now',
  ]);
  expect(found[0].details).toEqual([`part type ${type.name} is another`]);
  expect(found[1].details.some((d) => d.endsWith('.c is another'))).toBe(true);
  expect(found[2].details).toEqual(['Lit: what it rests on is another']);
  const noted = fitsProject(evidence, { ...project, note: 'another' });
  expect(wrong(noted)).toEqual(['It is of another state of this project: 1 piece differs']);
  expect(wrong(fitsProject(evidence, tubeCapper))[0]).toBe('It is of another project: Box');
});

test('moments are written the same everywhere', () => {
  expect(momentText('2026-12-02T11:00:05.250Z')).toBe('2026-12-02 11:00:05 UTC');
});
