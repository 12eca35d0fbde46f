import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { XMLParser } from 'fast-xml-parser';
import { tubeCapper } from '@/samples/tube-capper';
import { stepProgramOf } from './controller';
import { withFewerBits } from '../testing/random-numbers';
import type { StepProgram } from './step-program';
import { writeC } from './write-c';
import { fmiVariables, writeFmi } from './write-fmi';
import { createStep } from './write-js';

/** Units for co-simulation, read by a reader of their description and by a small importer of the compiled functions. */
const type = tubeCapper.types.find((t) => t.name === 'CapperControl')!;
const program = stepProgramOf(tubeCapper, type).program!;
const written = writeFmi(program, writeC(program));
const text = (path: string): string => written.files.get(path)!;

interface Described {
  readonly [key: string]: string | readonly Described[] | Described | undefined;
}
const described = (): Described =>
  (
    new XMLParser({
      ignoreAttributes: false,
      attributeNamePrefix: '',
      isArray: (n) => /^(Float32|Int32|Boolean|Output|InitialUnknown|Unit)$/.test(n),
    }).parse(text('modelDescription.xml')) as { fmiModelDescription: Described }
  ).fmiModelDescription;

test('the description says what there is, each variable once, with what its kind needs', () => {
  const d = described();
  expect(d.fmiVersion).toBe('3.0');
  const unit = d.CoSimulation as Described;
  expect(unit).toEqual({
    modelIdentifier: 'CapperControl',
    canHandleVariableCommunicationStepSize: 'true',
    fixedInternalStepSize: '0.001',
    canSerializeFMUState: 'true',
    canGetAndSetFMUState: 'true',
  });
  const all = d.ModelVariables as Record<string, readonly Record<string, string>[] | Record<string, string>>;
  const list = (['Float32', 'Int32', 'Boolean'] as const).flatMap((t) =>
    (all[t] as readonly Record<string, string>[]).map((v) => ({ t, ...v }) as Record<string, string>),
  );
  expect((all.Float64 as Record<string, string>).causality).toBe('independent');
  const variables = fmiVariables(program);
  expect(list.length).toBe(variables.length);
  expect(new Set(list.map((v) => v.name)).size).toBe(list.length);
  expect(new Set(list.map((v) => v.valueReference)).size).toBe(list.length);
  for (const v of variables) {
    const found = list.find((x) => x.valueReference === String(v.reference))!;
    expect([found.t, found.name, found.causality]).toEqual([v.type, v.name, v.causality]);
    // what is given has a start, what is worked out has none
    expect(found.start !== undefined).toBe(v.causality !== 'output');
    const slot = program.slots[v.slot];
    if (found.unit !== undefined) expect(found.unit).toBe(slot.unit);
  }
  const gain = list.find((v) => v.name === 'speedGain')!;
  expect(Number(gain.start)).toBeCloseTo(Number(type.quantities.find((q) => q.name === 'speedGain')!.value), 6);
  const units = new Set(
    ((d.UnitDefinitions as Described).Unit as unknown as readonly { name: string }[]).map((u) => u.name),
  );
  for (const v of list) if (v.unit !== undefined) expect(units.has(v.unit)).toBe(true);
  const outputs = variables.filter((v) => v.causality === 'output').map((v) => String(v.reference));
  const structure = d.ModelStructure as Record<string, readonly { valueReference: string }[]>;
  expect(structure.Output.map((o) => o.valueReference)).toEqual(outputs);
  expect(structure.InitialUnknown.map((o) => o.valueReference)).toEqual(outputs);
  expect(text('sources/buildDescription.xml')).toContain('<SourceFile name="CapperControl_fmi.c"/>');
});

test('names of one kind and another do not meet, and what XML has for itself is written out', () => {
  const plain: StepProgram = {
    ...program,
    note: 'a < b & "c"',
    slots: program.slots.map((s) => (s.name === 'speed' && s.role === 'input' ? { ...s, name: 'voltage' } : s)),
  };
  const names = fmiVariables(plain).map((v) => v.name);
  expect(new Set(names).size).toBe(names.length);
  expect(names).toEqual(expect.arrayContaining(['voltage', 'voltage_output']));
  expect(writeFmi(plain, writeC(plain)).files.get('modelDescription.xml')).toContain('a &lt; b &amp; &quot;c&quot;');
  // another code has another token
  const token = (p: StepProgram): string =>
    /instantiationToken="([^"]*)"/.exec(writeFmi(p, writeC(p)).files.get('modelDescription.xml')!)![1];
  expect(token(plain)).not.toBe(token(program));
  expect(token(program)).toBe(token({ ...program }));
});

const compiler = ['cc', 'gcc', 'clang'].find((c) => spawnSync(c, ['--version']).status === 0);
const types = tubeCapper.types.map((t) => (t === type ? withFewerBits(t) : t));
const fewerBits = stepProgramOf(
  { ...tubeCapper, types },
  types.find((t) => t.name === type.name)!,
).program!;
(compiler ? test : test.skip).each([
  ['', program],
  [', with numbers of fewer bits', fewerBits],
] as const)('compiled and stepped by an importer it does what the code does%s', (_, program) => {
  const written = writeFmi(program, writeC(program));
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-fmi-'));
  try {
    for (const [path, content] of written.files) {
      mkdirSync(dirname(join(folder, path)), { recursive: true });
      writeFileSync(join(folder, path), content);
    }
    const { variables } = written;
    writeFileSync(
      join(folder, 'importer.c'),
      importer(/instantiationToken="([^"]*)"/.exec(written.files.get('modelDescription.xml')!)![1]),
    );
    const run = (...args: readonly string[]) => spawnSync(compiler!, args, { cwd: folder, encoding: 'utf8' });
    const strict = ['-std=c99', '-O2', '-ffp-contract=off', '-Wall', '-Wextra', '-Wconversion', '-Wshadow', '-Werror'];
    const unit = run(
      ...strict,
      '-fPIC',
      '-shared',
      '-fvisibility=hidden',
      'sources/CapperControl.c',
      'sources/CapperControl_fmi.c',
      '-o',
      'unit.so',
      '-lm',
    );
    expect(unit.stderr).toBe('');
    const built = run('-std=gnu99', '-O2', 'importer.c', '-o', 'importer', '-ldl');
    expect([built.status, built.stderr]).toEqual([0, '']);
    const inputs = variables.filter((v) => v.causality === 'input');
    const outputs = variables.filter((v) => v.causality === 'output');
    const code = createStep(program);
    code.init();
    const rows: string[] = [];
    const wanted: number[][] = [];
    let seed = 5;
    const random = (): number => (seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0) / 2 ** 32;
    for (let n = 0; n < 400; n++) {
      // some communication steps are of three steps
      const steps = n % 10 === 9 ? 3 : 1;
      const values = inputs.map((v) => {
        const { is } = program.slots[v.slot];
        return v.type === 'Float32'
          ? Math.fround(60 * random() - 10)
          : v.type === 'Boolean'
            ? Number(random() < 0.5)
            : is === 'messages'
              ? Number(random() < 0.1)
              : Math.floor(9 * random());
      });
      rows.push(`${steps} ${values.join(' ')}`);
      const sums = outputs.map(() => 0);
      for (let k = 0; k < steps; k++) {
        inputs.forEach((v, j) => code.write(v.slot, k > 0 && program.slots[v.slot].is === 'messages' ? 0 : values[j]));
        code.step();
        outputs.forEach(
          (v, j) =>
            (sums[j] = program.slots[v.slot].is === 'messages' ? sums[j] + code.read(v.slot) : code.read(v.slot)),
        );
      }
      wanted.push(sums);
    }
    const of = (list: typeof inputs): string => list.map((v) => `${v.type[0]}${v.reference}`).join(',');
    const done = spawnSync(join(folder, 'importer'), ['./unit.so', of(inputs), of(outputs)], {
      cwd: folder,
      encoding: 'utf8',
      input: `${rows.join('\n')}\n`,
    });
    expect([done.status, done.stderr]).toEqual([
      0,
      [
        'fmi3DeserializeFMUState: this is no state of this unit',
        'fmi3DoStep: a whole number of steps of 0.001 s is needed',
        'fmi3SetInt32: there is no such variable to be set',
        'fmi3GetString: this unit has nothing of it',
        'This unit is for co-simulation only',
        'The description is of another state of this unit',
        '',
      ].join('\n'),
    ]);
    const lines = done.stdout.trim().split('\n');
    expect(lines.length).toBe(400);
    lines.forEach((line, n) =>
      expect(
        line.split(' ').map((t, k) => (outputs[k].type === 'Float32' ? Math.fround(Number(t)) : Number(t))),
      ).toEqual(wanted[n]),
    );
    expect(wanted.some((w) => w.some((x) => x > 1))).toBe(true);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
});

/** What the interface says a unit for co-simulation has, whether it does anything or not. */
const allFunctions = [
  ...['GetVersion', 'SetDebugLogging', 'InstantiateModelExchange', 'InstantiateCoSimulation'],
  ...['InstantiateScheduledExecution', 'FreeInstance', 'EnterInitializationMode', 'ExitInitializationMode'],
  ...['EnterEventMode', 'Terminate', 'Reset', 'GetNumberOfVariableDependencies', 'GetVariableDependencies'],
  ...[
    'Float32',
    'Float64',
    'Int8',
    'UInt8',
    'Int16',
    'UInt16',
    'Int32',
    'UInt32',
    'Int64',
    'UInt64',
    'Boolean',
  ].flatMap((t) => [`Get${t}`, `Set${t}`]),
  ...['GetString', 'SetString', 'GetBinary', 'SetBinary', 'GetClock', 'SetClock'],
  ...[
    'GetFMUState',
    'SetFMUState',
    'FreeFMUState',
    'SerializedFMUStateSize',
    'SerializeFMUState',
    'DeserializeFMUState',
  ],
  ...['GetDirectionalDerivative', 'GetAdjointDerivative', 'EnterConfigurationMode', 'ExitConfigurationMode'],
  ...['Interval', 'Shift'].flatMap((x) => ['Get', 'Set'].flatMap((y) => [`${y}${x}Decimal`, `${y}${x}Fraction`])),
  ...['EvaluateDiscreteStates', 'UpdateDiscreteStates', 'EnterStepMode', 'GetOutputDerivatives', 'DoStep'],
];

/** Loads a unit, steps it on lines of inputs, prints its outputs; takes every tenth step back and goes it again, from the bytes of how it was. */
const importer = (token: string): string => `
#include "sources/fmi3.h"
#include <dlfcn.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
static void *lib;
static void *get(const char *name) {
  void *f = dlsym(lib, name);
  if (!f) { fprintf(stderr, "no %s\\n", name); exit(3); }
  return f;
}
static void told(fmi3InstanceEnvironment e, fmi3Status s, fmi3String c, fmi3String m) { (void)e; (void)s; (void)c; fprintf(stderr, "%s\\n", m); }
static int parse(char *list, char kinds[], unsigned refs[]) {
  int n = 0;
  for (char *t = strtok(list, ","); t; t = strtok(NULL, ",")) { kinds[n] = t[0]; refs[n] = (unsigned)atoi(t + 1); n++; }
  return n;
}
typedef fmi3Instance (*Make)(fmi3String, fmi3String, fmi3String, fmi3Boolean, fmi3Boolean, fmi3Boolean, fmi3Boolean, const fmi3ValueReference[], size_t, fmi3InstanceEnvironment, fmi3LogMessageCallback, fmi3IntermediateUpdateCallback);
typedef fmi3Status (*Begin)(fmi3Instance, fmi3Boolean, fmi3Float64, fmi3Float64, fmi3Boolean, fmi3Float64);
typedef fmi3Status (*Plain)(fmi3Instance);
typedef fmi3Status (*Step)(fmi3Instance, fmi3Float64, fmi3Float64, fmi3Boolean, fmi3Boolean *, fmi3Boolean *, fmi3Boolean *, fmi3Float64 *);
typedef fmi3Status (*GetF)(fmi3Instance, const fmi3ValueReference[], size_t, fmi3Float32[], size_t);
typedef fmi3Status (*SetF)(fmi3Instance, const fmi3ValueReference[], size_t, const fmi3Float32[], size_t);
typedef fmi3Status (*GetI)(fmi3Instance, const fmi3ValueReference[], size_t, fmi3Int32[], size_t);
typedef fmi3Status (*SetI)(fmi3Instance, const fmi3ValueReference[], size_t, const fmi3Int32[], size_t);
typedef fmi3Status (*GetB)(fmi3Instance, const fmi3ValueReference[], size_t, fmi3Boolean[], size_t);
typedef fmi3Status (*SetB)(fmi3Instance, const fmi3ValueReference[], size_t, const fmi3Boolean[], size_t);
typedef fmi3Status (*GetD)(fmi3Instance, const fmi3ValueReference[], size_t, fmi3Float64[], size_t);
typedef fmi3Status (*Keep)(fmi3Instance, fmi3FMUState *);
typedef fmi3Status (*Put)(fmi3Instance, fmi3FMUState);
typedef fmi3String (*Version)(void);
typedef fmi3Status (*Size)(fmi3Instance, fmi3FMUState, size_t *);
typedef fmi3Status (*Pack)(fmi3Instance, fmi3FMUState, fmi3Byte[], size_t);
typedef fmi3Status (*Unpack)(fmi3Instance, const fmi3Byte[], size_t, fmi3FMUState *);
typedef fmi3Status (*GetS)(fmi3Instance, const fmi3ValueReference[], size_t, fmi3String[], size_t);
typedef fmi3Instance (*Exchange)(fmi3String, fmi3String, fmi3String, fmi3Boolean, fmi3Boolean, fmi3InstanceEnvironment, fmi3LogMessageCallback);
static const char *all[] = { ${allFunctions.map((f) => `"fmi3${f}"`).join(', ')} };
int main(int argc, char **argv) {
  static char ki[99], ko[99]; static unsigned ri[99], ro[99];
  (void)argc;
  lib = dlopen(argv[1], RTLD_NOW);
  if (!lib) return 2;
  int ni = parse(argv[2], ki, ri), no = parse(argv[3], ko, ro);
  if (strcmp(((Version)get("fmi3GetVersion"))(), "3.0")) return 4;
  Make make = (Make)get("fmi3InstantiateCoSimulation");
  fmi3Instance u = make("u", "${token}", NULL, false, false, false, false, NULL, 0, NULL, told, NULL);
  if (!u) return 5;
  for (size_t k = 0; k < sizeof all / sizeof *all; k++) get(all[k]);
  ((Begin)get("fmi3EnterInitializationMode"))(u, false, 0, 0, false, 0);
  ((Plain)get("fmi3ExitInitializationMode"))(u);
  Step step = (Step)get("fmi3DoStep");
  double t = 0, last = 0; fmi3Boolean a, b, c; int steps, n = 0; fmi3FMUState kept = NULL;
  while (scanf("%d", &steps) == 1) {
    for (int k = 0; k < ni; k++) {
      double x;
      if (scanf("%lf", &x) != 1) return 6;
      float f = (float)x; fmi3Int32 i = (fmi3Int32)x; bool z = x != 0;
      if (ki[k] == 'F') ((SetF)get("fmi3SetFloat32"))(u, &ri[k], 1, &f, 1);
      else if (ki[k] == 'I') ((SetI)get("fmi3SetInt32"))(u, &ri[k], 1, &i, 1);
      else ((SetB)get("fmi3SetBoolean"))(u, &ri[k], 1, &z, 1);
    }
    for (int again = 0; again < (n % 10 == 0 ? 2 : 1); again++) {
      if (n % 10 == 0 && again == 0) {
        size_t size = 0;
        fmi3FMUState now = NULL;
        ((Keep)get("fmi3GetFMUState"))(u, &now);
        if (((Size)get("fmi3SerializedFMUStateSize"))(u, now, &size) != fmi3OK || size == 0) return 12;
        fmi3Byte *bytes = malloc(size);
        if (((Pack)get("fmi3SerializeFMUState"))(u, now, bytes, size) != fmi3OK) return 13;
        memset(now, 0, size);
        ((Keep)get("fmi3FreeFMUState"))(u, &now);
        if (((Unpack)get("fmi3DeserializeFMUState"))(u, bytes, size, &kept) != fmi3OK) return 14;
        if (n == 0 && ((Unpack)get("fmi3DeserializeFMUState"))(u, bytes, size - 1, &kept) != fmi3Error) return 15;
        free(bytes);
      }
      if (again) ((Put)get("fmi3SetFMUState"))(u, kept);
      if (step(u, t, steps * 0.001, true, &a, &b, &c, &last) != fmi3OK) return 7;
    }
    t += steps * 0.001; n++;
    unsigned zero = 0; double now = 0;
    ((GetD)get("fmi3GetFloat64"))(u, &zero, 1, &now, 1);
    if (now - t > 1e-9 || t - now > 1e-9 || last != now) return 8;
    for (int k = 0; k < no; k++) {
      float f; fmi3Int32 i; bool z;
      if (ko[k] == 'F') { ((GetF)get("fmi3GetFloat32"))(u, &ro[k], 1, &f, 1); printf("%.9g", (double)f); }
      else if (ko[k] == 'I') { ((GetI)get("fmi3GetInt32"))(u, &ro[k], 1, &i, 1); printf("%d", i); }
      else { ((GetB)get("fmi3GetBoolean"))(u, &ro[k], 1, &z, 1); printf("%d", z); }
      putchar(k == no - 1 ? '\\n' : ' ');
    }
  }
  fmi3Int32 one = 1; unsigned none = 9999;
  if (step(u, t, 0.0004, true, &a, &b, &c, &last) != fmi3Error) return 9;
  if (((SetI)get("fmi3SetInt32"))(u, &none, 1, &one, 1) != fmi3Error) return 10;
  fmi3String words = NULL;
  if (((GetS)get("fmi3GetString"))(u, &none, 1, &words, 1) != fmi3Error) return 16;
  if (((Exchange)get("fmi3InstantiateModelExchange"))("u", "${token}", NULL, false, false, NULL, told)) return 17;
  if (make("u", "{other}", NULL, false, false, false, false, NULL, 0, NULL, told, NULL)) return 11;
  ((Keep)get("fmi3FreeFMUState"))(u, &kept);
  ((void (*)(fmi3Instance))get("fmi3FreeInstance"))(u);
  return 0;
}
`;
