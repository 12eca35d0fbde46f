import { strToU8, zipSync } from 'fflate';
import { tubeCapper } from '@/samples/tube-capper';
import { readScxml } from './formats/scxml-read';
import { importModelica } from './formats/modelica-import';
import { readProjectFile, readProjectText } from './formats/project-file';
import { readRecordingCsv } from './formats/recording-csv';
import { readCsvSheet } from './formats/sheet-csv';
import { readReqifSheets } from './formats/sheet-reqif';
import { readXlsxSheets } from './formats/sheet-xlsx';
import { readStimulusCsv } from './formats/stimulus-csv';
import { projectVersion } from './project/document';
import { newQuantity, newSetup, newType, emptyProject, type Project } from './project/project';
import { createEngine } from './run/engine';
import { checkProject } from './run/check';

/**
 * Texts and files that are made to be read for ever, or to fill the memory. Each ends with a word at its place. What went on for
 * minutes or ended in an exhausted stack once is here with the size it had then: a test that takes long has found it again.
 */

const project = (physics: string): Project => ({
  ...emptyProject('p', 'P'),
  root: 't',
  types: [{ ...newType('t', 'T'), quantities: [{ ...newQuantity('q', 'x'), role: 'variable' }], physics }],
  setups: [newSetup('s', 'S')],
});
const many = (k: number): string[] => Array.from({ length: k }, (_, i) => `a${i}`);
const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);

describe('models', () => {
  const function_ = (body: string): string =>
    `function f input Real u; output Real y; algorithm ${body} end f; equation x = f(time);`;
  const cases: Readonly<Record<string, readonly [physics: string, told: RegExp | undefined]>> = {
    'a long sum that can be computed with': [`x = ${Array(700).fill('time').join(' + ')};`, undefined],
    'a sum without end': [`x = ${Array(100_000).fill('time').join(' + ')};`, /more than 800 things/],
    'a long chain of powers and products': [`x = time${'*time'.repeat(5000)};`, /more than 800 things/],
    'cases without end': [`x = if time > 1 then 1 ${'elseif time > 2 then 3 '.repeat(3000)} else 2;`, /more than 800/],
    'equations by cases without end': [
      `if time > 1 then x = 1; ${'elseif time > 2 then x = 3; '.repeat(3000)} else x = 2; end if;`,
      /more than 800/,
    ],
    brackets: [`x = ${'('.repeat(100_000)}time${')'.repeat(100_000)};`, /nested more than 400/],
    calls: [`x = ${'sin('.repeat(100_000)}1${')'.repeat(100_000)};`, /nested more than 400/],
    'a list in a list': [`x = sum(${'{'.repeat(9000)}1${'}'.repeat(9000)});`, /nested more than 400/],
    signs: [`x = ${'-'.repeat(1_000_000)}time;`, /nested more than 400/],
    nots: [`x = if ${'not '.repeat(100_000)} true then 1 else 2;`, /nested more than 400/],
    'choices in choices': [
      `x = ${'if time > 1 then '.repeat(3000)}1${' else 2'.repeat(3000)};`,
      /nested more than 400/,
    ],
    'equations in choices': [`${'if time > 1 then '.repeat(3000)} x = 1; ${'end if; '.repeat(3000)}`, /nested more/],
    'classes in classes': [`${'model A '.repeat(2000)}${'end A; '.repeat(2000)}`, /nested more than 400/],
    'changes in changes': [`T2 a${'(b'.repeat(9000)}=1${')'.repeat(9000)};`, /nested more than 400/],
    'a name without end': [`x = a${'.a'.repeat(500_000)};`, /at most 100 parts/],
    'loops in loops': [`${'for i in 1:2 loop '.repeat(30)} x = 1; ${'end for; '.repeat(30)}`, /more than 1 million/],
    'large loops': ['for i in 1:1000000 loop for j in 1:1000000 loop x = 1; end for; end for;', /more than 1 million/],
    'a large list': ['x = sum({i*j for i in 1:100000, j in 1:100000});', /more than 1 million/],
    'a large array of zeros': ['Real y[3]; equation y = zeros(30000, 30000); x = 1;', /900000000 elements/],
    'a large array of values': ['x = sum(fill(1, 100000, 100000));', /10000000000 elements/],
    'a large identity': ['x = sum(identity(100000));', /10000000000 elements/],
    'a fine grid': ['x = sum(linspace(0, 1, 1000000000));', /1000000000 elements/],
    'a large range': ['x = sum(1:1000000000);', /1000000000 elements/],
    'a large quantity': ['Real y[3000000]; equation x = 1;', /cannot have 3000000 elements/],
    'a large matrix': ['Real y[100000, 100000]; equation x = 1;', /more than 1 million/],
    'a high power': ['x = sum([1, 2; 3, 4]^1000000000);', /1000 times at most/],
    'a loop without end': ['algorithm x := 1; while true loop x := x + 1; end while;', /does not end/],
    'a long loop of a function': [function_('y := 0; for i in 1:1000000000 loop y := y + u; end for;'), /1000000000/],
    'a function that calls itself': [function_('y := f(u) + f(u - 1) + f(u - 2);'), /calls itself without end/],
    'many equations of one thing': ['x = 1; '.repeat(3000), /determined by another one of the same text/],
    'much that nothing determines': [
      `${many(20_000)
        .map((a) => `Real ${a};`)
        .join(' ')} equation x = 1;`,
      /19994 more/,
    ],
    'blanks without end': [`x = 1${' '.repeat(2_000_000)};`, undefined],
    'comments that are never closed': [`${'/*'.repeat(100_000)} x = 1;`, /./],
  };
  test.each(Object.keys(cases))('%s', (name) => {
    const [physics, told] = cases[name];
    const p = project(physics);
    const errors = checkProject(p).problems.filter((x) => x.severity === 'error');
    if (!told) return expect(errors).toEqual([]);
    expect(errors.map((x) => x.message).join('\n')).toMatch(told);
    expect(errors[0].place).toMatch(/^type\/t/);
    const engine = createEngine();
    engine.open(p, 0);
    expect(engine.start('s', { pace: 0 }, () => undefined).model).toBeUndefined();
  });
});

test('many wrong things are told up to a number, with how many more there are', () => {
  const types = [
    {
      ...newType('t', 'T'),
      physics: many(2000)
        .map((a) => `x = ${a};`)
        .join('\n'),
    },
  ];
  const { problems } = checkProject({ ...project(''), types });
  expect(problems.length).toBeLessThan(700);
  expect(problems.some((p) => /^and \d+ more like this/.test(p.message))).toBe(true);
});

describe('files', () => {
  let n = 0;
  const id = (): string => `n${n++}`;
  const zip = (name: string, size: number): Uint8Array => {
    const made = zipSync({
      '[Content_Types].xml': strToU8('<Types/>'),
      [name]: [new Uint8Array(size).fill(32), { level: 9 }],
    });
    // it says that it is small
    const view = new DataView(made.buffer, made.byteOffset);
    for (let k = 0; k + 4 <= made.length; k++) if (view.getUint32(k, true) === size) view.setUint32(k, 1000, true);
    return made;
  };
  const scxml = (inside: string): unknown =>
    readScxml(
      `<scxml xmlns="http://www.w3.org/2005/07/scxml" version="1.0" datamodel="ecmascript">${inside}</scxml>`,
      id as never,
    );
  const json = (more: object): unknown =>
    readProjectText(JSON.stringify({ format: 'zelvar-project', version: projectVersion, ...more }));
  const cases: Readonly<Record<string, readonly [read: () => unknown, told: RegExp]>> = {
    'a stimulus column of blanks': [
      () => readStimulusCsv(bytes(`time,x${' '.repeat(100_000)}y\n0,1\n1,2`)),
      /"points":2/,
    ],
    'a stimulus column of brackets': [
      () => readStimulusCsv(bytes(`time,x${'['.repeat(100_000)}y\n0,1\n`)),
      /"points":1/,
    ],
    'a recording of texts that all differ': [
      () =>
        readRecordingCsv(
          `time,x\n${many(100_000)
            .map((a, k) => `${k},${a}`)
            .join('\n')}`,
        ),
      /"rows":100000/,
    ],
    'a table of commas': [() => readCsvSheet(bytes(','.repeat(1_000_000)), 'x.csv'), /rows/],
    'a table of quotes': [() => readCsvSheet(bytes(`"${'a"'.repeat(500_000)}`), 'x.csv'), /quote/i],
    'a project that unpacks to more than it says': [
      () => readProjectFile(zip('project.json', 60_000_000)),
      /"problems":\[\{/,
    ],
    'a workbook that unpacks to more than it says': [
      () => readXlsxSheets(zip('xl/worksheets/sheet1.xml', 60_000_000)),
      /cannot be read|damaged/,
    ],
    'elements in elements': [
      () => readReqifSheets(bytes(`<REQ-IF>${'<a>'.repeat(100_000)}${'</a>'.repeat(100_000)}</REQ-IF>`)),
      /cannot be read: maximum nested/,
    ],
    'comments that are never closed': [
      () => readReqifSheets(bytes(`<REQ-IF>${'<!--'.repeat(100_000)}`)),
      /well-formed/,
    ],
    'states in states': [() => scxml('<state id="s">'.repeat(20_000) + '</state>'.repeat(20_000)), /maximum nested/],
    'a condition in brackets': [
      () => scxml(`<state id="a"><transition cond="${'('.repeat(50_000)}" target="a"/></state>`),
      /\(\(\(\(/,
    ],
    'a condition without end': [
      () => scxml(`<state id="a"><transition cond="${Array(20_000).fill('a').join(' + ')}" target="a"/></state>`),
      /a \+ a \+ a/,
    ],
    'packages in packages': [
      () => importModelica('package A '.repeat(3000) + 'end A;'.repeat(3000), 'x.mo', id),
      /nested more than 400/,
    ],
    'a hundred thousand wrong entries': [() => json({ types: Array(100_000).fill({}) }), /At most 20000|types\[0\]/],
    'wrong entries': [() => json({ types: Array(15_000).fill({}) }), /types\[0\]\.id/],
    'a hundred thousand unknown names': [
      () => json({ ...Object.fromEntries(many(100_000).map((a) => [a, 1])), cases: [], excuses: [] }),
      /There is nothing called a\d+ here/,
    ],
    'lists in lists': [
      () => readProjectText(`{"format":"zelvar-project","version":7,"types":${'['.repeat(9e5)}${']'.repeat(9e5)}}`),
      /types/,
    ],
  };
  test.each(Object.keys(cases))('%s', async (name) => {
    const [read, told] = cases[name];
    expect(JSON.stringify(await read(), (_, x: unknown) => (ArrayBuffer.isView(x) ? [] : x))).toMatch(told);
  });
});

describe('setups', () => {
  const errorsOf = (changes: Partial<Project['setups'][number]>): string[] =>
    checkProject({
      ...project('der(x) = -x;'),
      setups: [{ ...newSetup('s', 'S'), ...changes }],
    }).problems.flatMap((p) => (p.severity === 'error' ? [`${p.place}: ${p.message}`] : []));
  test('more rows than fit are refused, with an interval that would do', () => {
    expect(errorsOf({ stop: 1e300 })[0]).toMatch(/^setup\/s\/recordEvery: .* record every 1e\+296 s/);
    expect(errorsOf({ stop: 2, recordEvery: 1e-300 })[0]).toMatch(/record every 0.0002 s/);
    expect(errorsOf({ stop: 3600, recordEvery: 1e-6 })[0]).toMatch(/3,600,000,000|more than a thousand million/);
    expect(errorsOf({ stop: 3600, recordEvery: 1e-3 })).toEqual([]);
    const wide = { ...tubeCapper, setups: [{ ...tubeCapper.setups[0], stop: 3600, recordEvery: 1e-3 }] };
    expect(checkProject(wide).problems.map((p) => p.code)).toContain('too-many-rows');
  });
});
