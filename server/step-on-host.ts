import { spawn, spawnSync } from 'node:child_process';
import { closeSync, mkdtempSync, openSync, readSync, rmSync, writeFileSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { answeredBytes, hostSource, type HostBuild } from '../core/boards/host-build';
import { readLayout } from '../core/boards/target';
import { firmwareNames, layoutText, placedSlots } from '../core/boards/write-firmware';
import { legalName } from '../core/stepcode/c-names';
import type { StepProgram } from '../core/stepcode/step-program';
import { writeC } from '../core/stepcode/write-c';

/** The generated C, compiled and run as a process of this machine. */

/** A compiler that is there; undefined where there is none. */
export const hostCompiler = (): string | undefined =>
  ['cc', 'gcc', 'clang'].find((c) => spawnSync(c, ['--version']).status === 0);

const flags = ['-std=c99', '-O2', '-ffp-contract=off'];
const longest = 20_000;

/** A program compiled in a folder of its own, and processes that go its steps. */
export interface HostProgram {
  readonly build: HostBuild;
  /** A process that goes steps, one after the other. */
  open(): { ask(question: Uint8Array): Uint8Array; close(): void };
  /** Ends what is open, and takes away what was compiled. */
  dispose(): void;
}

/** What is taken away where nobody has when everything ends. */
const left = new Set<() => void>();
process.on('exit', () => left.forEach((dispose) => dispose()));

/** Compiles the C of a program; why not, where it cannot be. */
export function compileOnHost(program: StepProgram): HostProgram | string {
  const compiler = hostCompiler();
  if (compiler === undefined) return 'The stage host is not available here: install a C compiler, such as gcc';
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-host-'));
  const open = new Set<() => void>();
  const dispose = (): void => {
    left.delete(dispose);
    for (const close of open) close();
    rmSync(folder, { recursive: true, force: true });
  };
  left.add(dispose);
  const c = writeC(program);
  const own = legalName(program.name);
  const files = {
    [`${own}.h`]: c.header,
    [`${own}.c`]: c.source,
    'host_layout.c': layoutText(program, c),
    'host_main.c': mainText(own, placedSlots(program).length),
  };
  for (const [name, text] of Object.entries(files)) writeFileSync(join(folder, name), text);
  const sources = Object.keys(files).filter((n) => n.endsWith('.c'));
  const done = spawnSync(compiler, [...flags, ...sources, '-o', 'steps', '-lm'], {
    cwd: folder,
    encoding: 'utf8',
    timeout: longest,
  });
  if (done.status !== 0) {
    dispose();
    return `${compiler} does not compile what was generated: ${done.stderr.trim()}`;
  }
  const told = spawnSync(join(folder, 'steps'), { timeout: longest }).stdout;
  const view = new DataView(told.buffer, told.byteOffset, told.byteLength);
  const layout = told.length < 16 ? 'The compiled program does not start here' : readLayout(program, told.subarray(16));
  if (typeof layout === 'string') {
    dispose();
    return layout;
  }
  const sizes = [0, 4, 8].map((at) => view.getUint32(at, true)) as unknown as HostBuild['sizes'];
  const build: HostBuild = {
    id: basename(folder),
    source: hostSource(program),
    layout,
    sizes,
    resolution: view.getUint32(12, true),
  };
  return {
    build,
    open() {
      const process = openProcess(folder, answeredBytes(build));
      const close = (): void => {
        if (open.delete(close)) process.close();
      };
      open.add(close);
      return { ask: process.ask, close };
    },
    dispose,
  };
}

let count = 0;

function openProcess(folder: string, answerLength: number): { ask(question: Uint8Array): Uint8Array; close(): void } {
  const [to, from] = ['in', 'out'].map((n) => join(folder, `${n}-${count}`));
  count++;
  if (spawnSync('mkfifo', [to, from]).status !== 0)
    throw new Error('A process of this machine cannot be talked to here');
  const child = spawn(join(folder, 'steps'), [to, from], { stdio: 'ignore' });
  child.unref();
  const [out, back] = [openSync(to, 'w'), openSync(from, 'r')];
  return {
    ask(question) {
      for (let at = 0; at < question.length;) at += writeSync(out, question, at);
      const answer = new Uint8Array(answerLength);
      for (let at = 0; at < answerLength;) {
        const n = readSync(back, answer, at, answerLength - at, null);
        if (n === 0) throw new Error('The compiled program ended before its time');
        at += n;
      }
      return answer;
    },
    close() {
      closeSync(out);
      closeSync(back);
    },
  };
}

/**
 * Without arguments it tells how its memory is laid; with two files it goes steps from memory to memory: what it is told by one, it answers
 * in the other.
 */
const mainText = (own: string, slots: number): string => `#define _POSIX_C_SOURCE 199309L
#include "${own}.h"
#include <stdio.h>
#include <string.h>
#include <time.h>

extern const uint16_t ${firmwareNames.layout}[];
static ${own}_state state;
static ${own}_in in;
static ${own}_out out;

static int transfer(FILE *file, int back)
{
    void *areas[3] = { &state, &in, &out };
    const size_t sizes[3] = { sizeof state, sizeof in, sizeof out };
    int k;

    for (k = 0; k < 3; k++) {
        if ((back ? fwrite(areas[k], sizes[k], 1, file)
                  : fread(areas[k], sizes[k], 1, file)) != 1) {
            return 0;
        }
    }
    return 1;
}

int main(int argc, char **argv)
{
    uint32_t sizes[4] = { sizeof state, sizeof in, sizeof out, 0 };
    FILE *from = argc == 3 ? fopen(argv[1], "rb") : NULL;
    FILE *to = argc == 3 ? fopen(argv[2], "wb") : NULL;
    struct timespec before, after;
    double ns;
    int told;

    if (argc == 1) {
        if (clock_getres(CLOCK_MONOTONIC, &before) == 0) {
            sizes[3] = (uint32_t)before.tv_nsec;
        }
        fwrite(sizes, sizeof sizes, 1, stdout);
        fwrite(${firmwareNames.layout}, 4, ${slots}, stdout);
        return 0;
    }
    if (from == NULL || to == NULL) {
        return 1;
    }
    while ((told = getc(from)) != EOF && transfer(from, 0)) {
        ns = 0;
        if (told == 'i') {
            memset(&state, 0, sizeof state);
            memset(&in, 0, sizeof in);
            memset(&out, 0, sizeof out);
            ${own}_init(&state);
        } else if (told == 's') {
            clock_gettime(CLOCK_MONOTONIC, &before);
            ${own}_step(&state, &in, &out);
            clock_gettime(CLOCK_MONOTONIC, &after);
            ns = (double)(after.tv_sec - before.tv_sec) * 1e9;
            ns += (double)(after.tv_nsec - before.tv_nsec);
        }
        fwrite(&ns, sizeof ns, 1, to);
        if (!transfer(to, 1)) {
            return 1;
        }
        fflush(to);
    }
    return 0;
}
`;
