import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { StepProgram } from '../stepcode/step-program';
import { writeC } from '../stepcode/write-c';
import { harnessColumns, harnessInput, harnessResults, writeHarness } from '../stepcode/write-harness';
import { createStep } from '../stepcode/write-js';

/** Steps a program in C and in JavaScript on the same inputs. */

export const hasCompiler = (compiler: string): boolean => spawnSync(compiler, ['--version']).status === 0;
export const strict = ['-std=c99', '-Wall', '-Wextra', '-Wconversion', '-Wshadow', '-Werror', '-ffp-contract=off'];

/** Inputs of each step, in the order of the program's input slots. */
export type StepInputs = readonly (readonly number[])[];

/** What comes out and what is kept after each step, by the text compiled here, or by another `source` for it; sanitizers stop it where something is undefined. */
export function stepsInC(
  program: StepProgram,
  inputs: StepInputs,
  {
    compiler = 'gcc',
    flags = ['-O1', '-fsanitize=undefined,address', '-fno-sanitize-recover=all'],
    source,
  }: { readonly compiler?: string; readonly flags?: readonly string[]; readonly source?: string } = {},
): readonly (readonly number[])[] {
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-step-'));
  try {
    const c = writeC(program);
    const own = /#include "(.*)\.h"/.exec(c.source)![1];
    writeFileSync(join(folder, `${own}.h`), c.header);
    writeFileSync(join(folder, `${own}.c`), source ?? c.source);
    writeFileSync(join(folder, 'harness.c'), writeHarness(program, c));
    const built = spawnSync(compiler, [...strict, ...flags, `${own}.c`, 'harness.c', '-o', 'run', '-lm'], {
      cwd: folder,
      encoding: 'utf8',
    });
    if (built.status !== 0) throw new Error(`${built.stderr}\n${c.source}`);
    const shown = harnessColumns(program, ['output', 'part']);
    const run = spawnSync(join(folder, 'run'), {
      input: harnessInput(program, inputs),
      encoding: 'utf8',
      maxBuffer: 1 << 28,
    });
    if (run.status !== 0) throw new Error(`It ended with ${run.status ?? run.signal}: ${run.stderr}`);
    return harnessResults(program, shown, run.stdout.trim().split('\n'));
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
/** The same in JavaScript. */
export function stepsInJs(program: StepProgram, inputs: StepInputs): readonly (readonly number[])[] {
  const run = createStep(program);
  const columns = harnessColumns(program, ['input']);
  const shown = harnessColumns(program, ['output', 'part']);
  run.init();
  return inputs.map((row) => {
    columns.forEach((slot, k) => run.write(slot, row[k]));
    run.step();
    return shown.map((slot) => run.read(slot));
  });
}
