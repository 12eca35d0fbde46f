/**
 * Units for co-simulation in source form, after the Functional Mock-up Interface 3.0 (Modelica Association 2022): what all of them have, whatever
 * is stepped in them.
 */
export type FmiType = 'Float32' | 'Float64' | 'Int32' | 'Boolean';

export const escaped = (text: string): string =>
  text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;').replace(/"/g, '&quot;').replace(/\s+/g, ' ');
export const attributes = (all: Readonly<Record<string, string | undefined>>): string =>
  Object.entries(all)
    .flatMap(([name, value]) => (value === undefined || value === '' ? [] : [` ${name}="${escaped(value)}"`]))
    .join('');

export const buildDescription = (own: string): string => `<?xml version="1.0" encoding="UTF-8"?>
<fmiBuildDescription fmiVersion="3.0">
  <BuildConfiguration modelIdentifier="${own}">
    <SourceFileSet language="C99">
      <SourceFile name="${own}.c"/>
      <SourceFile name="${own}_fmi.c"/>
    </SourceFileSet>
  </BuildConfiguration>
</fmiBuildDescription>
`;

/** What a unit says of itself; its time has the reference 0. */
export const describe = ({
  name,
  own,
  token,
  note,
  can,
  step,
  units,
  variables,
  outputs,
}: {
  readonly name: string;
  readonly own: string;
  readonly token: string;
  readonly note: string;
  readonly can: Readonly<Record<string, string>>;
  readonly step: number;
  readonly units: readonly string[];
  /** An element each. */
  readonly variables: readonly string[];
  readonly outputs: readonly number[];
}): string =>
  [
    '<?xml version="1.0" encoding="UTF-8"?>',
    `<fmiModelDescription${attributes({
      fmiVersion: '3.0',
      modelName: name,
      instantiationToken: token,
      description: note,
      generationTool: 'Zelvar',
      variableNamingConvention: 'structured',
    })}>`,
    `  <CoSimulation${attributes({
      modelIdentifier: own,
      canHandleVariableCommunicationStepSize: 'true',
      ...can,
      canGetAndSetFMUState: 'true',
      canSerializeFMUState: 'true',
    })}/>`,
    ...(units.length > 0
      ? ['  <UnitDefinitions>', ...units.map((u) => `    <Unit${attributes({ name: u })}/>`), '  </UnitDefinitions>']
      : []),
    `  <DefaultExperiment${attributes({ startTime: '0', stepSize: String(step) })}/>`,
    '  <ModelVariables>',
    `    <Float64 name="time" valueReference="0" causality="independent" variability="continuous"${units.includes('s') ? ' unit="s"' : ''}/>`,
    ...variables,
    '  </ModelVariables>',
    '  <ModelStructure>',
    ...outputs.map((r) => `    <Output valueReference="${r}"/>`),
    ...outputs.map((r) => `    <InitialUnknown valueReference="${r}"/>`),
    '  </ModelStructure>',
    '</fmiModelDescription>',
    '',
  ].join('\n');

/** Types of the interface, as far as they are needed. */
export const interfaceText = `/* Types of the Functional Mock-up Interface 3.0, as far as they are used. */
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
typedef const fmi3Byte *fmi3Binary;
typedef bool fmi3Clock;
typedef uint64_t fmi3UInt64;
typedef enum {
    fmi3IntervalNotYetKnown,
    fmi3IntervalUnchanged,
    fmi3IntervalChanged
} fmi3IntervalQualifier;
typedef enum {
    fmi3Independent,
    fmi3Constant,
    fmi3Fixed,
    fmi3Tunable,
    fmi3Discrete,
    fmi3Dependent
} fmi3DependencyKind;
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

/** What is stepped in a unit, as lines of C. */
export interface UnitParts {
  readonly own: string;
  readonly about: string;
  readonly token: string;
  /** What stands before the unit itself: constants and functions. */
  readonly before: string;
  /** What stands behind it: functions of it. */
  readonly between?: string;
  /** Members of the unit beside its time. */
  readonly members: readonly string[];
  /** Everything as it begins. */
  readonly begin: readonly string[];
  /** As its initialization begins, with a tolerance or without. */
  readonly enter?: readonly string[];
  /** At the end of it. */
  readonly exit: readonly string[];
  /** Of a communication step: what is declared, and what is done. */
  readonly declared: readonly string[];
  readonly step: readonly string[];
  /** Values by type: what is done before they are asked for, and the lines for each reference. */
  readonly access: readonly {
    readonly type: FmiType;
    readonly beforeGet: readonly string[];
    readonly afterSet: readonly string[];
    readonly get: readonly (readonly [reference: number, value: string])[];
    readonly set: readonly (readonly [reference: number, line: string])[];
  }[];
}

const lines = (rows: readonly string[], indent = 4): string =>
  rows.map((r) => (r === '' ? '\n' : `${' '.repeat(indent)}${r}\n`)).join('');

function accessText({ type, beforeGet, afterSet, get, set }: UnitParts['access'][number]): string {
  const c = `fmi3${type}`;
  const one = (
    what: 'Get' | 'Set',
    cases: readonly string[],
    first: readonly string[],
    last: readonly string[],
  ): string =>
    `FMI3_EXPORT fmi3Status fmi3${what}${type}(fmi3Instance instance,
    const fmi3ValueReference references[], size_t count,
    ${what === 'Set' ? 'const ' : ''}${c} values[], size_t valueCount)
{
    unit *u = (unit *)instance;
    size_t k;

${lines(cases.length === 0 ? ['(void)values;'] : [])}    if (valueCount != count) {
        return complain(u, "fmi3${what}${type}: a value for each reference is needed");
    }
${lines(first)}    for (k = 0; k < count; k++) {
        switch (references[k]) {
${lines(cases, 8)}        default:
            return complain(u, "fmi3${what}${type}: there is no such variable${what === 'Set' ? ' to be set' : ''}");
        }
    }
${lines(last)}    return fmi3OK;
}

`;
  const cases = (rows: UnitParts['access'][number]['get'], line: (text: string) => string): readonly string[] =>
    rows.flatMap(([reference, text]) => [`case ${reference}u:`, `    ${line(text)}`, '    break;']);
  return (
    one(
      'Get',
      cases(get, (value) => `values[k] = (${c})${value};`),
      beforeGet,
      [],
    ) +
    one(
      'Set',
      cases(set, (line) => line),
      [],
      set.length > 0 ? afterSet : [],
    )
  );
}

const references = 'const fmi3ValueReference references[], size_t count';
const derivatives =
  'const fmi3ValueReference unknowns[], size_t unknownCount, const fmi3ValueReference knowns[], size_t knownCount, const fmi3Float64 seed[], size_t seedCount, fmi3Float64 sensitivity[], size_t sensitivityCount';
const fraction = (of: string): string => `${references}, ${of}fmi3UInt64 counters[], ${of}fmi3UInt64 resolutions[]`;
const valuesOf = (type: string, of: string, c = `fmi3${type}`): string =>
  `${references}, ${of}${c} values[], size_t valueCount`;
const typesOfC: Readonly<Record<string, string>> = {
  Int8: 'int8_t',
  UInt8: 'uint8_t',
  Int16: 'int16_t',
  UInt16: 'uint16_t',
  UInt32: 'uint32_t',
  Int64: 'int64_t',
  UInt64: 'uint64_t',
};
/** What the interface has and a unit does not: an importer that looks for all functions finds them, and is told when it calls one. */
const notThere: readonly (readonly [name: string, parameters: string])[] = [
  ...Object.entries({
    ...typesOfC,
    Float32: 'fmi3Float32',
    Float64: 'fmi3Float64',
    Int32: 'fmi3Int32',
    Boolean: 'fmi3Boolean',
    String: 'fmi3String',
  }).flatMap(
    ([type, c]) =>
      [
        [`Get${type}`, valuesOf(type, '', c)],
        [`Set${type}`, valuesOf(type, 'const ', c)],
      ] as const,
  ),
  ['GetBinary', `${references}, size_t sizes[], fmi3Binary values[], size_t valueCount`],
  ['SetBinary', `${references}, const size_t sizes[], const fmi3Binary values[], size_t valueCount`],
  ['GetClock', `${references}, fmi3Clock values[]`],
  ['SetClock', `${references}, const fmi3Clock values[]`],
  ['GetNumberOfVariableDependencies', 'fmi3ValueReference reference, size_t *count'],
  [
    'GetVariableDependencies',
    'fmi3ValueReference dependent, size_t elements[], fmi3ValueReference independents[], size_t theirElements[], fmi3DependencyKind kinds[], size_t count',
  ],
  ['GetDirectionalDerivative', derivatives],
  ['GetAdjointDerivative', derivatives],
  ['EnterConfigurationMode', ''],
  ['ExitConfigurationMode', ''],
  ['GetIntervalDecimal', `${references}, fmi3Float64 intervals[], fmi3IntervalQualifier qualifiers[]`],
  ['GetIntervalFraction', `${fraction('')}, fmi3IntervalQualifier qualifiers[]`],
  ['GetShiftDecimal', `${references}, fmi3Float64 shifts[]`],
  ['GetShiftFraction', fraction('')],
  ['SetIntervalDecimal', `${references}, const fmi3Float64 intervals[]`],
  ['SetIntervalFraction', fraction('const ')],
  ['SetShiftDecimal', `${references}, const fmi3Float64 shifts[]`],
  ['SetShiftFraction', fraction('const ')],
  ['EvaluateDiscreteStates', ''],
  [
    'UpdateDiscreteStates',
    'fmi3Boolean *needed, fmi3Boolean *terminates, fmi3Boolean *nominalsChanged, fmi3Boolean *statesChanged, fmi3Boolean *hasNext, fmi3Float64 *next',
  ],
  ['EnterEventMode', ''],
  ['EnterStepMode', ''],
  ['GetOutputDerivatives', `${references}, const fmi3Int32 orders[], fmi3Float64 values[], size_t valueCount`],
];
/** Ways to begin one that is stepped by somebody else, or runs by clocks. */
const otherWays: readonly (readonly [name: string, more: string])[] = [
  ['ModelExchange', ''],
  ['ScheduledExecution', ', void (*clock)(fmi3InstanceEnvironment), void (*lock)(void), void (*unlock)(void)'],
];
const parameterNames = (parameters: string): readonly string[] =>
  parameters
    .replace(/\(\*(\w+)\)\([^)]*\)/g, '$1')
    .split(', ')
    .flatMap((p) => /(\w+)(\[\])?$/.exec(p)?.[1] ?? []);
/** A head of a function in rows that are not too wide. */
function headText(result: string, name: string, parameters: string): string {
  const rows: string[] = [];
  let row = `FMI3_EXPORT ${result} ${name}(`;
  for (const [k, p] of parameters.split(', ').entries()) {
    const text = k === 0 ? p : ` ${p}`;
    if (row.length + text.length > 78) {
      rows.push(row.trimEnd());
      row = `    ${p}`;
    } else row += text;
    row += ',';
  }
  return [...rows, `${row.slice(0, -1)})`].join('\n');
}
function restText(have: readonly FmiType[]): string {
  const there = new Set(have.flatMap((t) => [`Get${t}`, `Set${t}`]));
  const unused = (parameters: string): string => lines(parameterNames(parameters).map((n) => `(void)${n};`));
  return [
    ...notThere
      .filter(([name]) => !there.has(name))
      .map(
        ([
          name,
          parameters,
        ]) => `${headText('fmi3Status', `fmi3${name}`, `fmi3Instance instance${parameters === '' ? '' : `, ${parameters}`}`)}
{
${unused(parameters)}    return complain((const unit *)instance,
        "fmi3${name}: this unit has nothing of it");
}
`,
      ),
    ...otherWays.map(([name, more]) => {
      const parameters = `fmi3String name, fmi3String token, fmi3String resources, fmi3Boolean visible, fmi3Boolean logging, fmi3InstanceEnvironment environment, fmi3LogMessageCallback log${more}`;
      return `${headText('fmi3Instance', `fmi3Instantiate${name}`, parameters)}
{
${lines(
  parameterNames(parameters)
    .filter((n) => n !== 'environment' && n !== 'log')
    .map((n) => `(void)${n};`),
)}    if (log != NULL) {
        log(environment, fmi3Error, "error", "This unit is for co-simulation only");
    }
    return NULL;
}
`;
    }),
  ].join('\n');
}

/** The functions that co-simulation asks for. */
export function unitText({
  own,
  about,
  token,
  before,
  between = '',
  members,
  begin,
  enter = ['(void)hasTolerance;', '(void)tolerance;'],
  exit,
  declared,
  step,
  access,
}: UnitParts): string {
  return `/* The functions that co-simulation by FMI 3.0 asks for, around ${own}${about}. */
#include "${own}.h"
#include "fmi3.h"
#include <stdlib.h>
#include <string.h>

typedef struct {
${lines(members)}    double time;
    fmi3InstanceEnvironment environment;
    fmi3LogMessageCallback log;
} unit;

${before}static fmi3Status complain(const unit *u, const char *message)
{
    if (u->log != NULL) {
        u->log(u->environment, fmi3Error, "error", message);
    }
    return fmi3Error;
}

${between}/* Everything as it begins. */
static void begin(unit *u)
{
    u->time = 0.0;
${lines(begin)}}

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

${lines(enter)}    (void)hasStop;
    (void)stop;
    u->time = start;
    return fmi3OK;
}

FMI3_EXPORT fmi3Status fmi3ExitInitializationMode(fmi3Instance instance)
{
${lines(exit.length > 0 ? exit : ['(void)instance;', 'return fmi3OK;'])}}

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
${lines(declared)}
    (void)noSetBefore;
    (void)current;
    *needsEvents = false;
    *terminates = false;
    *early = false;
    *last = u->time;
${lines(step)}    *last = u->time;
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

FMI3_EXPORT fmi3Status fmi3SerializedFMUStateSize(fmi3Instance instance,
    fmi3FMUState state, size_t *size)
{
    (void)instance;
    (void)state;
    *size = sizeof(unit);
    return fmi3OK;
}

FMI3_EXPORT fmi3Status fmi3SerializeFMUState(fmi3Instance instance,
    fmi3FMUState state, fmi3Byte bytes[], size_t size)
{
    if (size != sizeof(unit)) {
        return complain((const unit *)instance,
            "fmi3SerializeFMUState: another size is needed");
    }
    memcpy(bytes, state, sizeof(unit));
    return fmi3OK;
}

FMI3_EXPORT fmi3Status fmi3DeserializeFMUState(fmi3Instance instance,
    const fmi3Byte bytes[], size_t size, fmi3FMUState *state)
{
    if (size != sizeof(unit)) {
        return complain((const unit *)instance,
            "fmi3DeserializeFMUState: this is no state of this unit");
    }
    if (*state == NULL) {
        *state = malloc(sizeof(unit));
    }
    if (*state == NULL) {
        return fmi3Fatal;
    }
    memcpy(*state, bytes, sizeof(unit));
    return fmi3OK;
}

${access.map(accessText).join('')}/* What the interface has and this unit does not. */
${restText(access.map((a) => a.type))}`;
}
