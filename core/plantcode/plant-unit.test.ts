import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { XMLParser } from 'fast-xml-parser';
import { balanceArm } from '@/samples/balance-arm';
import { heatedBlock } from '@/samples/heated-block';
import { isItLinear } from '@/samples/is-it-linear';
import { rinseUnit } from '@/samples/rinse-unit';
import { tubeCapper } from '@/samples/tube-capper';
import { emptyProject, newSetup, newType, type PartType, type Project, type Setup } from '../project/project';
import { createRun, isRunnable, prepareRun } from '../run';
import { valueAt } from '../simulate/recording';
import { chart, quantity, state, transition } from '../testing/run-project';
import { explicitModel } from './explicit-model';
import { plantVariables, writePlantUnit } from './write-plant-unit';

/** Units of models of equations: compiled, stepped by a small importer, and compared with the simulator. */
const projectOf = (physics: string, more: Partial<PartType> = {}, setup: Partial<Setup> = {}): Project => ({
  ...emptyProject('p', 'P'),
  root: 'unit',
  types: [{ ...newType('unit', 'Unit'), physics, ...more }],
  setups: [{ ...newSetup('s', 'S'), relative: 1e-10, absolute: 1e-13, stop: 2, recordEvery: 0.05, ...setup }],
});
const unitOf = (project: Project, name = 'Unit') => {
  const { value, problems } = explicitModel(
    project,
    project.types.find((t) => t.name === name)!,
  );
  if (!value) throw new Error(problems.map((p) => p.message).join('; '));
  return { plant: value, ...writePlantUnit(value) };
};
const told = (physics: string, more: Partial<PartType> = {}): readonly string[] => {
  const project = projectOf(physics, more);
  return explicitModel(project, project.types[0]).problems.map((p) => p.message);
};
const compiler = ['cc', 'gcc', 'clang'].find((c) => spawnSync(c, ['--version']).status === 0);
const withCompiler = compiler ? test : test.skip;

/** Sets what is given, then goes by steps and tells values after each; rows of numbers by reference. */
const importer = (token: string): string => `#include "fmi3.h"
#include <stdio.h>
#include <stdlib.h>
extern fmi3Instance fmi3InstantiateCoSimulation(fmi3String, fmi3String, fmi3String, fmi3Boolean, fmi3Boolean,
    fmi3Boolean, fmi3Boolean, const fmi3ValueReference[], size_t, fmi3InstanceEnvironment, fmi3LogMessageCallback,
    fmi3IntermediateUpdateCallback);
extern fmi3Status fmi3EnterInitializationMode(fmi3Instance, fmi3Boolean, fmi3Float64, fmi3Float64, fmi3Boolean, fmi3Float64);
extern fmi3Status fmi3ExitInitializationMode(fmi3Instance);
extern fmi3Status fmi3Reset(fmi3Instance);
extern fmi3Status fmi3DoStep(fmi3Instance, fmi3Float64, fmi3Float64, fmi3Boolean, fmi3Boolean *, fmi3Boolean *,
    fmi3Boolean *, fmi3Float64 *);
extern fmi3Status fmi3SetFloat64(fmi3Instance, const fmi3ValueReference[], size_t, const fmi3Float64[], size_t);
extern fmi3Status fmi3GetFloat64(fmi3Instance, const fmi3ValueReference[], size_t, fmi3Float64[], size_t);
extern fmi3Status fmi3GetBoolean(fmi3Instance, const fmi3ValueReference[], size_t, fmi3Boolean[], size_t);
extern fmi3Status fmi3SetBoolean(fmi3Instance, const fmi3ValueReference[], size_t, const fmi3Boolean[], size_t);
extern fmi3Status fmi3GetInt32(fmi3Instance, const fmi3ValueReference[], size_t, fmi3Int32[], size_t);
static void told(fmi3InstanceEnvironment e, fmi3Status s, fmi3String c, fmi3String m) { (void)e; (void)s; (void)c; printf("! %s\\n", m); }
int main(void) {
    fmi3Instance u = fmi3InstantiateCoSimulation("a", "${token}", "", false, false, false, false, NULL, 0, NULL, told, NULL);
    char what; unsigned r; double x, last; fmi3Boolean b[3];
    while (scanf(" %c %u %lf", &what, &r, &x) == 3) {
        fmi3ValueReference ref = r; fmi3Boolean t = x != 0; fmi3Float64 v; fmi3Int32 n;
        switch (what) {
        case 'i': fmi3EnterInitializationMode(u, true, x, 0.0, false, 0.0); break;
        case 'e': fmi3ExitInitializationMode(u); break;
        case 's': if (fmi3SetFloat64(u, &ref, 1, &x, 1) != fmi3OK) printf("refused\\n"); break;
        case 't': fmi3SetBoolean(u, &ref, 1, &t, 1); break;
        case 'd': if (fmi3DoStep(u, 0.0, x, true, &b[0], &b[1], &b[2], &last) != fmi3OK) printf("stopped\\n"); break;
        case 'g': fmi3GetFloat64(u, &ref, 1, &v, 1); printf("%.17g\\n", v); break;
        case 'b': fmi3GetBoolean(u, &ref, 1, &t, 1); printf("%d\\n", t); break;
        case 'n': fmi3GetInt32(u, &ref, 1, &n, 1); printf("%d\\n", n); break;
        case 'r': fmi3Reset(u); break;
        default: return 2;
        }
    }
    return 0;
}
`;

/** What an importer with these orders is told. */
function stepped(unit: ReturnType<typeof unitOf>, orders: readonly string[]): readonly string[] {
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-plant-'));
  try {
    for (const [path, content] of unit.files) {
      mkdirSync(dirname(join(folder, path)), { recursive: true });
      writeFileSync(join(folder, path), content);
    }
    const token = /instantiationToken="([^"]*)"/.exec(unit.files.get('modelDescription.xml')!)![1];
    writeFileSync(join(folder, 'importer.c'), importer(token));
    const run = (args: readonly string[]) => spawnSync(compiler!, args, { cwd: folder, encoding: 'utf8' });
    const sources = [...unit.files.keys()].filter((f) => f.endsWith('.c'));
    const strict = ['-std=c99', '-O2', '-Wall', '-Wextra', '-Wconversion', '-Wshadow', '-Werror'];
    for (const source of sources) expect(run([...strict, '-c', source]).stderr).toBe('');
    const objects = sources.map((s) => s.split('/').at(-1)!.replace(/\.c$/, '.o'));
    const built = run(['-std=c99', '-O1', '-Isources', 'importer.c', ...objects, '-o', 'importer', '-lm']);
    expect([built.status, built.stderr]).toEqual([0, '']);
    const said = spawnSync(join(folder, 'importer'), { input: `${orders.join('\n')}\n`, encoding: 'utf8' });
    expect(said.status).toBe(0);
    return said.stdout.trim().split('\n');
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
const referenceOf = ({ variables }: ReturnType<typeof unitOf>, name: string): number =>
  variables.find((v) => v.name === name)!.reference;

/** Both ways to go: the largest difference of each variable over the run, as a part of its size. */
function differences(project: Project, every = 0.05, name = 'Unit'): Record<string, number> {
  const unit = unitOf(project, name);
  const prepared = prepareRun(project, project.setups[0]);
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join('; '));
  const run = createRun(prepared);
  run.simulation.advance(Infinity);
  expect(run.simulation.problem).toBeUndefined();
  const recording = run.recorder.take();
  const real = unit.variables.filter((v) => v.type === 'Float64' && recording.columns.some((c) => c.name === v.name));
  const steps = Math.round(project.setups[0].stop / every);
  const told = stepped(unit, [
    'i 0 1e-10',
    'e 0 0',
    ...Array.from({ length: steps }, () => [`d 0 ${every}`, ...real.map((v) => `g ${v.reference} 0`)]).flat(),
  ]).map(Number);
  const found: Record<string, number> = {};
  real.forEach((v, k) => {
    const column = recording.columns.find((c) => c.name === v.name)!;
    let [most, size] = [0, 1e-9];
    for (let n = 1; n <= steps; n++) {
      const wanted = valueAt(recording, column, Math.min(n * every, project.setups[0].stop))!;
      most = Math.max(most, Math.abs(told[(n - 1) * real.length + k] - wanted));
      size = Math.max(size, Math.abs(wanted));
    }
    found[v.name] = most / size;
  });
  expect(Object.keys(found).length).toBeGreaterThan(0);
  return found;
}

withCompiler.each([
  ['a pendulum', 'Real a(start = 2), w; Real y; equation der(a) = w; der(w) = -9.81*sin(a) - 0.1*w; y = a*a/2;'],
  [
    'functions',
    `Real h(start = 0.3), a, b, c, d, e, f; equation der(h) = cos(3*h) - 0.2*h; a = atan2(h, 2) + exp(-h)*log(2 + h); b = min(h, 0.4) + max(h, 0.1);
     c = abs(h - 0.5) + sqrt(h + 1) + tanh(h) + h^3 + h^2; d = 2^h + sinh(h)/cosh(h) + asin(h/9) + acos(h/9); e = log10(3 + h) + tan(h/3); f = sign(h - 9) + mod(h + 7, 2);`,
  ],
  [
    'a swing that is switched',
    'Real x(start = 1); Boolean low; equation low = x < 0.4; der(x) = if low then -0.5 else 0.1 - 2*x;',
  ],
  [
    'what follows from parameters',
    'parameter Real k = 3; parameter Real h = 2*k; constant Real q = 4; Real x(start = h/q); equation der(x) = -k*x + q/h;',
  ],
  ['equations of the start', 'Real x, y; initial equation x = 2; der(y) = 0; equation der(x) = -x; der(y) = 3 - 2*y;'],
  [
    'linear equations that are solved together',
    `Real x(start = 1), i, j, k, v; Real w(start = 0.2); equation v = 20*i + x; i + j = k; v = 0.1*j + time; k = 3*v - (if x > 0.4 then 50 else 20)*j + w;
     der(x) = -x + 1e-3*v; der(w) = j*1e-3 - w;`,
  ],
  ['a loop that holds a rate', 'Real x(start = 1), f, a; equation der(x) = a - x; f = 2*a + x; f = 3*x - der(x);'],
  ['nothing that moves', 'Real y; equation y = 3 + 0.5;'],
])('%s: as the simulator goes', (_, physics) => {
  for (const [name, off] of Object.entries(differences(projectOf(physics))))
    expect([name, off < 1e-6, off]).toEqual([name, true, off]);
});

const driven = projectOf(
  'equation der(x) = (if shut then 0 else gain*u) - x; twice = 2*x; many = if x > 0.2 then 2 else 1;',
  {
    quantities: [
      quantity('u', '0.5', { role: 'input' }),
      quantity('shut', 'false', { role: 'input', type: 'Boolean' }),
      quantity('gain', '2', { role: 'parameter' }),
      quantity('x', '0.25'),
      quantity('twice', '', { role: 'output' }),
      quantity('many', '', { role: 'output', type: 'Integer' }),
    ],
  },
);

withCompiler('what is given is followed at once, what is set anew too, and it begins again', () => {
  const unit = unitOf(driven);
  const r = (name: string): number => referenceOf(unit, name);
  const x = (from: number, to: number, t: number): number => to + (from - to) * Math.exp(-t);
  const said = stepped(unit, [
    `g ${r('twice')} 0`,
    `s ${r('gain')} 4`,
    'i 0 1e-9',
    `s ${r('u')} 1`,
    'e 0 0',
    `g ${r('twice')} 0`,
    'd 0 0.7',
    `g ${r('twice')} 0`,
    'g 0 0',
    `n ${r('many')} 0`,
    `t ${r('shut')} 1`,
    'd 0 2.5',
    `g ${r('x')} 0`,
    `n ${r('many')} 0`,
    `t ${r('shut')} 0`,
    `s ${r('gain')} -3`,
    'd 0 0.1',
    `g ${r('x')} 0`,
    // outputs are not set, and a step takes time
    `s ${r('x')} 7`,
    'd 0 0',
    'r 0 0',
    'd 0 0.1',
    'i 0 1e-9',
    'e 0 0',
    `g ${r('x')} 0`,
    'd 0 0.5',
    `g ${r('x')} 0`,
  ]);
  const a = x(0.25, 4, 0.7);
  const b = x(a, 0, 2.5);
  const near = (text: string, wanted: number): void => expect(Math.abs(Number(text) - wanted)).toBeLessThan(1e-7);
  near(said[0], 0.5);
  near(said[1], 0.5);
  near(said[2], 2 * a);
  near(said[3], 0.7);
  expect(said[4]).toBe('2');
  near(said[5], b);
  expect(said[6]).toBe(b > 0.2 ? '2' : '1');
  near(said[7], x(b, -3, 0.1));
  expect(said.slice(8, 14)).toEqual([
    '! fmi3SetFloat64: there is no such variable to be set',
    'refused',
    '! fmi3DoStep: a step after the start, of a time above 0',
    'stopped',
    '! fmi3DoStep: a step after the start, of a time above 0',
    'stopped',
  ]);
  near(said[14], 0.25);
  near(said[15], x(0.25, 1, 0.5));
});

withCompiler('what cannot be gone on is said, and is no number without a word', () => {
  // it is infinite after a second
  const unit = unitOf(projectOf('Real x(start = 1); equation der(x) = x*x;'));
  const said = stepped(unit, ['i 0 1e-6', 'e 0 0', 'd 0 0.9', `g ${referenceOf(unit, 'x')} 0`, 'd 0 0.5']);
  expect(Math.abs(Number(said[0]) - 10)).toBeLessThan(1e-3);
  expect(said.slice(1)).toEqual(['! fmi3DoStep: it cannot go on from here', 'stopped']);
});

withCompiler('equations that have no solution are told where they are met', () => {
  const unit = unitOf(
    projectOf('parameter Real k = 2; Real x(start = 1), a, b; equation der(x) = -x; a + b = x; a + k*b = 3*x;'),
  );
  const r = (name: string): number => referenceOf(unit, name);
  const said = stepped(unit, [
    'i 0 1e-8',
    'e 0 0',
    `g ${r('b')} 0`,
    'd 0 0.5',
    `s ${r('k')} 1`,
    'd 0 0.5',
    `g ${r('a')} 0`,
  ]);
  expect(Math.abs(Number(said[0]) - 2)).toBeLessThan(1e-9);
  expect(said.slice(1, 4)).toEqual([
    '! fmi3DoStep: it cannot go on from here',
    'stopped',
    '! fmi3GetFloat64: its equations have no solution',
  ]);
});

test('the description names every variable once, with its type, its unit and what it is without anybody giving it', () => {
  const unit = unitOf({
    ...driven,
    types: driven.types.map((t) => ({
      ...t,
      quantities: t.quantities.map((q) => (q.name === 'twice' ? { ...q, note: 'a < b & "c"' } : q)),
    })),
  });
  const { fmiModelDescription: d } = new XMLParser({
    ignoreAttributes: false,
    attributeNamePrefix: '',
    isArray: (n) => /^(Float64|Int32|Boolean|Output)$/.test(n),
  }).parse(unit.files.get('modelDescription.xml')!) as {
    fmiModelDescription: {
      ModelVariables: Record<string, readonly Record<string, string>[]>;
      ModelStructure: { Output: readonly { valueReference: string }[] };
    };
  };
  const all = Object.entries(d.ModelVariables).flatMap(([type, list]) =>
    list.map((v) => [v.name, type, v.causality, v.variability, v.start ?? '']),
  );
  expect(all.sort()).toEqual([
    ['gain', 'Float64', 'parameter', 'tunable', '2'],
    ['many', 'Int32', 'output', 'discrete', ''],
    ['shut', 'Boolean', 'input', 'discrete', 'false'],
    ['time', 'Float64', 'independent', 'continuous', ''],
    ['twice', 'Float64', 'output', 'continuous', ''],
    ['u', 'Float64', 'input', 'continuous', '0.5'],
    ['x', 'Float64', 'local', 'continuous', ''],
  ]);
  expect(d.ModelStructure.Output.map((o) => Number(o.valueReference))).toEqual(
    plantVariables(unit.plant)
      .filter((v) => v.causality === 'output')
      .map((v) => v.reference),
  );
  expect(unit.files.get('modelDescription.xml')).toContain('a &lt; b &amp; &quot;c&quot;');
});

test('what is more than assignments and rates is told at its place', () => {
  expect(told('Real x(start = 1), y; equation der(x) = y; y^3 + y = x;')).toEqual([
    '"y^3 + y = x" does not say y by what is known already',
  ]);
  expect(told('Real x(start = 1), y, z; equation der(x) = y; y*z + y = x; z = y - 2*x + sin(z);')).toEqual([
    expect.stringMatching(
      /follows? from \d equations that have to be solved together, ".*" among them, and not by straight lines/,
    ),
  ]);
  expect(
    told('Real x(start = 1), y; Boolean b; equation der(x) = -x; b = y > 0.5; y = if b then x else 2*x;'),
  ).toContainEqual(expect.stringContaining('is in a loop that goes through what changes at events only'));
  // which branch is taken depends on what is solved for
  expect(
    told('Real x(start = 1), y, z; equation der(x) = y - x; y = 3*z + x; x - z = if y > 0 then 2*y else y;').length,
  ).toBe(1);

  expect(
    told(
      'Real x(start = 1); discrete Real n(start = 0); equation der(x) = -x; when x < 0.5 then n = pre(n) + 1; end when;',
    ),
  ).toEqual([
    expect.stringContaining('happens at an event: only equations that hold all the time are put into a unit'),
  ]);
  expect(told('Real x(start = 1); equation der(x) = -x; when x < 0.5 then reinit(x, 2); end when;')).toEqual([
    expect.stringContaining('happens at an event'),
  ]);
  expect(told('Real x(start = 1); equation der(x) = -delay(x, 0.1);')).toEqual([
    expect.stringContaining('needs what was some time ago, which a unit does not keep'),
  ]);
  expect(
    told('Real x(start = 1); equation der(x) = -x;', {
      charts: [chart('mode', [state('A'), state('B')], [transition('A', 'B', 'when x < 0.5')])],
    }),
  ).toContain('mode goes from state to state: only equations are put into a unit');
  expect(told('Real x, y; equation x^2 + y^2 = 1; der(x) = y;').length).toBeGreaterThan(0);
  // what is wrong with the model itself comes first
  expect(told('Real x; equation der(x) = z;')).toEqual([expect.stringContaining('z')]);
});

withCompiler('part types of what ships: those that are explicit go as they do in the application', () => {
  const found = [tubeCapper, heatedBlock, rinseUnit, balanceArm, isItLinear].flatMap((project) =>
    project.types.flatMap((t) => (explicitModel(project, t).value ? [[project, t] as const] : [])),
  );
  expect(found.map(([p, t]) => `${p.name}: ${t.name}`)).toEqual([
    'Tube capper: SpindleDrive',
    'Heated sample block: Plant',
    'Rinse unit: PumpDrive',
    'Balance arm: Rig',
    'Balance arm: Arm',
    'Is it linear?: Trial',
    'Is it linear?: Smoother',
    'Is it linear?: Transmitter',
    'Is it linear?: Drive',
  ]);
  // a rig is an arm twice
  for (const [project, t] of found.filter(([, x]) => x.name !== 'Rig')) {
    const alone: Project = {
      ...project,
      root: t.id,
      requirements: [],
      setups: [{ ...newSetup('s', 'S'), relative: 1e-10, absolute: 1e-13, stop: 0.4, recordEvery: 0.05 }],
    };
    for (const [name, off] of Object.entries(differences(alone, 0.05, t.name)))
      expect([t.name, name, off < 1e-5, off]).toEqual([t.name, name, true, off]);
  }
});
