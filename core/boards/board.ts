import type { ChipKind } from '../pins/chips';
import { isBoard, pinBoards, pinBoardsOf, type PinBoard } from '../pins/pin-boards';
import type { Project } from '../project/project';

/** A target that software is put on: a board with its pins, and what its chip holds and is compiled for. */
export interface Board extends PinBoard, Target {}
interface Target {
  /** Bytes. */
  readonly flash: number;
  readonly memory: number;
  /** Cycles that may be missing or too many in what is counted of a step, in parts of it: 0 where they are exact. */
  readonly cyclesAre: 'exact' | 'at least';
  /** The program is on the first one; others rest, and are not emulated. */
  readonly cores: number;
  readonly compiler: string;
  readonly flags: readonly string[];
  readonly install: string;
}

const strict = ['-std=c99', '-O2', '-ffp-contract=off', '-ffunction-sections', '-fdata-sections'];

const targets: Readonly<Record<ChipKind, Target>> = {
  avr8: {
    flash: 32 * 1024,
    memory: 2048,
    cyclesAre: 'exact',
    cores: 1,
    compiler: 'avr-gcc',
    flags: [...strict, '-mmcu=atmega328p', '-Wl,--gc-sections'],
    install: 'gcc-avr avr-libc',
  },
  'cortex-m0plus': {
    flash: 2 * 1024 * 1024,
    memory: 264 * 1024,
    cyclesAre: 'at least',
    cores: 2,
    compiler: 'arm-none-eabi-gcc',
    flags: [
      ...strict,
      '-mcpu=cortex-m0plus',
      '-mthumb',
      '-nostartfiles',
      '-Wl,--gc-sections',
      '-Wl,--no-warn-rwx-segments',
      '-T',
      'board.ld',
    ],
    install: 'gcc-arm-none-eabi libnewlib-arm-none-eabi',
  },
};

/** A board with what its chip is compiled for. */
export const boardOf = (outside: PinBoard): Board => ({ ...outside, ...targets[outside.chip] });
/** Boards that come with the application. */
export const boards: readonly Board[] = pinBoards.map(boardOf);

const known = new WeakMap<readonly PinBoard[], readonly Board[]>();
/** And with those of a project. */
export function boardsOf(project: Pick<Project, 'boards'>): readonly Board[] {
  const outsides = pinBoardsOf(project);
  let found = known.get(outsides);
  if (!found) known.set(outsides, (found = outsides.map(boardOf)));
  return found;
}
/** The board of a name; the first where there is none. */
export const boardNamed = (name: string, all: readonly Board[] = boards): Board | undefined =>
  name === '' ? all[0] : all.find((b) => isBoard(b, name));
