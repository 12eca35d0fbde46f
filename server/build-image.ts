import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Board } from '../core/boards/board';
import { readElf, type ElfFile } from '../core/boards/elf';
import { readLayout, type Layout } from '../core/boards/target';
import { firmwareNames, writeFirmware, type Firmware } from '../core/boards/write-firmware';
import type { SerialLine } from '../core/serial/messages';
import type { Line } from '../core/pins/channels';
import type { StepProgram } from '../core/stepcode/step-program';
import { writeC } from '../core/stepcode/write-c';

/** An image for a board, with where its slots are. */
export interface Built {
  readonly elf: Uint8Array;
  readonly image: ElfFile;
  readonly layout: Layout;
  /** What the compiler said. */
  readonly said: string;
}

const longest = 20_000;

/** Builds a program for a board with the compiler of this machine: only what was generated is handed to it, in a folder of its own. */
export function buildFor(
  program: StepProgram,
  board: Board,
  lines: readonly Line[] = [],
  serial?: SerialLine,
): Built | string {
  return buildFirmware(program, writeFirmware(program, writeC(program), board, lines, serial), board);
}

/** The same of sources that are there already. */
export function buildFirmware(program: StepProgram, firmware: Firmware, board: Board): Built | string {
  if (spawnSync(board.compiler, ['--version']).status !== 0)
    return `${board.name} is not available here: install ${board.install}`;
  const compiled = compileOnce(firmware, board);
  if (typeof compiled === 'string') return compiled;
  const { elf, said } = compiled;
  const image = readElf(elf);
  const object = readElf(compiled.table);
  if (typeof image === 'string') return image;
  if (typeof object === 'string') return object;
  const bytes = object.symbols.get(firmwareNames.layout)?.bytes;
  const places = bytes ? readLayout(program, bytes) : 'The table of places is missing';
  if (typeof places === 'string') return places;
  return { elf, image, layout: places, said };
}

interface Compiled {
  readonly elf: Uint8Array;
  /** Object file of the table of places. */
  readonly table: Uint8Array;
  readonly said: string;
}

/** What was compiled last, by all that it follows from: the same is asked for again and again, and takes a second each time. */
const kept = new Map<string, Compiled>();
const mostKept = 12;

function compileOnce(firmware: Firmware, board: Board): Compiled | string {
  const key = JSON.stringify([board.compiler, board.flags, [...firmware.files], firmware.sources, firmware.layout]);
  const known = kept.get(key);
  const found = known ?? compile(firmware, board);
  if (typeof found === 'string') return found;
  kept.delete(key);
  kept.set(key, found);
  if (kept.size > mostKept) kept.delete(kept.keys().next().value!);
  return found;
}

function compile({ files, sources, layout }: Firmware, board: Board): Compiled | string {
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-board-'));
  try {
    for (const [name, text] of files) writeFileSync(join(folder, name), text);
    const call = (args: readonly string[]): { readonly ok: boolean; readonly said: string } => {
      const done = spawnSync(board.compiler, [...args], { cwd: folder, encoding: 'utf8', timeout: longest });
      return { ok: done.status === 0, said: `${done.stderr}${done.stdout}`.trim() };
    };
    const linked = call([...board.flags, ...sources, '-o', 'image.elf', '-lm']);
    if (!linked.ok) return `${board.compiler}: ${linked.said || 'it took too long'}`;
    const table = call([
      ...board.flags.filter((f) => !/^-(Wl|T|nostartfiles)/.test(f) && f !== 'board.ld'),
      '-c',
      layout,
      '-o',
      'layout.o',
    ]);
    if (!table.ok) return `${board.compiler}: ${table.said || 'it took too long'}`;
    const read = (name: string): Uint8Array => new Uint8Array(readFileSync(join(folder, name)));
    return { elf: read('image.elf'), table: read('layout.o'), said: linked.said };
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
