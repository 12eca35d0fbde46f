import type { Line } from '../pins/channels';
import { linesAt } from '../pins/pin-side';
import type { RunningStep } from '../stepcode/running-step';
import type { StepProgram } from '../stepcode/step-program';
import type { Board } from './board';
import type { Chip, Edge } from './chip';
import { createChip8 } from './chip8';
import { createChip32 } from './chip32';
import type { ElfFile } from './elf';
import { lineCodec, stepOnTarget, type Layout } from './target';
import { linkTell, linkTurn } from './write-link';

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

const pinFunctions = ['board_pins_read', 'board_pins_write', 'board_pins_measure'];

/** The steps of a program on the chip of a board. */
export function stepOnBoard(
  program: StepProgram,
  built: Image,
  board: Board,
  lines: readonly Line[] = [],
): { create(): RunningStep } | string {
  const onPins = new Map(lines.flatMap((l) => (l.pin ? [[l.name, l] as const] : [])));
  const hasLine = built.image.symbols.has(linkTurn);
  const functions = [...built.functions, ...(onPins.size > 0 ? pinFunctions : []), ...(hasLine ? [linkTell] : [])];
  const make = (): Chip | string =>
    (board.chip === 'avr8' ? createChip8 : createChip32)(built.image, board.memory, functions, { clock: board.clock });
  const tried = make();
  if (typeof tried === 'string') return tried;
  return {
    create() {
      const chip = make();
      if (typeof chip === 'string') throw new Error(chip);
      return {
        ...stepOnTarget(program, built.layout, chip),
        seconds: () => chip.cycles / board.clock,
        ...((onPins.size > 0 || hasLine) && { busy: () => chip.busy / board.clock }),
        ...(chip.line && { line: { ...chip.line, ...lineCodec(program, built.layout) } }),
        ...(onPins.size > 0 && {
          pins: pinsOf(chip, onPins),
        }),
        profile: () => ({
          unit: 'cycles',
          functions: chip.functions(),
          stack: chip.stack(),
          note: [
            ...(board.cyclesAre === 'exact'
              ? []
              : ['At least so many: what waiting for the flash takes is not emulated, nor what interrupts take']),
            ...(board.cores === 1 ? [] : [`Of ${board.cores} cores the first runs all; the other is not emulated`]),
          ].join('. '),
        }),
      };
    },
  };
}

function pinsOf(chip: Chip, lines: ReadonlyMap<string, Line>): NonNullable<RunningStep['pins']> {
  let turned = new Map<string, number>();
  const edgesTo = ({ name, pin, other }: Line, count: number): readonly Edge[] => {
    const from = turned.get(name) ?? 0;
    const way = Math.sign(count - from);
    return Array.from({ length: Math.abs(count - from) }, (_, k) => {
      const [first, second] = linesAt(from + way * (k + 1));
      return {
        part: (k + 0.5) / Math.abs(count - from),
        levels: [
          [pin!, first],
          [other!, second],
        ],
      };
    });
  };
  return {
    set(name, volts) {
      const line = lines.get(name);
      if (line) chip.setVolts(line.pin!, line.kind === 'analog', volts, line.supply);
    },
    measure: (moment) => chip.measure(moment),
    turn(counts, seconds) {
      const edges = [...counts].flatMap(([name, count]) => edgesTo(lines.get(name)!, count));
      // they come while the step before is gone as well, but can be known only behind it
      chip.turn(
        edges.sort((a, b) => a.part - b.part),
        seconds,
      );
      turned = new Map(counts);
    },
    volts(name, isOther = false) {
      const line = lines.get(name);
      const pin = isOther ? line?.other : line?.pin;
      return line && pin ? chip.share(pin, line.kind === 'pwm') * line.supply : 0;
    },
    keep: () => chip.keepPins(),
    restore(bytes, counts) {
      turned = new Map(counts);
      chip.restorePins(
        bytes,
        [...counts].flatMap(([name, count]) => {
          const { pin, other } = lines.get(name)!;
          const [first, second] = linesAt(count);
          return [[pin!, first] as const, [other!, second] as const];
        }),
      );
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
