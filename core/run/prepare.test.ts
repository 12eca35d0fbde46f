import { newChange } from '../project/project';
import { prepareRun } from './prepare';
import { projectOf, quantity, row, runProject } from '../testing/run-project';

const start = (unit: string, text: string, declared = '0'): number =>
  runProject(
    projectOf(
      { quantities: [quantity('x', declared, { unit, role: 'variable' })], physics: 'equation der(x) = 0;' },
      { changes: [newChange('c', 'x', text)], stop: 0.1 },
    ),
  ).at('x', 0);
const declared = (unit: string, text: string): number =>
  runProject(
    projectOf(
      { quantities: [quantity('x', text, { unit, role: 'variable' })], physics: 'equation der(x) = 0;' },
      { stop: 0.1 },
    ),
  ).at('x', 0);

test.each([
  ['K', "20 'degC'", 293.15],
  ['K', "-40 'degF'", 233.15],
  ['rad/s', "330 'rpm'", (330 * 2 * Math.PI) / 60],
  ['rpm', "330 'rpm'", 330],
  ['degC', "20 'degC'", 20],
  ['V', '12', 12],
  ['V', "2*6 'V'", 12],
  ['V', "12000 'mV'", 12],
  ['s', "2^3*1 's'", 8],
])('a start value in %s given as %s is the same in the table and in a setup', (unit, text, value) => {
  expect(declared(unit, text)).toBeCloseTo(value, 9);
  expect(start(unit, text)).toBeCloseTo(value, 9);
});

test('a stimulus sets inputs in their unit', () => {
  const run = (unit: string, text: string): number =>
    runProject(
      projectOf(
        { quantities: [quantity('x', '0', { unit, role: 'input' })] },
        { stimulus: [row('set', 0.5, 'x', text)], stop: 1 },
      ),
    ).last('x');
  expect(run('K', "20 'degC'")).toBeCloseTo(293.15, 9);
  expect(run('degC', "20 'degC'")).toBeCloseTo(20, 9);
  expect(run('rpm', "330 'rpm'")).toBeCloseTo(330, 9);
});

test('what is no value, or not known before the run, is told at its place and starts nothing', () => {
  const told = (text: string, more: Partial<Parameters<typeof quantity>[2]> = {}): string[] => {
    const project = projectOf(
      { quantities: [quantity('x', '0', { role: 'input', ...more }), quantity('other', '2', { role: 'parameter' })] },
      { changes: [newChange('c', 'x', text)], stimulus: [row('set', 1, 'x', text)] },
    );
    const prepared = prepareRun(project, project.setups[0]);
    expect(prepared.program).toBeUndefined();
    return prepared.problems.map((p) => `${p.place} ${p.message}`);
  };
  const twice = (message: string): string[] => [
    `setup/s/change/c/value ${message}`,
    `setup/s/stimulus/x-1/value ${message}`,
  ];
  expect(told('2*other')).toEqual(twice('x is given a number here: what other is, is not known before the run'));
  expect(told("12 'A'", { unit: 'V' })).toEqual(twice("This assigns x in V and 12 'A' in A"));
  expect(told('1/0')).toEqual(twice('1/0 is not a number'));
  expect(told('2.5', { type: 'Integer' })).toEqual(twice('x takes whole numbers: 2.5 is none'));
  expect(told('1', { type: 'Boolean' })).toEqual(twice('x is true or false: 1 does not fit'));
  expect(told('true')).toEqual(twice('x is a number: true does not fit'));
});
