import { strToU8, zipSync } from 'fflate';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
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
  if (!value) {
    if (problems.some((p) => p.code === 'no-rhythm')) complain('zelvar: --every says how many seconds they are');
    stopWith(problems, projectTexts(project), options.json);
    return 1;
  }
  const unit = `${legalName(value.program.name)}.fmu`;
  try {
    mkdirSync(options.out, { recursive: true });
    for (const [name, text] of value.files) writeFileSync(join(options.out, name), text);
    if (options.fmu)
      writeFileSync(
        join(options.out, unit),
        zipSync(Object.fromEntries([...value.unit].map(([path, text]) => [path, strToU8(text)])), {
          mtime: new Date(2026, 0, 1),
        }),
      );
  } catch (error) {
    complain(`zelvar: ${options.out} cannot be written: ${error instanceof Error ? error.message : String(error)}`);
    return 2;
  }
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
