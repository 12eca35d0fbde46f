import type { RunningStep } from '../stepcode/running-step';
import type { StepProgram } from '../stepcode/step-program';
import type { Board } from './board';
import type { Chip } from './chip';
import { createChip8 } from './chip8';
import { createChip32 } from './chip32';
import type { ElfFile } from './elf';
import { stepOnTarget, type Layout } from './target';

/** An image of a program for a board, with where its slots are. */
export interface Image {
  readonly image: ElfFile;
  readonly layout: Layout;
  /** Its functions whose time is looked at. */
  readonly functions: readonly string[];
}

/** Functions that a C source defines, the one that is called from outside first. */
export const functionsOf = (source: string): readonly string[] =>
  [...source.matchAll(/^(static )?\w[\w ]*?[ *](\w+)\([^;]*$/gm)]
    .sort((a, b) => Number(a[1] !== undefined) - Number(b[1] !== undefined))
    .map((m) => m[2]);

/** The steps of a program on the chip of a board. */
export function stepOnBoard(program: StepProgram, built: Image, board: Board): { create(): RunningStep } | string {
  const make = (): Chip | string =>
    (board.chip === 'avr8' ? createChip8 : createChip32)(built.image, board.memory, built.functions);
  const tried = make();
  if (typeof tried === 'string') return tried;
  return {
    create() {
      const chip = make();
      if (typeof chip === 'string') throw new Error(chip);
      return {
        ...stepOnTarget(program, built.layout, chip),
        seconds: () => chip.cycles / board.clock,
        profile: () => ({
          unit: 'cycles',
          functions: chip.functions(),
          stack: chip.stack(),
          note:
            board.cyclesAre === 'exact'
              ? ''
              : 'At least so many: what waiting for the flash takes is not emulated, nor what interrupts take',
        }),
      };
    },
  };
}

/** What does not fit into a board. */
export function misfits({ sizes }: ElfFile, board: Board): readonly string[] {
  const flash = sizes.text + sizes.data;
  const memory = sizes.data + sizes.bss;
  return [
    ...(flash > board.flash
      ? [`${flash} bytes do not fit into the ${board.flash} bytes of flash of ${board.name}`]
      : []),
    ...(memory > board.memory
      ? [`${memory} bytes do not fit into the ${board.memory} bytes of memory of ${board.name}`]
      : memory > 0.9 * board.memory
        ? [`Only ${board.memory - memory} bytes of memory of ${board.name} are left for the stack`]
        : []),
  ];
}
