import type { FlatVariable } from '../flatten/flat-model';
import { markOf } from '../project/equations';
import { legalName } from '../stepcode/c-names';
import {
  attributes,
  buildDescription,
  describe,
  interfaceText,
  unitText,
  type FmiType,
  type UnitParts,
} from '../stepcode/fmi-unit';
import type { ExplicitModel } from './explicit-model';
import { writePlant, type PlantSource } from './write-plant';

/** A variable of the unit. */
export interface PlantVariable {
  readonly name: string;
  readonly reference: number;
  /** Its number in the model. */
  readonly index: number;
  readonly type: FmiType;
  readonly causality: 'input' | 'output' | 'parameter' | 'local';
}

/** What is given without anybody giving it; 0 where that follows from other things. */
const constantStart = ({ binding, start }: FlatVariable): number => {
  const e = binding ?? start;
  return e?.op === 'const' ? e.value : 0;
};

const typeOf = (type: string): FmiType => (type === 'Real' ? 'Float64' : type === 'Boolean' ? 'Boolean' : 'Int32');

export function plantVariables({ solvable, inputs, outputs, parameters }: ExplicitModel): readonly PlantVariable[] {
  const causalities = new Map<number, PlantVariable['causality']>([
    ...parameters.map((k) => [k, 'parameter'] as const),
    ...outputs.map((k) => [k, 'output'] as const),
    ...inputs.map((k) => [k, 'input'] as const),
  ]);
  return solvable.model.variables.flatMap((v, index) => {
    const causality = causalities.get(index) ?? 'local';
    const isTold = causality !== 'local' || (!v.hidden && v.kind !== 'parameter' && v.kind !== 'constant');
    return v.type === 'String' || !isTold || v.name === 'time'
      ? []
      : [{ name: v.name, reference: index + 1, index, type: typeOf(v.type), causality }];
  });
}

/** A model of equations as a unit for co-simulation, by path in its archive: it goes on by steps whose error is kept within bounds. */
export function writePlantUnit(plant: ExplicitModel): {
  readonly files: ReadonlyMap<string, string>;
  readonly variables: readonly PlantVariable[];
} {
  const own = legalName(plant.name);
  const c = writePlant(plant);
  const variables = plantVariables(plant);
  const token = `{${markOf(`${c.header}\n${c.source}`)}}`;
  return {
    variables,
    files: new Map([
      ['modelDescription.xml', description(plant, own, token, variables)],
      ['sources/buildDescription.xml', buildDescription(own)],
      [`sources/${own}.h`, c.header],
      [`sources/${own}.c`, c.source],
      ['sources/fmi3.h', interfaceText],
      [`sources/${own}_fmi.c`, functions(c, own, token, variables)],
    ]),
  };
}

function description(plant: ExplicitModel, own: string, token: string, variables: readonly PlantVariable[]): string {
  const { model } = plant.solvable;
  const unitOf = (v: PlantVariable): string | undefined => {
    const { unit } = model.variables[v.index];
    return v.type === 'Float64' && unit !== '' && unit !== '1' ? unit : undefined;
  };
  return describe({
    name: plant.name,
    own,
    token,
    note: plant.note,
    can: {},
    step: 0.001,
    units: [...new Set([...variables.flatMap((v) => unitOf(v) ?? []), 's'])],
    variables: variables.map((v) => {
      const isGiven = v.causality === 'input' || v.causality === 'parameter';
      const start = isGiven ? constantStart(model.variables[v.index]) : undefined;
      return `    <${v.type}${attributes({
        name: v.name,
        valueReference: String(v.reference),
        causality: v.causality,
        variability: v.causality === 'parameter' ? 'tunable' : v.type === 'Float64' ? 'continuous' : 'discrete',
        description: model.variables[v.index].note,
        unit: unitOf(v),
        start:
          start === undefined
            ? undefined
            : v.type === 'Boolean'
              ? String(start !== 0)
              : String(v.type === 'Int32' ? Math.round(start) : start),
      })}/>`;
    }),
    outputs: variables.filter((v) => v.causality === 'output').map((v) => v.reference),
  });
}

function functions({ names }: PlantSource, own: string, token: string, variables: readonly PlantVariable[]): string {
  const kept = (v: PlantVariable): string => `u->model.${names[v.index]}`;
  const ofType = (type: FmiType): readonly PlantVariable[] => variables.filter((v) => v.type === type);
  const read = (v: PlantVariable): string => (v.type === 'Boolean' ? `(${kept(v)} != 0.0)` : kept(v));
  const set = (v: PlantVariable): string =>
    `${kept(v)} = ${v.type === 'Float64' ? 'values[k]' : v.type === 'Boolean' ? 'values[k] ? 1.0 : 0.0' : '(double)values[k]'};`;
  const accessOf = (type: FmiType): UnitParts['access'][number] => ({
    type,
    beforeGet: ['if (!refresh(u)) {', `    return complain(u, "fmi3Get${type}: its equations have no solution");`, '}'],
    afterSet: ['u->is_old = true;'],
    get: [
      ...(type === 'Float64' ? [[0, 'u->time'] as const] : []),
      ...ofType(type).map((v) => [v.reference, read(v)] as const),
    ],
    set: ofType(type).flatMap((v) =>
      v.causality === 'input' || v.causality === 'parameter' ? [[v.reference, set(v)] as const] : [],
    ),
  });
  return unitText({
    own,
    about: ', a model of equations',
    token,
    before: '',
    between: `/* What follows from what has been given since. */
static bool refresh(unit *u)
{
    double rates[sizeof(${own}_model) / sizeof(double) + 1u];

    if (!u->is_old) {
        return true;
    }
    if (u->is_started) {
        ${own}_follow(&u->model);
        u->is_old = !${own}_rates(&u->model, u->time, rates);
    } else {
        u->is_old = !${own}_start(&u->model, u->time);
    }
    return !u->is_old;
}

`,
    members: [`${own}_model model;`, 'double relative;', 'double step;', 'bool is_started;', 'bool is_old;'],
    begin: [
      'memset(&u->model, 0, sizeof u->model);',
      `${own}_begin(&u->model);`,
      'u->relative = 1e-6;',
      'u->step = 0.0;',
      'u->is_started = false;',
      'u->is_old = true;',
    ],
    enter: ['if (hasTolerance && tolerance > 0.0) {', '    u->relative = tolerance;', '}', 'u->is_old = true;'],
    exit: ['unit *u = (unit *)instance;', '', 'refresh(u);', 'u->is_started = true;', 'return fmi3OK;'],
    declared: [],
    step: [
      'if (!u->is_started || !(size > 0.0)) {',
      '    return complain(u, "fmi3DoStep: a step after the start, of a time above 0");',
      '}',
      `${own}_follow(&u->model);`,
      `if (!${own}_advance(&u->model, u->time, u->time + size,`,
      '                    u->relative, &u->step)) {',
      '    return complain(u, "fmi3DoStep: it cannot go on from here");',
      '}',
      'u->time += size;',
      'u->is_old = false;',
    ],
    access: (['Float64', 'Int32', 'Boolean'] as const).map(accessOf),
  });
}
