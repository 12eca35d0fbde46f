import { signalBlocks } from './catalogue';
import { createNames } from '../flatten/names';
import { projectLibrary } from '../flatten/from-project';
import { applyEdit } from '../editing/edits';
import {
  newSignalLine,
  newSignalSheet,
  newSetup,
  newType,
  newPart,
  type PartType,
  type Project,
  type SignalSheet,
} from '../project/project';
import { prepareRun } from '../run';
import { checkProject } from '../run/check';
import { projectOf, quantity, runProject } from '../testing/run-project';

/** Signal sheets in their part types: what lines name, what goes wrong with its place, and what follows from edits. */

const sheet = (lines: readonly string[], more: Partial<SignalSheet> = {}): SignalSheet => ({
  ...newSignalSheet('s', 'Sheet'),
  ...more,
  lines: lines.map((text, k) => newSignalLine(`l${k}`, text)),
});
const project = (lines: readonly string[], type: Partial<PartType> = {}, more: Partial<SignalSheet> = {}): Project =>
  projectOf({ ...type, signals: [sheet(lines, more)] });
/** Errors as `line: message`, by the number of the line. */
const told = (p: Project): string[] =>
  checkProject(p)
    .problems.filter((x) => x.severity === 'error')
    .map((x) => `${/line\/l(\d+)/.exec(x.place ?? '')?.[1] ?? x.place}: ${x.message}`);
const quantities = [
  quantity('wanted', '1', { role: 'parameter', unit: 'rad/s' }),
  quantity('speed', '0', { role: 'input', unit: 'rad/s' }),
  quantity('u', '0', { role: 'output', unit: 'V' }),
];

test.each<[string, string[], RegExp]>([
  ['a line that is none', ['limit(3, 0, 1)'], /^0: A line gives a name to a formula/],
  ['a comparison is no name', ['a == b'], /^0: A line gives a name to a formula/],
  ['a path in front', ['a.b = 3'], /^0: In front of "=" stands one name/],
  ['no formula', ['e ='], /^0: What is e\? A formula is missing/],
  ['one name twice', ['e = 1', 'f = 2', 'e = 3'], /^2: e has a line already/],
  ['an input', ['speed = 3'], /^0: speed is an input: a line cannot say what it is/],
  ['a parameter', ['wanted = 3'], /^0: wanted is a parameter/],
  ['a name that is a part', ['motor = 3'], /^0: motor is the name of something else here/],
  ['nothing feeds it', ['y = integrate()'], /^0: Nothing feeds u of integrate/],
  ['one too many', ['y = limit(1, 2, 3, 4)'], /^0: .*limit takes 3 arguments/],
  ['one too many for a block', ['y = lag(1, 2, 3, 4)'], /^0: lag takes u, T, start: this is one too many/],
  ['an argument it does not have', ['y = lag(1, tau = 3)'], /^0: lag has no tau; it takes u, T, start/],
  ['given twice', ['y = lag(1, u = 3)'], /^0: u is given twice/],
  ['a clock is missing', ['y = difference(time)'], /^0: difference needs a clock: give the sheet a period/],
  ['a name that is nothing', ['y = 2*nothing'], /^0: nothing is not a quantity or part of T/],
  ['a function that is none', ['y = intergate(3)'], /^0: There is no function intergate/],
  ['a parameter that moves', ['y = lag(1, T = 2*time)'], /^0: T of lag is a parameter: it cannot follow time/],
  ['a parameter that is a wire', ['a = 3', 'y = lag(1, T = a)'], /^1: T of lag is a parameter: it cannot follow a/],
  ['a number there is no value of', ['k = 4', 'y = choose(k, {1, 2, 3})'], /There is no value of this number/],
  [
    'a profile without speed',
    ['y = profile(to = 1, speed = 0)'],
    /speed and an acceleration above zero|Division by zero/,
  ],
  ['matrices that do not go together', ['y = stateSpace(1, A = [0, 1; 2, 3], B = {1}, C = {1, 0})'], /B|shape|size/],
  [
    'a transfer function that looks ahead',
    ['y = transfer(1, b = {1, 2, 3}, a = {1, 2})'],
    /numerator of a transfer function/,
  ],
])('%s', (_, lines, why) => {
  const type = { quantities: quantities.slice(0, 2), parts: [newPart('m', 'motor', 'other')] };
  const p = project(lines, type);
  const with2 = { ...p, types: [...p.types, newType('other', 'Other')] };
  const all = told(with2);
  if (all.length > 0) expect(all.join('\n')).toMatch(why);
  else expect(() => runProject(with2)).toThrow(why);
});

test('a unit that does not fit is told at its line', () => {
  expect(
    checkProject(project(['e = wanted - speed', 'u = wanted'], { quantities })).problems.map((p) => [
      p.place,
      p.message,
    ]),
  ).toEqual(expect.arrayContaining([['type/t/signals/s/line/l1/text', expect.stringMatching(/rad\/s/)]]));
});

test('every block has both forms, save those that only a clock has; a period of zero is told at its field', () => {
  const { continuous, sampled } = signalBlocks();
  expect([...continuous.keys()].filter((name) => !sampled.has(name))).toEqual([]);
  expect(() => runProject(project(['y = time'], {}, { every: "0 's'" }))).toThrow(/sample interval must be positive/);
  expect(told(project(['y = time'], {}, { every: '1 +' })).join()).toMatch(/^type\/t\/signals\/s\/every/);
});

test('wires are Boolean, whole or real as their formulas are', () => {
  const ref = projectLibrary(
    project(
      [
        'on = speed > 1',
        'both = on and not off',
        'off = hysteresis(speed, 0, 1)',
        'n = counter(on)',
        'm = n + 1',
        'half = m/2',
        'plain = 3',
        'loop = loop2',
        'loop2 = loop',
      ],
      { quantities },
    ),
  ).library.top.get('T')!;
  const types = new Map(ref.definition.elements.flatMap((e) => (e.kind === 'component' ? [[e.name, e.typeName]] : [])));
  expect(['on', 'both', 'off', 'n', 'm', 'half', 'plain', 'loop'].map((x) => types.get(x))).toEqual([
    'Boolean',
    'Boolean',
    'Boolean',
    'Integer',
    'Integer',
    'Real',
    'Real',
    'Real',
  ]);
});

test('a part type of the project is a block; each use has its own values', () => {
  const smooth: PartType = {
    ...newType('smooth', 'Smooth'),
    quantities: [
      quantity('x', '0', { role: 'input' }),
      quantity('T', '1', { role: 'parameter' }),
      quantity('y', '0', { role: 'output' }),
    ],
    signals: [sheet(['y = lag(x, T)'])],
  };
  const p = project(['a = Smooth(1)', 'b = Smooth(x = 1, T = 0.5) + 0*a']);
  const done = runProject({ ...p, types: [...p.types, smooth] });
  expect(done.at('a', 1)).toBeCloseTo(1 - Math.exp(-1), 4);
  expect(done.at('b', 1)).toBeCloseTo(1 - Math.exp(-2), 4);
  const two = { ...smooth, quantities: [...smooth.quantities, quantity('z', '0', { role: 'output' })] };
  expect(told({ ...p, types: [...p.types, two] }).join()).toMatch(
    /Smooth has the outputs y, z: give it a line of its own, x = Smooth\(\.\.\.\), and use x\.y/,
  );
});

test('names of lines are found in other texts, and follow when a quantity is renamed', () => {
  const p = project(['e = wanted - speed', 'u = limit(3*e, -12, 12)'], { quantities });
  const names = createNames(p);
  const meaning = names.member(names.classOf('t')!, 'e');
  expect(meaning).toMatchObject({ kind: 'declared', address: 'type/t/signals/s/line/l0' });
  const { project: after } = applyEdit(p, { kind: 'rename', list: 'type/t/quantity', id: 'speed', name: 'w' });
  expect(after.types[0].signals[0].lines.map((l) => l.text)).toEqual(['e = wanted - w', 'u = limit(3*e, -12, 12)']);
  const other = applyEdit(p, { kind: 'rename', list: 'type/t/quantity', id: 'u', name: 'volts' }).project;
  expect(other.types[0].signals[0].lines[1].text).toBe('volts = limit(3*e, -12, 12)');
  const wire = applyEdit(p, { kind: 'rename-declared', type: 't', name: 'e', to: 'gap' }).project;
  expect(wire.types[0].signals[0].lines.map((l) => l.text)).toEqual([
    'gap = wanted - speed',
    'u = limit(3*gap, -12, 12)',
  ]);
});

test('an edit of a line keeps the others as they were read', () => {
  const p = project(['a = 1', 'b = a + 1', 'y = b']);
  const { project: after } = applyEdit(p, {
    kind: 'update',
    list: 'type/t/signals/s/line',
    id: 'l0',
    changes: { text: 'a = 5' },
  });
  expect(runProject(after).last('y')).toBe(6);
  expect(runProject(p).last('y')).toBe(2);
});

describe('units go through blocks', () => {
  const motor = [
    quantity('wanted', '30', { role: 'parameter', unit: 'rad/s' }),
    quantity('speed', '0', { role: 'input', unit: 'rad/s' }),
    quantity('kp', '1', { role: 'parameter', unit: 'V.s/rad' }),
    quantity('ki', '1', { role: 'parameter', unit: 'V/rad' }),
    quantity('u', '0', { role: 'output', unit: 'V' }),
    quantity('T', '20', { role: 'input', unit: 'degC' }),
    quantity('n', '20', { role: 'input', unit: 'rpm' }),
  ];
  const unitsOfLines = (lines: readonly string[]): Record<string, string> => {
    const { model } = prepareRun(project(lines, { quantities: motor }), { ...newSetup('s', 'S'), root: 't' });
    const names = lines.map((l) => l.split(' ')[0]);
    return Object.fromEntries(names.map((n) => [n, model.variables.find((v) => v.name === n)?.unit ?? '?']));
  };
  const clashes = (lines: readonly string[]): string[] =>
    checkProject(project(lines, { quantities: motor }))
      .problems.filter((p) => p.code.startsWith('unit'))
      .map((p) => `${/line\/l(\d+)/.exec(p.place ?? '')?.[1] ?? p.place}: ${p.message}`);

  test('of sums, products, integrals, derivatives, limits, and lines that come later', () => {
    expect(
      unitsOfLines([
        'p = kp*e',
        'angle = integrate(e)',
        'rate = derivative(e, T = 0.01)',
        'smooth = lag(rate, 0.1)',
        'cut = limit(p, -12, 12)',
        'e = wanted - speed',
        'i = ki*integrate(e)',
        'half = n/2',
        'number = 3',
      ]),
    ).toEqual({
      p: 'V',
      angle: '1',
      rate: '1/s2',
      smooth: '1/s2',
      cut: 'V',
      e: 'rad/s',
      i: 'V',
      half: 'rpm',
      number: '',
    });
  });

  test('what cannot fit is told at its line, what can is not', () => {
    expect(clashes(['e = wanted - speed', 'u = limit(kp*e + ki*integrate(e), -12, 12)'])).toEqual([]);
    expect(clashes(['e = wanted - speed', 'u = kp*e + integrate(e)']).join()).toMatch(/^1: .*V/);
    expect(clashes(['e = wanted - speed', 'u = integrate(kp*e)']).join()).toMatch(/^1: /);
    expect(clashes(['a = integrate(speed)', 'b = a + speed']).join()).toMatch(/^1: /);
  });
});
