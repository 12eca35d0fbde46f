import { emptyProject, newQuantity, newSetup, newType, type Project } from '../project/project';
import { valueAt } from '../simulate/recording';
import { readStimulusCsv } from '../formats/stimulus-csv';
import { createRun, isRunnable, prepareRun } from './index';
import { signalShapes } from './signal-shapes';
import { unitIn } from './type-structure';

/** A product with one input in a unit. */
const product = (unit: string): Project => ({
  ...emptyProject('p', 'P'),
  root: 't',
  types: [{ ...newType('t', 'T'), quantities: [{ ...newQuantity('q', 'x'), role: 'input', unit }] }],
});

const follow = (unit: string, formula: string) => {
  const prepared = prepareRun(product(unit), {
    ...newSetup('u', 'Run'),
    stop: 5,
    stimulus: [{ id: 'f', time: 0, kind: 'follow', target: 'x', value: formula }],
  });
  const problems = prepared.problems.filter((p) => p.severity === 'error');
  if (!isRunnable(prepared)) return { problems, at: () => NaN, values: [] };
  const run = createRun(prepared);
  run.simulation.advance(Infinity);
  const recording = run.recorder.take();
  const column = recording.columns.find((c) => c.name === 'x')!;
  return { problems, at: (t: number) => valueAt(recording, column, t), values: column.values };
};

const wanted: Record<string, readonly (readonly [number, number])[]> = {
  'step at 1 s': [
    [0.5, 0],
    [1.5, 1],
  ],
  'ramp from 1 s to 3 s': [
    [0.5, 0],
    [2, 0.5],
    [3.5, 1],
  ],
  'pulses, 0.5 s of every 2 s': [
    [0.25, 1],
    [1, 0],
    [2.25, 1],
  ],
  'sine of 2 Hz': [
    [0.125, 1],
    [0.375, -1],
  ],
  'table 0 s: 0, 1 s: 2, 3 s: 1': [
    [0.5, 1],
    [2, 1.5],
    [4, 1],
  ],
};

test.each(['', '1', 'rad/s', 'rpm', 'mm', 'degC', 'm/s2', '%'])(
  'shapes offered for a quantity in "%s" fit it and give what they say, in its unit',
  (unit) => {
    const shapes = signalShapes(unitIn(product(unit), '', 'x'));
    expect(shapes).toHaveLength(unit === 'degC' ? 4 : 6);
    for (const [name, formula] of shapes) {
      const { problems, at, values } = follow(unit, formula);
      expect(problems.map((p) => `${name}: ${p.message}`)).toEqual([]);
      for (const [t, value] of wanted[name] ?? []) expect([name, at(t)]).toEqual([name, expect.closeTo(value, 3)]);
      if (name.startsWith('noise')) {
        expect(new Set(values.slice(0, 400)).size).toBeGreaterThan(20);
        expect(Math.max(...values)).toBeGreaterThan(0.5);
      }
    }
  },
);

test.each([
  ['rpm', 'rpm', [100, 400]],
  ['rad/s', 'rpm', [10.471976, 41.887902]],
  ['rpm', '', [100, 400]],
  ['degC', 'degC', [100, 400]],
  ['K', 'degC', [373.15, 673.15]],
])(
  'a signal of a file for a quantity in %s, its column in "%s", arrives in the unit of the quantity',
  (unit, column, ends) => {
    const head = column ? `x [${column}]` : 'x';
    const [signal] = readStimulusCsv(new TextEncoder().encode(`time [s],${head}\n0,100\n3,400\n`)).value;
    const { problems, at } = follow(unit, signal.formula);
    expect(problems).toEqual([]);
    expect([at(0), at(4)]).toEqual(ends.map((x) => expect.closeTo(x, 5)));
  },
);

describe('a product with a number that has a unit', () => {
  const said = (unit: string, formula: string) => follow(unit, formula).problems.map((p) => p.code);
  test.each([
    ['rpm', "2*1 'rpm'"],
    ['mm', "sin(time*1 'Hz')*1 'mm'"],
    ['ms', "3*20 'ms'"],
    ['rpm', "interpolate({0, 1}, {2, 3}, time)*1 'rpm'"],
    ['deg', 'asin(0.5)'],
    ['mm2', "(3 'mm')^2"],
    ['mm', "sqrt(9 'mm2')"],
  ])('in %s: %s is in coherent SI, and refused where another scale is wanted', (unit, formula) => {
    expect(said(unit, formula)).toContain('unit-scale');
    const converted = `convert(${formula}, "${unit}")`;
    expect(said(unit, converted)).toEqual([]);
  });
  test.each([
    ['rad/s', "2*1 'rpm'", 0.20943951],
    ['s', "3*20 'ms'", 0.06],
    ['m', "sin(1)*1 'mm'", 0.000841471],
    ['rpm', 'convert(2*1 \'rpm\', "rpm")', 2],
    ['mm2', 'convert((3 \'mm\')^2, "mm2")', 9],
    ['m', "sqrt(9 'mm2')", 0.003],
    ['rpm', "5 'rpm' + convert(2*1 'rpm', \"rpm\")", 7],
    ['deg', 'convert(asin(0.5), "deg")', 30],
  ])('in %s: %s is %d', (unit, formula, value) => {
    const { problems, at } = follow(unit, formula);
    expect(problems).toEqual([]);
    expect(at(1)).toBeCloseTo(value, 7);
  });
  test('is refused where the unit has a zero of its own', () => {
    expect(said('degC', "interpolate({0, 1}, {20, 30}, time)*1 'degC'")).toContain('unit-offset');
    expect(follow('K', "2*20 'degC'").problems).toMatchObject([
      { code: 'unit-offset', place: 'setup/u/stimulus/f/value' },
    ]);
  });
});

test('the places of a table are in the unit of what it is looked up with', () => {
  const project = product('K');
  const withTable = (unit: string) => {
    const prepared = prepareRun(
      {
        ...project,
        types: [
          {
            ...project.types[0],
            quantities: [{ ...newQuantity('q', 'x'), role: 'constant', unit, value: "300 'ms'" }],
            physics: "Real y(unit=\"K\") = interpolate({0 's', 1 's'}, {280 'K', 290 'K'}, x);",
          },
        ],
      },
      { ...newSetup('u', 'Run'), stop: 1 },
    );
    return prepared;
  };
  for (const unit of ['ms', 's']) {
    const prepared = withTable(unit);
    expect(prepared.problems.filter((p) => p.severity === 'error')).toEqual([]);
    if (!isRunnable(prepared)) throw new Error('cannot run');
    const run = createRun(prepared);
    run.simulation.advance(Infinity);
    const recording = run.recorder.take();
    expect(
      valueAt(
        recording,
        recording.columns.find((c) => c.name === 'y')!,
        0.5,
      ),
    ).toBeCloseTo(283, 6);
  }
});
