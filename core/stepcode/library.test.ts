import { newSignalLine, newSignalSheet, type Project } from '../project/project';
import { hasCompiler, stepsInC, stepsInJs } from '../testing/step-bench';
import { projectOf, quantity } from '../testing/run-project';
import { stepProgramOf } from './controller';
import { libraryNames } from './library';
import type { StepProgram } from './step-program';
import { harnessColumns } from './write-harness';
import { createStep } from './write-js';

/** Functions in basic operations: how far they are from the true ones, what they give at their ends, and the same in both languages. */

const projectWith = (line: string): Project =>
  projectOf({
    quantities: [
      quantity('u', '', { role: 'input' }),
      quantity('v', '', { role: 'input' }),
      quantity('y', '', { role: 'output' }),
    ],
    signals: [{ ...newSignalSheet('s', 'S'), every: '0.1', lines: [newSignalLine('z', line)] }],
  });
const programOf = (line: string): StepProgram => {
  const project = projectWith(line);
  const { program, problems } = stepProgramOf(project, project.types[0]);
  if (!program) throw new Error(problems.map((p) => p.message).join('; '));
  return program;
};
const evaluated = (line: string, double = false): ((u: number, v?: number) => number) => {
  const program = programOf(line);
  const run = createStep(program, { double });
  const slot = (name: string, role: string): number =>
    program.slots.findIndex((s) => s.name === name && s.role === role);
  run.init();
  return (u, v = 0) => {
    run.write(slot('u', 'input'), u);
    run.write(slot('v', 'input'), v);
    run.step();
    return run.read(slot('y', 'output'));
  };
};
/** Distance in units of the last place of single precision. */
const units = (found: number, wanted: number): number => {
  if (Number.isNaN(wanted) || !Number.isFinite(Math.fround(wanted)))
    return Object.is(found, Math.fround(wanted)) ? 0 : Infinity;
  const size = Math.max(Math.abs(wanted), 1.2e-38);
  return Math.abs(found - wanted) / 2 ** (Math.floor(Math.log2(size)) - 23);
};
const between = (low: number, high: number, n = 4001): number[] =>
  Array.from({ length: n }, (_, k) => Math.fround(low + ((high - low) * k) / (n - 1)));

/** By function: where it is looked at, and by how many units it may be off. */
const looked: readonly (readonly [string, readonly number[], number])[] = [
  ['sin', between(-12, 12), 40],
  ['cos', between(-12, 12), 40],
  ['tan', between(-1.5, 1.5), 4],
  ['asin', between(-1, 1), 3],
  ['acos', between(-1, 1), 4],
  ['atan', between(-20, 20), 3],
  ['sinh', between(-20, 20), 40],
  ['cosh', between(-20, 20), 40],
  ['tanh', between(-5, 5), 4],
  ['exp', between(-80, 80), 3],
  ['log', [...between(1e-6, 3), ...between(1, 1e6)], 3],
  ['log10', [...between(1e-6, 3), ...between(1, 1e6)], 5],
];
test.each(looked)('%s', (name, places, most) => {
  const own = evaluated(`y = ${name}(u)`);
  const exact = Math[name as 'sin'];
  const worst = places.reduce(
    (w, x) => {
      // near a zero of a wave only the distance itself says something
      const off = name === 'sin' || name === 'cos' ? Math.abs(own(x) - exact(x)) / 2 ** -24 : units(own(x), exact(x));
      return off > w.off ? { x, off } : w;
    },
    { x: NaN, off: 0 },
  );
  expect([worst.x, worst.off < most ? 'near' : worst.off]).toEqual([worst.x, 'near']);
});
test('angles of hundreds of turns, and what is no angle any more', () => {
  const sin = evaluated('y = sin(u)');
  for (const x of between(-3000, 3000, 997)) expect(Math.abs(sin(x) - Math.sin(x))).toBeLessThan(2e-6);
  expect([sin(2e6), sin(Infinity), sin(NaN)]).toEqual([NaN, NaN, NaN]);
});
test('at the ends', () => {
  const [exp, log, asin, atan] = ['exp', 'log', 'asin', 'atan'].map((n) => evaluated(`y = ${n}(u)`));
  expect([exp(89), exp(-104), exp(0), exp(-Infinity)]).toEqual([Infinity, 0, 1, 0]);
  expect(units(exp(88.7), Math.exp(Math.fround(88.7)))).toBeLessThan(4);
  expect([log(0), log(-1), log(1), log(Infinity)]).toEqual([-Infinity, NaN, 0, Infinity]);
  expect([asin(1.01), asin(1), atan(Infinity)]).toEqual([NaN, Math.fround(Math.PI / 2), Math.fround(Math.PI / 2)]);
});
test('two arguments: the angle of a point, powers of any kind', () => {
  const angle = evaluated('y = atan2(u, v)');
  for (const [a, b] of [
    [1, 2],
    [-3, 0.5],
    [2, -1],
    [-2, -1],
    [1, 0],
    [-1, 0],
    [0, 1],
    [0, -1],
  ])
    expect(angle(a, b)).toBeCloseTo(Math.atan2(a, b), 6);
  const power = evaluated('y = u^v');
  for (const [a, b] of [
    [2, 10],
    [2, 0.5],
    [10, -3],
    [0.3, 1.7],
    [-2, 3],
    [-2, 4],
    [5, 0],
    [0, 2],
  ])
    expect(power(a, b) / a ** b || 1).toBeCloseTo(1, 5);
  expect([power(-2, 0.5), power(0, -1)]).toEqual([NaN, Infinity]);
  // what is written as a whole power is a product
  expect(evaluated('y = u^3')(1.1)).toBe(
    Math.fround(Math.fround(Math.fround(1.1) * Math.fround(1.1)) * Math.fround(1.1)),
  );
});
test('with the numbers of the simulator they are its own', () => {
  const sin = evaluated('y = sin(u)', true);
  for (const x of [0.1, 3, 1000]) expect(sin(x)).toBe(Math.sin(x));
});
test('a table of points', () => {
  const own = evaluated('y = interpolate({0, 1, 3}, {2, 4, -2}, u)');
  expect([-1, 0, 0.5, 1, 2, 3, 9].map((x) => own(x))).toEqual([2, 2, 3, 4, 1, -2, -2]);
  expect(own(NaN)).toBe(NaN);
});

(hasCompiler('gcc') ? test : test.skip)('the same in C, to the last bit', () => {
  const lines = libraryNames.filter((n) => n !== 'atan2' && n !== 'pow').map((n) => `${n}(u)`);
  const program = programOf(
    `y = ${[...lines, 'atan2(u, v)', '(u^v)', 'interpolate({-1, 0, 2}, {5, 1, 8}, u)'].map((t, k) => `(if v > ${k} and v < ${k + 1} then ${t} else 0)`).join(' + ')}`,
  );
  const columns = harnessColumns(program, ['input']).map((k) => program.slots[k].name);
  const inputs = lines
    .concat(['', '', ''])
    .flatMap((_, k) =>
      [...between(-3, 3, 41), 1e-30, 1e30, -0, 200, -90].map((x) => columns.map((c) => (c === 'u' ? x : k + 0.37))),
    );
  expect(stepsInC(program, inputs, { flags: ['-O2'] })).toEqual(stepsInJs(program, inputs));
});
