import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { legalName } from '../core/stepcode/c-names';
import type { StepProgram } from '../core/stepcode/step-program';
import { writeC } from '../core/stepcode/write-c';
import { harnessColumns, harnessInput, harnessResults, writeHarness } from '../core/stepcode/write-harness';

/** The generated C, compiled and run on this machine. */

/** A compiler that is there; undefined where there is none. */
export const hostCompiler = (): string | undefined =>
  ['cc', 'gcc', 'clang'].find((c) => spawnSync(c, ['--version']).status === 0);

export interface HostSteps {
  /** What came out and was kept after every step, by slot. */
  readonly slots: readonly number[];
  readonly results: readonly (readonly number[])[];
  /** Of one step, in ns. */
  readonly time: { readonly calls: number; readonly min: number; readonly mean: number; readonly max: number };
}

const flags = ['-std=c99', '-O2', '-ffp-contract=off'];
const longest = 60_000;

/** Steps the program on these inputs, with these parameters. */
export function stepOnHost(
  program: StepProgram,
  compiler: string,
  inputs: readonly (readonly number[])[],
  parameters: ReadonlyMap<number, number>,
): HostSteps | string {
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-host-'));
  try {
    const c = writeC(program);
    const own = legalName(program.name);
    writeFileSync(join(folder, `${own}.h`), c.header);
    writeFileSync(join(folder, `${own}.c`), c.source);
    writeFileSync(join(folder, 'harness.c'), writeHarness(program, c, { parameters, isTimed: true }));
    const run = (command: string, args: readonly string[], input = ''): string | undefined => {
      const done = spawnSync(command, args, {
        cwd: folder,
        encoding: 'utf8',
        input,
        timeout: longest,
        maxBuffer: 1 << 30,
      });
      return done.status === 0 ? done.stdout : undefined;
    };
    if (run(compiler, [...flags, `${own}.c`, 'harness.c', '-o', 'steps', '-lm']) === undefined)
      return `${compiler} does not compile what was generated`;
    const said = run(join(folder, 'steps'), [], harnessInput(inputs));
    if (said === undefined) return 'The compiled program ended before its time';
    const slots = harnessColumns(program, ['output', 'part']);
    const lines = said.trimEnd().split('\n');
    const [calls, total, min, max] = lines.pop()!.split(' ').map(Number);
    return {
      slots,
      results: harnessResults(program, slots, lines),
      time: { calls, min, mean: total / Math.max(1, calls), max },
    };
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
