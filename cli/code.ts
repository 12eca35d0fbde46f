import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { archiveOf } from '../core/formats/archive';
import { explicitModel } from '../core/plantcode/explicit-model';
import { writePlantUnit } from '../core/plantcode/write-plant-unit';
import type { PartType, Project } from '../core/project/project';
import { legalName } from '../core/stepcode/c-names';
import { writeC } from '../core/stepcode/write-c';
import { sourcesOf } from '../core/stepcode/write-sources';
import { stopWith } from './model-text';
import { complain, print } from './output';
import { projectTexts, readType } from './read-project';

export interface CodeArguments {
  readonly type: string;
  readonly out: string;
  readonly every?: number;
  readonly fmu?: boolean;
  readonly json?: boolean;
}

/** `zelvar code`: 0 the sources were written, 1 the part type cannot be put into code, 2 it could not be asked. */
export function code(file: string, options: CodeArguments): number {
  const found = readType(file, options.type);
  if (!found) return 2;
  const { project, type } = found;
  const { value, problems } = sourcesOf(project, type, options.every);
  if (!value && options.fmu && type.software.trim() === '' && problems.some((p) => p.code === 'no-rhythm'))
    return plantUnit(project, type, options);
  if (!value) {
    if (problems.some((p) => p.code === 'no-rhythm')) complain('zelvar: --every says how many seconds they are');
    stopWith(problems, projectTexts(project), options.json);
    return 1;
  }
  const unit = `${legalName(value.program.name)}.fmu`;
  if (!written(options.out, [...value.files, ...(options.fmu ? [[unit, archiveOf(value.unit)] as const] : [])]))
    return 2;
  const files = [...value.files.keys(), ...(options.fmu ? [unit] : [])];
  if (!options.json) {
    for (const name of files) print(join(options.out, name));
    return 0;
  }
  const { names } = writeC(value.program);
  const slots = (role: string): object[] =>
    value.program.slots.flatMap((s, k) =>
      s.role === role ? [{ name: s.name, c: names[k], type: s.type, ...(s.unit !== '' && { unit: s.unit }) }] : [],
    );
  print(
    JSON.stringify(
      {
        name: value.program.name,
        period: value.program.period,
        files,
        inputs: slots('input'),
        outputs: slots('output'),
        parameters: slots('parameter'),
        problems: [],
      },
      null,
      1,
    ),
  );
  return 0;
}

/** What is no software and has equations only, as a unit that goes on by itself. */
function plantUnit(project: Project, type: PartType, { out, json }: CodeArguments): number {
  const { value, problems } = explicitModel(project, type);
  if (!value) {
    stopWith(problems, projectTexts(project), json);
    return 1;
  }
  const name = `${legalName(value.name)}.fmu`;
  const { files, variables } = writePlantUnit(value);
  if (!written(out, [[name, archiveOf(files)]])) return 2;
  const of = (causality: string): object[] =>
    variables.flatMap((v) => (v.causality === causality ? [{ name: v.name, type: v.type }] : []));
  print(
    json
      ? JSON.stringify(
          {
            name: value.name,
            files: [name],
            inputs: of('input'),
            outputs: of('output'),
            parameters: of('parameter'),
            states: value.states.map((k) => value.solvable.model.variables[k].name),
            problems: [],
          },
          null,
          1,
        )
      : join(out, name),
  );
  return 0;
}

/** Whether files could be written into a folder. */
function written(out: string, files: readonly (readonly [name: string, content: string | Uint8Array])[]): boolean {
  try {
    mkdirSync(out, { recursive: true });
    for (const [name, content] of files) writeFileSync(join(out, name), content);
    return true;
  } catch (error) {
    complain(`zelvar: ${out} cannot be written: ${error instanceof Error ? error.message : String(error)}`);
    return false;
  }
}
