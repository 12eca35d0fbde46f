import { markOf } from '../project/equations';
import { legalName } from './c-names';
import { helpers, keptInMember, keptNumber, valueOfMember } from './c-helpers';
import { floatText } from './c-text';
import type { Slot, StepExpr, StepProgram, StepType } from './step-program';
import type { CSource } from './write-c';

/**
 * A program of steps as a unit for co-simulation in source form, after the Functional Mock-up Interface 3.0 (Modelica Association 2022): its
 * description, and the functions it asks for around the generated C. A communication step is a whole number of steps; each goes with the inputs
 * at its beginning.
 */
export interface FmiFiles {
  /** By path in the archive. */
  readonly files: ReadonlyMap<string, string>;
  readonly variables: readonly FmiVariable[];
}

export interface FmiVariable {
  readonly name: string;
  readonly reference: number;
  readonly slot: number;
  readonly type: 'Float32' | 'Int32' | 'Boolean';
  readonly causality: 'input' | 'output' | 'parameter';
}

const typeNames: Readonly<Record<StepType, FmiVariable['type']>> = { f32: 'Float32', i32: 'Int32', bool: 'Boolean' };
const causalities = { input: 'input', output: 'output', parameter: 'parameter' } as const;

/** Variables that others see: inputs, outputs and parameters, each once. Time has the reference 0. */
export function fmiVariables({ slots }: StepProgram): readonly FmiVariable[] {
  const taken = new Set<string>(['time']);
  const found: FmiVariable[] = [];
  slots.forEach((s, slot) => {
    if ((s.role !== 'input' && s.role !== 'output' && s.role !== 'parameter') || s.size > 0) return;
    // what comes in and goes out under one name are two variables
    let name = s.name;
    for (let k = 0; taken.has(name); k++) name = `${s.name}_${s.role}${k === 0 ? '' : k}`;
    taken.add(name);
    found.push({ name, reference: found.length + 1, slot, type: typeNames[s.type], causality: causalities[s.role] });
  });
  return found;
}

export function writeFmi(program: StepProgram, c: CSource): FmiFiles {
  const own = legalName(program.name);
  const variables = fmiVariables(program);
  // tells units of different code apart
  const token = `{${markOf(`${c.header}\n${c.source}`)}}`;
  return {
    variables,
    files: new Map([
      ['modelDescription.xml', description(program, own, variables, token)],
      ['sources/buildDescription.xml', buildDescription(own)],
      [`sources/${own}.h`, c.header],
      [`sources/${own}.c`, c.source],
      ['sources/fmi3.h', interfaceText],
      [`sources/${own}_fmi.c`, functionsText(program, c, own, variables, token)],
    ]),
  };
}

// --- description

const escaped = (text: string): string =>
  text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;').replace(/"/g, '&quot;').replace(/\s+/g, ' ');
const attributes = (all: Readonly<Record<string, string | undefined>>): string =>
  Object.entries(all)
    .flatMap(([name, value]) => (value === undefined || value === '' ? [] : [` ${name}="${escaped(value)}"`]))
    .join('');

function startText({ start, type }: Slot): string {
  const value = constantOf(start) ?? 0;
  return type === 'bool' ? String(value !== 0) : type === 'i32' ? String(value | 0) : String(Math.fround(value));
}
const constantOf = (e: StepExpr): number | undefined =>
  e.op === 'const'
    ? e.value
    : e.op === 'neg'
      ? negative(constantOf(e.a))
      : e.op === 'toReal'
        ? constantOf(e.a)
        : undefined;
const negative = (x: number | undefined): number | undefined => (x === undefined ? undefined : -x);

function description(program: StepProgram, own: string, variables: readonly FmiVariable[], token: string): string {
  const { slots, period } = program;
  const units = [...new Set(variables.map((v) => slots[v.slot].unit).filter((u) => u !== '' && u !== '1'))];
  const outputs = variables.filter((v) => v.causality === 'output');
  const lines = variables.map((v) => {
    const slot = slots[v.slot];
    return `    <${v.type}${attributes({
      name: v.name,
      valueReference: String(v.reference),
      causality: v.causality,
      variability: v.causality === 'parameter' ? 'tunable' : 'discrete',
      description: slot.note,
      ...(v.type === 'Float32' && slot.unit !== '1' && { unit: slot.unit }),
      ...(v.causality !== 'output' && { start: startText(slot) }),
    })}/>`;
  });
  return [
    '<?xml version="1.0" encoding="UTF-8"?>',
    `<fmiModelDescription${attributes({
      fmiVersion: '3.0',
      modelName: program.name,
      instantiationToken: token,
      description: program.note,
      generationTool: 'Zelvar',
      variableNamingConvention: 'structured',
    })}>`,
    `  <CoSimulation${attributes({
      modelIdentifier: own,
      canHandleVariableCommunicationStepSize: 'true',
      fixedInternalStepSize: String(period),
      canGetAndSetFMUState: 'true',
    })}/>`,
    ...(units.length > 0
      ? ['  <UnitDefinitions>', ...units.map((u) => `    <Unit${attributes({ name: u })}/>`), '  </UnitDefinitions>']
      : []),
    `  <DefaultExperiment${attributes({ startTime: '0', stepSize: String(period) })}/>`,
    '  <ModelVariables>',
    '    <Float64 name="time" valueReference="0" causality="independent" variability="continuous" unit="s"/>',
    ...lines,
    '  </ModelVariables>',
    '  <ModelStructure>',
    ...outputs.map((v) => `    <Output valueReference="${v.reference}"/>`),
    ...outputs.map((v) => `    <InitialUnknown valueReference="${v.reference}"/>`),
    '  </ModelStructure>',
    '</fmiModelDescription>',
    '',
  ]
    .join('\n')
    .replace(' unit="s"/>\n', units.includes('s') ? ' unit="s"/>\n' : '/>\n');
}

const buildDescription = (own: string): string => `<?xml version="1.0" encoding="UTF-8"?>
<fmiBuildDescription fmiVersion="3.0">
  <BuildConfiguration modelIdentifier="${own}">
    <SourceFileSet language="C99">
      <SourceFile name="${own}.c"/>
      <SourceFile name="${own}_fmi.c"/>
    </SourceFileSet>
  </BuildConfiguration>
</fmiBuildDescription>
`;

// --- functions

/** Types of the interface, as far as they are needed. */
const interfaceText = `/* Types of the Functional Mock-up Interface 3.0, as far as they are used. */
#ifndef FMI3_H
#define FMI3_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

typedef void *fmi3Instance;
typedef void *fmi3InstanceEnvironment;
typedef void *fmi3FMUState;
typedef uint32_t fmi3ValueReference;
typedef float fmi3Float32;
typedef double fmi3Float64;
typedef int32_t fmi3Int32;
typedef bool fmi3Boolean;
typedef uint8_t fmi3Byte;
typedef const char *fmi3String;
typedef enum {
    fmi3OK,
    fmi3Warning,
    fmi3Discard,
    fmi3Error,
    fmi3Fatal
} fmi3Status;
typedef void (*fmi3LogMessageCallback)(fmi3InstanceEnvironment environment,
    fmi3Status status, fmi3String category, fmi3String message);
typedef void (*fmi3IntermediateUpdateCallback)(
    fmi3InstanceEnvironment environment, fmi3Float64 time,
    fmi3Boolean canGet, fmi3Boolean canSet, fmi3Boolean finished,
    fmi3Boolean canReturn, fmi3Boolean *returnRequested,
    fmi3Float64 *returnTime);

#if defined _WIN32
#define FMI3_EXPORT __declspec(dllexport)
#elif defined __GNUC__
#define FMI3_EXPORT __attribute__((visibility("default")))
#else
#define FMI3_EXPORT
#endif

#endif
`;

const places: Readonly<Record<FmiVariable['causality'], string>> = {
  input: 'in.',
  output: 'out.',
  parameter: 'state.param.',
};

function functionsText(
  program: StepProgram,
  { names }: CSource,
  own: string,
  variables: readonly FmiVariable[],
  token: string,
): string {
  const { slots, period } = program;
  const memberOf = (v: FmiVariable): string => `${places[v.causality]}${names[v.slot]}`;
  const counters = variables.filter((v) => slots[v.slot].is === 'messages' && v.causality === 'input');
  const sends = variables.filter((v) => v.causality === 'output' && slots[v.slot].is === 'messages');
  const ofType = (type: FmiVariable['type']): readonly FmiVariable[] => variables.filter((v) => v.type === type);
  const needed = new Set<string>();
  const access = (type: FmiVariable['type']): string => {
    const c = `fmi3${type}`;
    const get = ofType(type).map((v) => [
      `        case ${v.reference}u:`,
      `            values[k] = (${c})${valueOfMember(slots[v.slot], `u->${memberOf(v)}`)};`,
      '            break;',
    ]);
    const set = ofType(type)
      .filter((v) => v.causality !== 'output')
      .map((v) => [
        `        case ${v.reference}u:`,
        `            u->${memberOf(v)} = ${keptInMember(slots[v.slot], 'values[k]', needed)};`,
        '            break;',
      ]);
    const one = (what: 'Get' | 'Set', cases: readonly (readonly string[])[]): readonly string[] => [
      `FMI3_EXPORT fmi3Status fmi3${what}${type}(fmi3Instance instance,`,
      `    const fmi3ValueReference references[], size_t count,`,
      `    ${what === 'Set' ? 'const ' : ''}${c} values[], size_t valueCount)`,
      '{',
      '    unit *u = (unit *)instance;',
      '    size_t k;',
      '',
      ...(cases.length === 0 ? ['    (void)values;'] : []),
      '    if (valueCount != count) {',
      `        return complain(u, "fmi3${what}${type}: a value for each reference is needed");`,
      '    }',
      '    for (k = 0; k < count; k++) {',
      '        switch (references[k]) {',
      ...cases.flat(),
      '        default:',
      `            return complain(u, "fmi3${what}${type}: there is no such variable${what === 'Set' ? ' to be set' : ''}");`,
      '        }',
      '    }',
      '    return fmi3OK;',
      '}',
      '',
    ];
    return [...one('Get', get), ...one('Set', set)].join('\n');
  };
  const values = (['Float32', 'Int32', 'Boolean'] as const).map(access).join('\n');
  return `/* The functions that co-simulation by FMI 3.0 asks for, around ${own}. */
#include "${own}.h"
#include "fmi3.h"
#include <stdlib.h>
#include <string.h>

typedef struct {
    ${own}_state state;
    ${own}_in in;
    ${own}_out out;
    double time;
    long steps;
    fmi3InstanceEnvironment environment;
    fmi3LogMessageCallback log;
} unit;

static const double period = ${doubleText(period)};

${[...helpers(needed, period), ''].join('\n')}static fmi3Status complain(const unit *u, const char *message)
{
    if (u->log != NULL) {
        u->log(u->environment, fmi3Error, "error", message);
    }
    return fmi3Error;
}

/* Everything as it begins. */
static void begin(unit *u)
{
    memset(&u->state, 0, sizeof u->state);
    memset(&u->in, 0, sizeof u->in);
    memset(&u->out, 0, sizeof u->out);
    ${own}_init(&u->state);
    u->time = 0.0;
    u->steps = 0;
${variables
  .filter((v) => v.causality === 'input')
  .flatMap((v) => {
    const { start, type, storage } = slots[v.slot];
    const value = constantOf(start) ?? 0;
    return value === 0
      ? []
      : [
          `    u->${memberOf(v)} = ${storage ? keptNumber(value, type, storage) : v.type === 'Float32' ? floatText(value) : v.type === 'Boolean' ? 'true' : String(value | 0)};`,
        ];
  })
  .join('\n')}
}

FMI3_EXPORT fmi3String fmi3GetVersion(void)
{
    return "3.0";
}

FMI3_EXPORT fmi3Status fmi3SetDebugLogging(fmi3Instance instance,
    fmi3Boolean on, size_t count, const fmi3String categories[])
{
    (void)instance;
    (void)on;
    (void)count;
    (void)categories;
    return fmi3OK;
}

FMI3_EXPORT fmi3Instance fmi3InstantiateCoSimulation(fmi3String name,
    fmi3String token, fmi3String resources, fmi3Boolean visible,
    fmi3Boolean logging, fmi3Boolean eventMode, fmi3Boolean early,
    const fmi3ValueReference required[], size_t requiredCount,
    fmi3InstanceEnvironment environment, fmi3LogMessageCallback log,
    fmi3IntermediateUpdateCallback update)
{
    unit *u;

    (void)name;
    (void)resources;
    (void)visible;
    (void)logging;
    (void)eventMode;
    (void)early;
    (void)required;
    (void)requiredCount;
    (void)update;
    if (token == NULL || strcmp(token, "${token}") != 0) {
        if (log != NULL) {
            log(environment, fmi3Error, "error",
                "The description is of another state of this unit");
        }
        return NULL;
    }
    u = (unit *)malloc(sizeof *u);
    if (u != NULL) {
        u->environment = environment;
        u->log = log;
        begin(u);
    }
    return u;
}

FMI3_EXPORT void fmi3FreeInstance(fmi3Instance instance)
{
    free(instance);
}

FMI3_EXPORT fmi3Status fmi3EnterInitializationMode(fmi3Instance instance,
    fmi3Boolean hasTolerance, fmi3Float64 tolerance, fmi3Float64 start,
    fmi3Boolean hasStop, fmi3Float64 stop)
{
    unit *u = (unit *)instance;

    (void)hasTolerance;
    (void)tolerance;
    (void)hasStop;
    (void)stop;
    u->time = start;
    u->steps = 0;
    return fmi3OK;
}

FMI3_EXPORT fmi3Status fmi3ExitInitializationMode(fmi3Instance instance)
{
    (void)instance;
    return fmi3OK;
}

FMI3_EXPORT fmi3Status fmi3Terminate(fmi3Instance instance)
{
    (void)instance;
    return fmi3OK;
}

FMI3_EXPORT fmi3Status fmi3Reset(fmi3Instance instance)
{
    begin((unit *)instance);
    return fmi3OK;
}

FMI3_EXPORT fmi3Status fmi3DoStep(fmi3Instance instance, fmi3Float64 current,
    fmi3Float64 size, fmi3Boolean noSetBefore, fmi3Boolean *needsEvents,
    fmi3Boolean *terminates, fmi3Boolean *early, fmi3Float64 *last)
{
    unit *u = (unit *)instance;
    double exact = size / period;
    long wanted = (long)(exact + 0.5);
    long k;
${sends.length > 0 ? sends.map((v) => `    int32_t sent_${names[v.slot]} = 0;`).join('\n') + '\n' : ''}
    (void)noSetBefore;
    (void)current;
    *needsEvents = false;
    *terminates = false;
    *early = false;
    *last = u->time;
    if (wanted < 1 || exact - (double)wanted > 1e-6
        || (double)wanted - exact > 1e-6) {
        return complain(u, "fmi3DoStep: a whole number of steps of ${period} s is needed");
    }
    for (k = 0; k < wanted; k++) {
        ${own}_step(&u->state, &u->in, &u->out);
        u->steps++;
${counters.map((v) => `        u->${memberOf(v)} = 0;`).join('\n')}${counters.length > 0 ? '\n' : ''}${sends.map((v) => `        sent_${names[v.slot]} += u->${memberOf(v)};`).join('\n')}${sends.length > 0 ? '\n' : ''}    }
${sends.map((v) => `    u->${memberOf(v)} = sent_${names[v.slot]};`).join('\n')}${sends.length > 0 ? '\n' : ''}    u->time += (double)wanted * period;
    *last = u->time;
    return fmi3OK;
}

FMI3_EXPORT fmi3Status fmi3GetFMUState(fmi3Instance instance,
    fmi3FMUState *state)
{
    if (*state == NULL) {
        *state = malloc(sizeof(unit));
    }
    if (*state == NULL) {
        return fmi3Fatal;
    }
    memcpy(*state, instance, sizeof(unit));
    return fmi3OK;
}

FMI3_EXPORT fmi3Status fmi3SetFMUState(fmi3Instance instance,
    fmi3FMUState state)
{
    unit *u = (unit *)instance;
    fmi3InstanceEnvironment environment = u->environment;
    fmi3LogMessageCallback log = u->log;

    memcpy(u, state, sizeof *u);
    u->environment = environment;
    u->log = log;
    return fmi3OK;
}

FMI3_EXPORT fmi3Status fmi3FreeFMUState(fmi3Instance instance,
    fmi3FMUState *state)
{
    (void)instance;
    free(*state);
    *state = NULL;
    return fmi3OK;
}

FMI3_EXPORT fmi3Status fmi3GetFloat64(fmi3Instance instance,
    const fmi3ValueReference references[], size_t count,
    fmi3Float64 values[], size_t valueCount)
{
    unit *u = (unit *)instance;
    size_t k;

    if (valueCount != count) {
        return complain(u, "fmi3GetFloat64: a value for each reference is needed");
    }
    for (k = 0; k < count; k++) {
        if (references[k] != 0u) {
            return complain(u, "fmi3GetFloat64: there is no such variable");
        }
        values[k] = u->time;
    }
    return fmi3OK;
}

${values}`;
}

const doubleText = (x: number): string => (/[.e]/.test(String(x)) ? String(x) : `${x}.0`);
