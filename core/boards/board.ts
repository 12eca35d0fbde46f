/** A target that software is put on: a chip with its clock and memories. Both are emulated; their names are made up. */
export interface Board {
  readonly id: 'larch8' | 'larch32';
  readonly name: string;
  readonly note: string;
  readonly chip: 'avr8' | 'cortex-m0plus';
  /** Hz. */
  readonly clock: number;
  /** Bytes. */
  readonly flash: number;
  readonly memory: number;
  /** Cycles that may be missing or too many in what is counted of a step, in parts of it: 0 where they are exact. */
  readonly cyclesAre: 'exact' | 'at least';
  readonly compiler: string;
  readonly flags: readonly string[];
  readonly install: string;
}

const strict = ['-std=c99', '-O2', '-ffp-contract=off', '-ffunction-sections', '-fdata-sections'];

export const boards: readonly Board[] = [
  {
    id: 'larch8',
    name: 'Larch 8',
    note: '8 bits at 16 MHz, 32 kB of flash, 2 kB of memory',
    chip: 'avr8',
    clock: 16_000_000,
    flash: 32 * 1024,
    memory: 2048,
    cyclesAre: 'exact',
    compiler: 'avr-gcc',
    flags: [...strict, '-mmcu=atmega328p', '-Wl,--gc-sections'],
    install: 'gcc-avr avr-libc',
  },
  {
    id: 'larch32',
    name: 'Larch 32',
    note: '32 bits at 125 MHz without a unit for real numbers, 2 MB of flash, 264 kB of memory',
    chip: 'cortex-m0plus',
    clock: 125_000_000,
    flash: 2 * 1024 * 1024,
    memory: 264 * 1024,
    cyclesAre: 'at least',
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
];

export const boardNamed = (name: string): Board | undefined =>
  boards.find((b) => b.id === name || b.name.toLowerCase() === name.toLowerCase());
