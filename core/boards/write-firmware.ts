import { legalName } from '../stepcode/c-names';
import type { SlotRole, StepProgram } from '../stepcode/step-program';
import type { CSource } from '../stepcode/write-c';
import { momentsOf, type Line } from '../pins/channels';
import type { Board } from './board';
import { linkTell, linkTurn, writeLink } from './write-link';
import type { SerialLine } from '../serial/messages';
import { edgeInterrupt } from './pin-drivers';
import { waitTurn, writePins } from './write-pins';

/** Names in the image that its wrapper looks for. */
export const firmwareNames = {
  state: 'board_state',
  input: 'board_in',
  output: 'board_out',
  go: 'board_go',
  done: 'board_done',
  layout: 'board_layout',
} as const;

/** What is compiled for a target beside the code itself, by file name. */
export interface Firmware {
  readonly files: ReadonlyMap<string, string>;
  /** Sources of the image, and the one whose object file tells where everything is. */
  readonly sources: readonly string[];
  readonly layout: string;
}

/** Slots with a place in memory, in the order of the layout. */
export const placedSlots = ({ slots }: StepProgram): readonly number[] =>
  slots.flatMap((s, k) => (s.role === 'local' || s.role === 'constant' ? [] : [k]));

/**
 * A main program that goes one step each time it is told to, on what its pins say, and inputs that are laid into its memory where they are on
 * none: what comes out, and how long it takes, is that of the chip.
 */
export function writeFirmware(
  program: StepProgram,
  c: CSource,
  board: Pick<Board, 'chip' | 'name' | 'clock'>,
  lines: readonly Line[] = [],
  serial?: SerialLine,
): Firmware {
  const own = legalName(program.name);
  const hasPins = lines.some((l) => l.pin !== undefined);
  const pins = writePins(program, c, lines, board);
  const hasEdges = lines.some((l) => l.kind === 'encoder' && l.pin);
  const link = serial && writeLink(program, c, placedSlots(program), board, serial);
  const files = new Map([
    [`${own}.h`, c.header],
    [`${own}.c`, c.source],
    ...(hasPins
      ? ([
          ['board_pins.h', pins.header],
          ['board_pins.c', pins.source],
        ] as const)
      : []),
    ...(link
      ? ([
          ['board_link.h', link.header],
          ['board_link.c', link.source],
        ] as const)
      : []),
    [
      'board_main.c',
      `${mainText(own, {
        hasPins,
        turn: link ? linkTurn : hasEdges ? waitTurn : '',
        hasLink: link !== undefined,
        isEarly: momentsOf(lines.filter((l) => l.pin)).length > 0,
      })}${board.chip === 'cortex-m0plus' ? startText(hasEdges) : ''}`,
    ],
    ['board_layout.c', layoutText(program, c)],
    ...(board.chip === 'cortex-m0plus' ? [['board.ld', linkerText] as const] : []),
  ]);
  return {
    files,
    sources: [`${own}.c`, ...(hasPins ? ['board_pins.c'] : []), ...(link ? ['board_link.c'] : []), 'board_main.c'],
    layout: 'board_layout.c',
  };
}

const mainText = (
  own: string,
  {
    hasPins,
    turn,
    hasLink,
    isEarly,
  }: { readonly hasPins: boolean; readonly turn: string; readonly hasLink: boolean; readonly isEarly: boolean },
): string => `/* Goes one step of ${own} each time board_go is set${
  isEarly
    ? ` to 1; what is
   measured before a step is measured where it is set to more`
    : ''
}. */
#include "${hasPins ? 'board_pins' : own}.h"${hasLink ? '\n#include "board_link.h"' : ''}

${own}_state board_state;
${own}_in board_in;
${own}_out board_out;
volatile uint8_t board_go;
volatile uint8_t board_done;

int main(void)
{
    ${own}_init(&board_state);${hasPins ? '\n    board_pins_init();' : ''}${hasLink ? '\n    board_link_init();' : ''}
    board_done = 1;
    for (;;) {
${turn !== '' ? `        do {\n            ${turn}();\n        } while (board_go == 0);` : '        while (board_go == 0) {\n        }'}
${isEarly ? measuring : ''}        board_go = 0;
${hasPins ? '        board_pins_read(&board_in);\n' : ''}        ${own}_step(&board_state, &board_in, &board_out);
${hasPins ? '        board_pins_write(&board_out);\n' : ''}${hasLink ? `        ${linkTell}();\n` : ''}        board_done = (uint8_t)(board_done + 1);
    }
}
`;

const measuring = `        if (board_go > 1u) {
            board_pins_measure((uint8_t)(board_go - 2u));
            board_go = 0;
            board_done = (uint8_t)(board_done + 1);
            continue;
        }
`;

const owners: Partial<Record<SlotRole, string>> = { input: 'in', output: 'out', parameter: 'state', part: 'state' };

/** Where each slot is in its struct, and how many bytes it has: compiled, so that nobody has to know how the compiler packs. */
export function layoutText(program: StepProgram, { names }: Pick<CSource, 'names'>): string {
  const own = legalName(program.name);
  const rows = placedSlots(program).map((k) => {
    const { role } = program.slots[k];
    const member = `${role === 'parameter' ? 'param.' : ''}${names[k]}`;
    const struct = `${own}_${owners[role]}`;
    return `    offsetof(${struct}, ${member}), sizeof(((${struct} *)0)->${member}),`;
  });
  return `#include "${own}.h"
#include <stddef.h>

const uint16_t ${firmwareNames.layout}[] = {
${rows.join('\n')}
    0
};
`;
}

/** Vectors, and what has to be in memory before anything runs. */
const startText = (hasEdges: boolean): string => `
extern uint32_t board_data_load;
extern uint32_t board_data_start;
extern uint32_t board_data_end;
extern uint32_t board_bss_start;
extern uint32_t board_bss_end;
extern uint32_t board_stack_top;

void board_reset(void)
{
    uint32_t *from = &board_data_load;
    uint32_t *to;

    for (to = &board_data_start; to < &board_data_end; to++) {
        *to = *from;
        from++;
    }
    for (to = &board_bss_start; to < &board_bss_end; to++) {
        *to = 0;
    }
    (void)main();
    for (;;) {
    }
}

__attribute__((section(".vectors"), used))
const uintptr_t board_vectors[] = {
    (uintptr_t)&board_stack_top,
    (uintptr_t)&board_reset${
      hasEdges
        ? `,
    ${Array(14).fill('0').join(', ')},
    ${Array(edgeInterrupt).fill('0').join(', ')},
    (uintptr_t)&board_edges`
        : ''
    }
};
`;

const linkerText = `MEMORY
{
    flash (rx) : ORIGIN = 0x10000000, LENGTH = 2048K
    ram (rwx) : ORIGIN = 0x20000000, LENGTH = 264K
}
ENTRY(board_reset)
board_stack_top = ORIGIN(ram) + LENGTH(ram);
SECTIONS
{
    .text : { KEEP(*(.vectors)) *(.text*) *(.rodata*) . = ALIGN(4); } > flash
    .ARM.exidx : { *(.ARM.exidx*) } > flash
    .data : { board_data_start = .; *(.data*) . = ALIGN(4); board_data_end = .; } > ram AT > flash
    board_data_load = LOADADDR(.data);
    .bss : { board_bss_start = .; *(.bss*) *(COMMON) . = ALIGN(4); board_bss_end = .; } > ram
    /DISCARD/ : { *(.comment) *(.ARM.attributes) }
}
`;
