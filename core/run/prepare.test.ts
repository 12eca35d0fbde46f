import type { Problem } from '../language/diagnostics';
import { newChange, newType, type Setup } from '../project/project';
import { checkProject } from './check';
import { prepareRun } from './prepare';
import { chart, projectOf, quantity, row, runProject, state, transition } from '../testing/run-project';

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

describe('what a run would refuse, the check of the project has told, at the same place', () => {
  const type = {
    quantities: [
      quantity('u', '0', { role: 'input', unit: 'V' }),
      quantity('k', '1', { role: 'parameter', unit: 'V' }),
      quantity('x', '0', { unit: 'V' }),
    ],
    physics: 'equation x = u + k;',
    charts: [chart('mode', [state('A'), state('B')], [transition('A', 'B', "after 1 's'")])],
  };
  const follow = (target: string, value: string) => ({ stimulus: [row('follow', 0, target, value)] });
  const broken: readonly (readonly [string, Partial<Setup>])[] = [
    ['an end that cannot be read', { endWhen: 'x >' }],
    ['an end with an unknown name', { endWhen: 'y > 1' }],
    ['an end with clashing units', { endWhen: "x > 1 'A'" }],
    ['something recorded that is not there', { record: ['x', 'y'] }],
    ['a state that is not there', { startIn: ['mode.C'] }],
    ['a formula that cannot be read', follow('u', '1 +')],
    ['a formula with an unknown name', follow('u', 'y')],
    ['a formula of another unit', follow('u', "time*1 'A'")],
    ['no formula', follow('u', ' ')],
    ['what is no input follows', follow('x', '1')],
    ['what is not there follows', follow('y', '1')],
    ['a changed value that is not there', { changes: [newChange('c', 'y', '1')] }],
    ['a changed value that cannot be read', { changes: [newChange('c', 'k', '1 +')] }],
    ['a changed parameter of another unit', { changes: [newChange('c', 'k', "1 'A'")] }],
    ['a stimulus that sets what follows from equations', { stimulus: [row('set', 0, 'x', '1')] }],
    ['a stimulus with a word for a number', { stimulus: [row('set', 0, 'u', 'much')] }],
    ['a message to nobody', { stimulus: [row('send', 0, 'nobody.go')] }],
  ];
  const errorPlaces = (problems: readonly Problem[]): string[] => [
    ...new Set(problems.filter((p) => p.severity === 'error').map((p) => p.place ?? '')),
  ];
  test.each(broken)('%s', (_, setup) => {
    const project = projectOf(type, setup);
    const run = prepareRun(project, project.setups[0]);
    expect(run.program).toBeUndefined();
    const checked = errorPlaces(checkProject(project).problems);
    expect(errorPlaces(run.problems).length).toBeGreaterThan(0);
    for (const place of errorPlaces(run.problems)) expect(checked).toContain(place);
    // so for a setup of another part type than the product
    const other = {
      ...project,
      root: 'o',
      types: [...project.types, newType('o', 'O')],
      setups: [{ ...project.setups[0], root: 't' }],
    };
    const elsewhere = errorPlaces(checkProject(other).problems);
    for (const place of errorPlaces(prepareRun(other, other.setups[0]).problems)) expect(elsewhere).toContain(place);
  });
  test('a sound setup has nothing to tell, and several may let one input follow', () => {
    const project = projectOf(type, {
      ...follow('u', "time*2 'V/s'"),
      endWhen: "x > 3 'V'",
      record: ['x'],
      startIn: ['mode.B'],
    });
    const two = { ...project, setups: [project.setups[0], { ...project.setups[0], id: 's2', name: 'S2' }] };
    expect(checkProject(two).problems.filter((p) => p.place?.startsWith('setup/'))).toEqual([]);
    expect(prepareRun(two, two.setups[1]).problems).toEqual([]);
  });
});

test('a changed value that changes nothing is told; starts of states and parameters are not', () => {
  const project = projectOf(
    {
      quantities: [
        quantity('k', '1', { role: 'parameter' }),
        quantity('x', '', { role: 'variable' }),
        quantity('y', '', { role: 'variable' }),
      ],
      physics: 'equation der(x) = -k*x; y = x*x;',
    },
    { changes: ['k', 'x', 'y'].map((name) => ({ id: name, name, value: '5' })) },
  );
  expect(prepareRun(project, project.setups[0]).problems).toMatchObject([
    {
      severity: 'warning',
      place: 'setup/s/change/y/name',
      message: expect.stringContaining('y follows from the equations'),
    },
  ]);
});
