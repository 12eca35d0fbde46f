import { tubeCapper } from '@/samples/tube-capper';
import {
  emptyProject,
  newQuantity,
  newSetup,
  newSignalLine,
  newSignalSheet,
  newType,
  type PartType,
  type Project,
} from '../project/project';
import { createRun, isRunnable, prepareRun } from '../run';
import { regressionLines } from './regression-lines';
import { proposeRegressors, whatMayBeAsked, type Regressions } from './regressors';

const spindle = tubeCapper.types.find((t) => t.name === 'SpindleDrive')!;
const ofSpindle = (unknown: readonly string[], measured: readonly string[]): Regressions =>
  proposeRegressors(tubeCapper, spindle, unknown, measured);
const own = (physics: string, quantities: readonly (readonly [string, string, string?])[]): PartType => ({
  ...newType('t', 'T'),
  physics,
  quantities: quantities.map(([name, role, unit = '']) => ({
    ...newQuantity(`q-${name}`, name),
    role: role as 'parameter',
    unit,
    value: role === 'parameter' ? '2' : '0',
  })),
});
const projectOf = (type: PartType): Project => ({ ...emptyProject('p', 'P'), root: type.id, types: [type] });
const of = (type: PartType, unknown: readonly string[], measured: readonly string[]): Regressions =>
  proposeRegressors(projectOf(type), type, unknown, measured);

describe('the spindle of the capper, made of parts of the library', () => {
  test('friction and inertia from speed, current and load: everything else is eliminated', () => {
    const { found, refused } = ofSpindle(['friction', 'Js'], ['speed', 'current', 'load']);
    expect(refused).toEqual([]);
    expect(found).toMatchObject([
      {
        terms: [
          { unknown: 'friction', regressor: 'speedMean / (gear * efficiency)' },
          { unknown: 'Js', regressor: 'speedRate / (gear * efficiency)' },
        ],
        rates: [{ of: 'speed', name: 'speedRate' }],
      },
    ]);
    expect([...found[0].names].sort()).toEqual(['Jm', 'current', 'efficiency', 'gear', 'k', 'load', 'speed']);
  });
  test('the winding from voltage, current and speed', () => {
    const { found } = ofSpindle(['R', 'L', 'k'], ['speed', 'current', 'voltage']);
    expect(found).toMatchObject([
      {
        left: 'voltageMean',
        terms: [
          { unknown: 'R', regressor: 'currentMean' },
          { unknown: 'L', regressor: 'currentRate' },
          { unknown: 'k', regressor: 'gear * speedMean' },
        ],
      },
    ]);
  });
  test('as it is asked at first, with all that goes in and comes out in SI units measured', () => {
    const { measured, otherUnits } = whatMayBeAsked(spindle);
    expect(measured).not.toContain('windingTemperature');
    expect(otherUnits).toContainEqual({ name: 'windingTemperature', unit: 'degC' });
    const { found, refused } = ofSpindle(
      ['friction'],
      ['command', 'supply', 'load', 'current', 'speed', 'torque', 'power'],
    );
    expect(refused).toEqual([]);
    expect(found[0]).toMatchObject({
      left: 'torqueMean - Js * speedRate - loadMean',
      terms: [{ unknown: 'friction', regressor: 'speedMean' }],
    });
  });
  test('why not: a square, what is not measured, another unit', () => {
    const why = (unknown: string[], measured: string[]): string =>
      ofSpindle(unknown, measured)
        .refused.map((r) => `${r.unknown.join()}: ${r.why}`)
        .join('\n');
    expect(why(['gear', 'k'], ['speed', 'current', 'load'])).toMatch(/not linear in gear/);
    expect(why(['friction'], ['speed', 'current'])).toMatch(/^friction: No equation between what is measured has it/);
    expect(why(['friction'], ['speed', 'load', 'voltage'])).toMatch(
      /^friction: \S+( and \d more)? would have to be measured, or cannot be eliminated \(.* in rotor\)$/,
    );
    expect(why(['Rwc'], ['current', 'windingTemperature'])).toMatch(/windingTemperature is kept in degC/);
    expect(why(['holdTorque'], ['speed', 'current', 'load'])).toMatch(/holdTorque/);
  });
  test('on a sheet of another part type it finds what the machine was given, while it runs', () => {
    const [regression] = ofSpindle(['friction', 'Js'], ['speed', 'current', 'load']).found;
    const watch = {
      ...newType('t-watch', 'Watch'),
      quantities: [{ ...newQuantity('q-k', 'k'), role: 'parameter' as const, value: '0.035', unit: 'N.m/A' }],
    };
    const sheet = { ...newSignalSheet('s', 'S'), every: "1 'ms'" };
    let n = 0;
    const made = regressionLines(spindle, regression, watch, sheet, () => `n${n++}`);
    if ('why' in made) throw new Error(made.why);
    expect(made.quantities.map((q) => `${q.role} ${q.name} ${q.value} ${q.unit}`).sort()).toEqual([
      'input current 0 A',
      'input load 0 N.m',
      'input speed 0 rad/s',
      'parameter Jm 1.06e-5 kg.m2',
      'parameter efficiency 0.85 1',
      'parameter gear 10 1',
    ]);
    const whole: PartType = {
      ...watch,
      quantities: [...watch.quantities, ...made.quantities],
      signals: [{ ...sheet, lines: made.lines.map((text, k) => newSignalLine(`z${k}`, text)) }],
    };
    const bench: PartType = {
      ...newType('t-bench', 'TestBench'),
      physics:
        "SpindleDrive spindle;\nWatch watch;\nequation\n  spindle.command = 6 'V' + 3 'V'*sin(4 'rad/s'*time);\n  spindle.supply = 12 'V';\n  spindle.load = 0.02 'N.m' + 0.01 'N.m'*sin(7 'rad/s'*time);\n  watch.speed = spindle.speed;\n  watch.current = spindle.current;\n  watch.load = spindle.load;",
    };
    const project: Project = {
      ...tubeCapper,
      root: bench.id,
      types: [...tubeCapper.types, whole, bench],
      requirements: [],
      setups: [{ ...newSetup('u', 'U'), stop: 4, recordEvery: 0.1 }],
      studies: [],
    };
    const prepared = prepareRun(project, project.setups[0]);
    if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join('; '));
    const { simulation, recorder } = createRun(prepared);
    simulation.advance(Infinity);
    const { columns } = recorder.take();
    const last = (name: string): number => columns.find((c) => c.name === `watch.${name}`)!.values.at(-1)!;
    expect(last('frictionFound') / 2e-4).toBeCloseTo(1, 2);
    // the rotor behind the gear is most of what has to be turned
    const rotor = 0.85 * 10 ** 2 * 1.06e-5;
    expect(Math.abs((last('JsFound') + rotor) / (4e-5 + rotor) - 1)).toBeLessThan(1e-3);
    expect(made.lines.join('\n')).toContain("enable = time > 2.5*(1 'ms'))");
    const late = regressionLines(spindle, regression, watch, { ...sheet, offset: "0.3 's'" }, () => 'x');
    expect('why' in late ? '' : late.lines.join('\n')).toContain("enable = time > 0.3 's' + 2.5*(1 'ms'))");
    // asked once more, what is there already is not put there again
    const again = regressionLines(spindle, regression, whole, sheet, () => 'x');
    if ('why' in again) throw new Error(again.why);
    expect(made.taken).toEqual(['k']);
    expect([...again.taken].sort()).toEqual(['Jm', 'current', 'efficiency', 'gear', 'k', 'load', 'speed']);
    expect(again.quantities).toEqual([]);
    expect(again.lines.join('\n')).not.toMatch(/^(speedRate|currentMean) =/m);
    expect(again.lines.join('\n')).toMatch(/^est2 = leastSquares\(known2, \{frictionFactor2, JsFactor2\}/m);
  });
  test('names that mean something else stand in the way', () => {
    const [regression] = ofSpindle(['friction', 'Js'], ['speed', 'current', 'load']).found;
    const sheet = { ...newSignalSheet('s', 'S'), every: "5 'ms'" };
    const other = (more: Partial<PartType>): unknown =>
      regressionLines(spindle, regression, { ...newType('w', 'W'), ...more }, sheet, () => 'x');
    expect(other({ quantities: [{ ...newQuantity('q', 'speed'), unit: 'rpm' }] })).toEqual({
      why: 'speed of W is kept in rpm, not in rad/s',
    });
    expect(other({ signals: [{ ...sheet, lines: [newSignalLine('z', 'speedRate = 3*time')] }] })).toEqual({
      why: 'speedRate is the name of something else in W: give that another name',
    });
  });
});

test('equations of one’s own: signs, products, ratios, choices', () => {
  const pull = own('m*der(v) = f - d*v - (if v > 0 then c else -c);', [
    ['m', 'parameter'],
    ['d', 'parameter'],
    ['c', 'parameter'],
    ['f', 'input'],
    ['v', 'variable'],
  ]);
  expect(of(pull, ['m', 'd', 'c'], ['f', 'v'])).toMatchObject({
    found: [
      {
        left: 'fMean',
        terms: [
          { unknown: 'm', regressor: 'vRate' },
          { unknown: 'd', regressor: 'vMean' },
          { unknown: 'c', regressor: 'if vMean > 0 then 1 else -1' },
        ],
      },
    ],
    refused: [],
  });
  // without a rate nothing is meant over a tick
  const spring = own('f = k*x + k3*x^3;', [
    ['k', 'parameter'],
    ['k3', 'parameter'],
    ['f', 'input'],
    ['x', 'variable'],
  ]);
  expect(of(spring, ['k', 'k3'], ['f', 'x'])).toMatchObject({
    found: [{ left: 'f', terms: [{ regressor: 'x' }, { regressor: 'x^3' }], rates: [], means: [] }],
  });
  const product = own('y = a*b*u;', [
    ['a', 'parameter'],
    ['b', 'parameter'],
    ['u', 'input'],
    ['y', 'output'],
  ]);
  expect(of(product, ['a', 'b'], ['u', 'y']).refused[0].why).toMatch(/^a and b are multiplied with each other/);
  expect(of(product, ['a'], ['u', 'y']).found).toMatchObject([{ left: 'y', terms: [{ regressor: 'b * u' }] }]);
  const ratio = own('a*u = b*y;', [
    ['a', 'parameter'],
    ['b', 'parameter'],
    ['u', 'input'],
    ['y', 'output'],
  ]);
  expect(of(ratio, ['a', 'b'], ['u', 'y']).refused[0].why).toMatch(/only their ratios can be found/);
  // the hidden force h could be taken from either side: from the one that is not divided by a sought value
  const hidden = own('a*h = u; y = h*b + c*u; w = h + d*u;', [
    ['a', 'parameter'],
    ['b', 'parameter'],
    ['c', 'parameter'],
    ['d', 'parameter'],
    ['h', 'variable'],
    ['u', 'input'],
    ['w', 'output'],
    ['y', 'output'],
  ]);
  expect(of(hidden, ['a', 'd'], ['u', 'w']).refused.map((r) => r.why)).toEqual([
    expect.stringMatching(/^a and d are multiplied with each other/),
  ]);
  expect(of(hidden, ['c'], ['u', 'y', 'w']).found[0].terms).toMatchObject([{ unknown: 'c', regressor: 'u' }]);
  const stick = own('f = d*v + (if v > vs then c else -c);', [
    ['d', 'parameter'],
    ['c', 'parameter'],
    ['vs', 'parameter'],
    ['v', 'input'],
    ['f', 'output'],
  ]);
  expect(of(stick, ['d', 'c'], ['v', 'f']).found).toHaveLength(1);
  expect(of(stick, ['d', 'vs'], ['v', 'f'])).toMatchObject({
    found: [],
    refused: [{ unknown: ['d', 'vs'], why: expect.stringMatching(/^vs decides which case holds/) }],
  });
  // what follows from a value that is sought is sought with it
  const share = {
    ...own('y = a*u + b*v;', [
      ['a', 'parameter'],
      ['b', 'parameter'],
      ['u', 'input'],
      ['v', 'input'],
      ['y', 'output'],
    ]),
  };
  const tied = {
    ...share,
    quantities: share.quantities.map((q) => (q.name === 'b' ? { ...q, value: '3*a' } : q)),
  };
  expect(of(share, ['a'], ['u', 'v', 'y']).found).toMatchObject([{ left: 'y - b * v', terms: [{ regressor: 'u' }] }]);
  expect(of(tied, ['a'], ['u', 'v', 'y']).found).toMatchObject([{ left: 'y', terms: [{ regressor: 'u + 3 * v' }] }]);
  const second = own('der(x) = w; m*der(w) = f;', [
    ['m', 'parameter'],
    ['f', 'input'],
    ['x', 'variable'],
    ['w', 'variable'],
  ]);
  expect(of(second, ['m'], ['f', 'x']).found).toEqual([]);
  expect(of(second, ['m'], ['f', 'x']).refused[0].why).toMatch(/w would have to be measured/);
  expect(of(second, ['m'], ['f', 'w']).found).toHaveLength(1);
  const mapped = own('y = a*interpolate({0, 1}, {0, 2}, u);', [
    ['a', 'parameter'],
    ['u', 'input'],
    ['y', 'output'],
  ]);
  expect(of(mapped, ['a'], ['u', 'y']).refused[0].why).toMatch(/Tables, delays/);
  expect(
    of(
      own('y = ;', [
        ['a', 'parameter'],
        ['y', 'output'],
      ]),
      ['a'],
      ['y'],
    ).refused[0].why,
  ).toMatch(/^T has an error/);
  expect(whatMayBeAsked(pull)).toEqual({ measured: ['f', 'v'], unknown: ['m', 'd', 'c'], otherUnits: [] });
});
