import { spawn, spawnSync } from 'node:child_process';
import { closeSync, mkdtempSync, openSync, readSync, rmSync, writeFileSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { readLayout, stepOnTarget, type Area, type Target } from '../core/boards/target';
import { firmwareNames, layoutText, placedSlots } from '../core/boards/write-firmware';
import { legalName } from '../core/stepcode/c-names';
import type { FunctionTime, RunningStep } from '../core/stepcode/running-step';
import type { StepProgram } from '../core/stepcode/step-program';
import { writeC } from '../core/stepcode/write-c';

/** The generated C, compiled and run as a process of this machine. */

/** A compiler that is there; undefined where there is none. */
export const hostCompiler = (): string | undefined =>
  ['cc', 'gcc', 'clang'].find((c) => spawnSync(c, ['--version']).status === 0);

const flags = ['-std=c99', '-O2', '-ffp-contract=off'];
const longest = 20_000;

/** The steps of a program as a process of this machine; why not, where they cannot be. */
export function stepOnHost(program: StepProgram): { create(): RunningStep; dispose(): void } | string {
  const compiler = hostCompiler();
  if (compiler === undefined) return 'The stage host is not available here: install a C compiler, such as gcc';
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-host-'));
  const dispose = (): void => {
    process.off('exit', dispose);
    rmSync(folder, { recursive: true, force: true });
  };
  process.on('exit', dispose);
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
  if (done.status !== 0) dispose();
  if (done.status !== 0) return `${compiler} does not compile what was generated: ${done.stderr.trim()}`;
  return { create: () => createProcess(program, own, folder), dispose };
}

let count = 0;

function createProcess(program: StepProgram, own: string, folder: string): RunningStep {
  const [to, from] = ['in', 'out'].map((n) => join(folder, `${n}-${count}`));
  count++;
  if (spawnSync('mkfifo', [to, from]).status !== 0)
    throw new Error('A process of this machine cannot be talked to here');
  const child = spawn(join(folder, 'steps'), [to, from], { stdio: 'ignore' });
  child.unref();
  const [out, back] = [openSync(to, 'w'), openSync(from, 'r')];
  const ask = (bytes: Uint8Array, length: number): Uint8Array => {
    writeSync(out, bytes);
    const answer = new Uint8Array(length);
    for (let at = 0; at < length;) {
      const n = readSync(back, answer, at, length - at, null);
      if (n === 0) throw new Error('The compiled program ended before its time');
      at += n;
    }
    return answer;
  };
  const said = ask(Uint8Array.of(108), 16 + placedSlots(program).length * 4);
  const view = new DataView(said.buffer);
  const layout = readLayout(program, said.subarray(16));
  const resolution = view.getUint32(12, true);
  if (typeof layout === 'string') throw new Error(layout);
  const order: readonly Area[] = ['state', 'input', 'output'];
  const sizes = order.map((_, k) => view.getUint32(k * 4, true));
  const known = new Map<Area, Uint8Array>();
  const time = { calls: 0, total: 0, min: Infinity, max: 0 };
  const target: Target = {
    init() {
      known.clear();
      ask(Uint8Array.of(105), 1);
    },
    step() {
      const was = known.get('input');
      known.clear();
      if (was) known.set('input', was);
      const ns = new DataView(ask(Uint8Array.of(115), 8).buffer).getFloat64(0, true);
      time.calls++;
      time.total += ns;
      time.min = Math.min(time.min, ns);
      time.max = Math.max(time.max, ns);
    },
    read(area, offset, length) {
      let all = known.get(area);
      const k = order.indexOf(area);
      if (!all) known.set(area, (all = ask(Uint8Array.of(114, k), sizes[k])));
      return all.slice(offset, offset + length);
    },
    write(area, offset, bytes) {
      known.get(area)?.set(bytes, offset);
      const head = Uint8Array.of(
        119,
        order.indexOf(area),
        offset & 255,
        offset >> 8,
        bytes.length & 255,
        bytes.length >> 8,
      );
      writeSync(out, Uint8Array.of(...head, ...bytes));
    },
  };
  return {
    ...stepOnTarget(program, layout, target),
    profile: () => ({
      unit: 'ns',
      functions: time.calls === 0 ? [] : [timeOf(`${own}_step`, time)],
      note: `As the clock of this machine tells it (in steps of ${resolution} ns), with whatever else it did`,
    }),
    close() {
      closeSync(out);
      closeSync(back);
    },
  };
}

const timeOf = (
  name: string,
  {
    calls,
    total,
    min,
    max,
  }: { readonly calls: number; readonly total: number; readonly min: number; readonly max: number },
): FunctionTime => ({ name, calls, min, mean: total / calls, max });

/** Does what it is told by one file, and answers in another one: reads, writes, steps. */
const mainText = (own: string, slots: number): string => `#define _POSIX_C_SOURCE 199309L
#include "${own}.h"
#include <stdio.h>
#include <string.h>
#include <time.h>

extern const uint16_t ${firmwareNames.layout}[];
static ${own}_state state;
static ${own}_in in;
static ${own}_out out;

int main(int argc, char **argv)
{
    void *areas[3] = { &state, &in, &out };
    uint32_t sizes[4] = { sizeof state, sizeof in, sizeof out, 0 };
    FILE *from = argc == 3 ? fopen(argv[1], "rb") : NULL;
    FILE *to = argc == 3 ? fopen(argv[2], "wb") : NULL;
    unsigned char head[5];
    struct timespec before, after;
    double ns;
    int told;

    if (from == NULL || to == NULL) {
        return 1;
    }
    if (clock_getres(CLOCK_MONOTONIC, &before) == 0) {
        sizes[3] = (uint32_t)before.tv_nsec;
    }
    while ((told = getc(from)) != EOF) {
        if (told == 'l') {
            fwrite(sizes, sizeof sizes, 1, to);
            fwrite(${firmwareNames.layout}, 4, ${slots}, to);
        } else if (told == 'i') {
            memset(&state, 0, sizeof state);
            memset(&in, 0, sizeof in);
            memset(&out, 0, sizeof out);
            ${own}_init(&state);
            putc(1, to);
        } else if (told == 's') {
            clock_gettime(CLOCK_MONOTONIC, &before);
            ${own}_step(&state, &in, &out);
            clock_gettime(CLOCK_MONOTONIC, &after);
            ns = (double)(after.tv_sec - before.tv_sec) * 1e9;
            ns += (double)(after.tv_nsec - before.tv_nsec);
            fwrite(&ns, sizeof ns, 1, to);
        } else if (told == 'r' && fread(head, 1, 1, from) == 1) {
            fwrite(areas[head[0]], sizes[head[0]], 1, to);
        } else if (told == 'w' && fread(head, 5, 1, from) == 1) {
            if (fread((char *)areas[head[0]] + head[1] + 256 * head[2],
                      (size_t)(head[3] + 256 * head[4]), 1, from) != 1) {
                return 1;
            }
            continue;
        }
        fflush(to);
    }
    return 0;
}
`;
