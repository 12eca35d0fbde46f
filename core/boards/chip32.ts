import { ConsoleLogger, LogLevel, RP2040 } from 'rp2040js';
import { createChip, fill, type Chip } from './chip';
import { machines, type ElfFile } from './elf';

const flashAt = 0x10000000,
  memoryAt = 0x20000000;

/**
 * The chip of 32 bits without a unit for real numbers. Its emulator counts a cycle too few where a return address is put onto the stack, or taken
 * from it; that is put right here. Waiting for its flash is not counted at all: what is counted is the least it takes.
 */
export function createChip32(image: ElfFile, memory: number, ownFunctions: readonly string[]): Chip | string {
  if (image.machine !== machines.arm) return 'This image is for another chip';
  const chip = new RP2040();
  chip.logger = new ConsoleLogger(LogLevel.Error, false);
  const { core } = chip;
  chip.sram.fill(fill);
  for (const { address, bytes } of image.segments) {
    if (address < flashAt || address - flashAt + bytes.length > chip.flash.length)
      return 'The image does not fit into the flash of the board';
    chip.flash.set(bytes, address - flashAt);
  }
  core.VTOR = flashAt;
  core.SP = chip.readUint32(flashAt);
  core.PC = chip.readUint32(flashAt + 4) & ~1;
  let cycles = 0;
  return createChip(
    image,
    {
      run() {
        const opcode = chip.flash16[(core.PC - flashAt) >> 1];
        const kind = opcode & 0xff00;
        cycles += core.executeInstruction() + (kind === 0xb500 || kind === 0xbd00 ? 1 : 0);
      },
      get cycles() {
        return cycles;
      },
      get pc() {
        return core.PC;
      },
      get sp() {
        return core.SP;
      },
      returnsTo: () => core.LR & ~1,
      memory: chip.sram,
      place: (value) => value - memoryAt,
      code: (value) => value & ~1,
      popped: 0,
      stackTop: memory,
    },
    ownFunctions,
  );
}
