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
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-board-'));
  try {
    const { files, sources, layout } = firmware;
    for (const [name, text] of files) writeFileSync(join(folder, name), text);
    const compile = (args: readonly string[]): { readonly ok: boolean; readonly said: string } => {
      const done = spawnSync(board.compiler, [...args], { cwd: folder, encoding: 'utf8', timeout: longest });
      return { ok: done.status === 0, said: `${done.stderr}${done.stdout}`.trim() };
    };
    const linked = compile([...board.flags, ...sources, '-o', 'image.elf', '-lm']);
    if (!linked.ok) return `${board.compiler}: ${linked.said || 'it took too long'}`;
    const table = compile([
      ...board.flags.filter((f) => !/^-(Wl|T|nostartfiles)/.test(f) && f !== 'board.ld'),
      '-c',
      layout,
      '-o',
      'layout.o',
    ]);
    if (!table.ok) return `${board.compiler}: ${table.said || 'it took too long'}`;
    const elf = new Uint8Array(readFileSync(join(folder, 'image.elf')));
    const image = readElf(elf);
    const object = readElf(new Uint8Array(readFileSync(join(folder, 'layout.o'))));
    if (typeof image === 'string') return image;
    if (typeof object === 'string') return object;
    const bytes = object.symbols.get(firmwareNames.layout)?.bytes;
    const places = bytes ? readLayout(program, bytes) : 'The table of places is missing';
    if (typeof places === 'string') return places;
    return { elf, image, layout: places, said: linked.said };
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
