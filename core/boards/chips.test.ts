import type { Chip } from './chip';
import { createChip8 } from './chip8';
import { createChip32 } from './chip32';
import { machines, type ElfFile, type ElfSymbol } from './elf';

/** Programs written by hand, whose cycles the tables of the chips tell: both count down from ten in a function that keeps a register. */
const symbol = (name: string, value: number, kind: ElfSymbol['kind'] = 'object'): [string, ElfSymbol] => [
  name,
  { name, value, size: 1, kind, bytes: undefined },
];
const words = (list: readonly number[]): Uint8Array => Uint8Array.from(list.flatMap((w) => [w & 255, w >> 8]));
const image = (
  machine: number,
  address: number,
  code: readonly number[],
  symbols: readonly [string, ElfSymbol][],
  memoryEnd: number,
): ElfFile => ({
  machine,
  entry: address,
  segments: [{ address, bytes: words(code) }],
  symbols: new Map(symbols),
  sizes: { text: code.length * 2, data: 0, bss: 0 },
  memoryEnd,
});
const made = (chip: Chip | string): Chip => {
  if (typeof chip === 'string') throw new Error(chip);
  chip.init();
  for (let k = 0; k < 5; k++) chip.step();
  return chip;
};

test('8 bits: as the instruction set manual has it (Atmel 0856L)', () => {
  const at = 0x800000;
  const code = [
    ...[0xe001, 0x9300, 0x0231], // done = 1
    ...[0x9100, 0x0230, 0x2300, 0xf3e1], // wait for go
    ...[0xe000, 0x9300, 0x0230], // go = 0
    ...[0x940e, 0x0014], // call the function
    ...[0x9100, 0x0231, 0x9503, 0x9300, 0x0231, 0xcff1], // done + 1, and again
    ...[0x0000, 0x0000],
    // ldi 1, push 2, ten times dec 1 and brne 2, the last one 1, pop 2, ret 4
    ...[0xe08a, 0x938f, 0x958a, 0xf7f1, 0x918f, 0x9508],
  ];
  const symbols = [
    symbol('board_state', at + 0x200),
    symbol('board_in', at + 0x210),
    symbol('board_out', at + 0x220),
    symbol('board_go', at + 0x230),
    symbol('board_done', at + 0x231),
    symbol('count', 0x28, 'function'),
  ];
  const chip = made(createChip8(image(machines.avr, 0, code, symbols, at + 0x240), 2048, ['count']));
  const cycles = 1 + 2 + 10 + 9 * 2 + 1 + 2 + 4;
  expect(chip.functions()).toEqual([{ name: 'count', calls: 5, min: cycles, mean: cycles, max: cycles }]);
  expect(chip.cycles).toBe(cycles);
  // two bytes of the way back, one that is kept
  expect(chip.stack()).toBe(3);
});

test('32 bits: as the reference manual has it (ARM DDI 0484C)', () => {
  const [flash, ram] = [0x10000000, 0x20000000];
  const code = [
    ...[0x2000, 0x2004], // the stack begins at 0x20042000
    ...[0x0009, 0x1000], // and what runs at 8
    ...[0x2020, 0x0600, 0x2101, 0x7041], // done = 1
    ...[0x7801, 0x2900, 0xd0fc], // wait for go
    ...[0x2100, 0x7001], // go = 0
    ...[0xf000, 0xf805], // call the function
    ...[0x7841, 0x3101, 0x7041, 0xe7f4], // done + 1, and again
    0x46c0,
    // push of two 3, movs 1, ten times subs 1 and bne 2, the last one 1, pop of one and the way back 5
    ...[0xb510, 0x240a, 0x3c01, 0xd1fd, 0xbd10],
  ];
  const symbols = [
    symbol('board_state', ram + 0x10),
    symbol('board_in', ram + 0x20),
    symbol('board_out', ram + 0x30),
    symbol('board_go', ram),
    symbol('board_done', ram + 1),
    symbol('count', flash + 0x29, 'function'),
  ];
  const chip = made(createChip32(image(machines.arm, flash, code, symbols, ram + 0x40), 264 * 1024, ['count']));
  const cycles = 3 + 1 + 10 + 9 * 2 + 1 + 5;
  expect(chip.functions()).toEqual([{ name: 'count', calls: 5, min: cycles, mean: cycles, max: cycles }]);
  expect(chip.stack()).toBe(8);
});

test('an image without what its wrapper looks for is refused', () => {
  expect(createChip8(image(machines.avr, 0, [0], [], 0x800100), 2048, [])).toBe('The image has no board_state');
  expect(createChip8(image(machines.avr, 40_000, [0], [], 0x800100), 2048, [])).toContain(
    'does not fit into the flash',
  );
  expect(createChip32(image(machines.avr, 0, [0], [], 0), 1000, [])).toBe('This image is for another chip');
});
