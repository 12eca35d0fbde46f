import { markOf } from '../project/equations';
import { legalName } from './c-names';
import { helpers, keptInMember, keptNumber, valueOfMember } from './c-helpers';
import { doubleText, floatText } from './c-text';
import type { Slot, StepExpr, StepProgram, StepType } from './step-program';
import { attributes, buildDescription, describe, interfaceText, unitText, type UnitParts } from './fmi-unit';
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
  return describe({
    name: program.name,
    own,
    token,
    note: program.note,
    can: { fixedInternalStepSize: String(period) },
    step: period,
    units,
    variables: lines,
    outputs: outputs.map((v) => v.reference),
  });
}

// --- functions

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
  const accessOf = (type: FmiVariable['type']): UnitParts['access'][number] => ({
    type,
    beforeGet: [],
    afterSet: [],
    get: ofType(type).map((v) => [v.reference, valueOfMember(slots[v.slot], `u->${memberOf(v)}`)]),
    set: ofType(type).flatMap((v) =>
      v.causality === 'output'
        ? []
        : [[v.reference, `u->${memberOf(v)} = ${keptInMember(slots[v.slot], 'values[k]', needed)};`] as const],
    ),
  });
  const access = (['Float32', 'Int32', 'Boolean'] as const).map(accessOf);
  const starts = variables.flatMap((v) => {
    const { start, type, storage } = slots[v.slot];
    const value = constantOf(start) ?? 0;
    if (v.causality !== 'input' || value === 0) return [];
    const text = storage
      ? keptNumber(value, type, storage)
      : v.type === 'Float32'
        ? floatText(value)
        : v.type === 'Boolean'
          ? 'true'
          : String(value | 0);
    return [`u->${memberOf(v)} = ${text};`];
  });
  return unitText({
    own,
    about: '',
    token,
    before: `static const double period = ${doubleText(period)};\n\n${[...helpers(needed, period), ''].join('\n')}`,
    members: [`${own}_state state;`, `${own}_in in;`, `${own}_out out;`, 'long steps;'],
    begin: [
      ...['state', 'in', 'out'].map((m) => `memset(&u->${m}, 0, sizeof u->${m});`),
      `${own}_init(&u->state);`,
      'u->steps = 0;',
      ...starts,
    ],
    exit: [],
    declared: [
      'double exact = size / period;',
      'long wanted = (long)(exact + 0.5);',
      'long k;',
      ...sends.map((v) => `int32_t sent_${names[v.slot]} = 0;`),
    ],
    step: [
      'if (wanted < 1 || exact - (double)wanted > 1e-6',
      '    || (double)wanted - exact > 1e-6) {',
      `    return complain(u, "fmi3DoStep: a whole number of steps of ${period} s is needed");`,
      '}',
      'for (k = 0; k < wanted; k++) {',
      `    ${own}_step(&u->state, &u->in, &u->out);`,
      '    u->steps++;',
      ...counters.map((v) => `    u->${memberOf(v)} = 0;`),
      ...sends.map((v) => `    sent_${names[v.slot]} += u->${memberOf(v)};`),
      '}',
      ...sends.map((v) => `u->${memberOf(v)} = sent_${names[v.slot]};`),
      'u->time += (double)wanted * period;',
    ],
    access: [{ type: 'Float64', beforeGet: [], afterSet: [], get: [[0, 'u->time']], set: [] }, ...access],
  });
}
