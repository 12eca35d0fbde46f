import { newSignalLine, newSignalSheet, type PartType, type Project, type SignalSheet } from '../project/project';
import { projectOf, quantity, runProject } from '../testing/run-project';
import { exportModelica } from './modelica-export';
import { importModelica } from './modelica-import';

/** Part types with signal sheets as classes, and back. */

const sheet = (name: string, lines: readonly string[], more: Partial<SignalSheet> = {}): SignalSheet => ({
  ...newSignalSheet(name, name),
  ...more,
  lines: lines.map((text, k) => ({
    ...newSignalLine(`${name}${k}`, text),
    place: k % 2 === 0 ? { x: 10 * k, y: -5 } : null,
  })),
});
const quantities = [quantity('k', '2', { role: 'parameter', unit: '' }), quantity('y', '', { role: 'output' })];
const project = (signals: readonly SignalSheet[], more: Partial<PartType> = {}): Project =>
  projectOf({ quantities, signals, ...more }, { stop: 1, recordEvery: 0.01 });
let n = 0;
const makeId = (): string => `i${++n}`;
const back = (text: string): { project: Project; problems: readonly string[] } => {
  const { types, problems } = importModelica(text, 'f.mo', makeId);
  const base = project([]);
  return {
    project: { ...base, types, root: types[0].id, setups: [{ ...base.setups[0], root: types[0].id }] },
    problems: problems.map((p) => p.message),
  };
};
const bare = (s: SignalSheet): unknown => ({ ...s, id: '', lines: s.lines.map((l) => ({ ...l, id: '' })) });
const values = (p: Project): number[] => {
  const done = runProject(p);
  return [0.1, 0.33, 0.505, 0.97].map((t) => done.at('y', t));
};

const sheets: readonly (readonly [string, readonly SignalSheet[], Partial<PartType>])[] = [
  ['continuous', [sheet('A', ['w = sine(f = 2)', '// "quoted" \\ note', 'e = w - y', 'y = lag(k*e, T = 0.1)'])], {}],
  [
    'sampled',
    [
      sheet('A', ['w = sine(f = 2)', 'i = integrate(w - y, high = 1)', 'y = k*i'], {
        every: '0.01',
        offset: '0.005',
        method: 'tustin',
      }),
    ],
    {},
  ],
  [
    'two rates, with physics',
    [sheet('A', ['u = k*v'], { every: '0.02' }), sheet('B', ['y = lag(u, T = 0.05)'])],
    { physics: 'Real v(start = 1, fixed = true);\nequation\n  der(v) = -v;\n' },
  ],
  ['no lines', [sheet('A', [])], { physics: 'y = k*time;\n' }],
];
test.each(sheets)('%s: the equations for everybody, the sheet for those who know it', (_, signals, more) => {
  const p = project(signals, more);
  const { text } = exportModelica(p);
  const again = back(text);
  expect(again.problems).toEqual([]);
  expect(again.project.types[0].signals.map(bare)).toEqual(signals.map(bare));
  expect(again.project.types[0].physics).not.toContain('signal');
  expect(values(again.project)).toEqual(values(p).map((v) => expect.closeTo(v, 9)));
  // the same once more
  expect(exportModelica(again.project).text.replace(/[A-Za-z]*looseUnits = true[,)]*/g, '')).toContain(
    text.slice(text.indexOf('// signal sheets'), text.indexOf('annotation')).trim(),
  );
});

test('whose equations were changed elsewhere keeps them, without the sheet, and is told so', () => {
  const p = project([sheet('A', ['e = time', 'y = 3*e'])]);
  const { text } = exportModelica(p);
  const changed = back(text.replace('y = 3 * e', 'y = 4 * e'));
  expect(changed.problems).toEqual([expect.stringContaining('were changed elsewhere')]);
  expect(changed.project.types[0].signals).toEqual([]);
  expect(values(changed.project)[3]).toBeCloseTo(4 * 0.97, 6);
  // comments may be lost on the way
  const plain = back(text.replace(/\/\/[^\n]*/g, ''));
  expect(plain.project.types[0].signals).toEqual([]);
  expect(values(plain.project)[3]).toBeCloseTo(3 * 0.97, 6);
});

test('numbers with units in lines are told, as those of physics texts are', () => {
  expect(exportModelica(project([sheet('A', ["y = lag(1, T = 0.1 's')"])])).remarks.join()).toContain(
    'numbers with units',
  );
});
