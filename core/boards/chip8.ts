import { avrInstruction, CPU } from 'avr8js';
import { createChip, fill, type Chip } from './chip';
import { machines, type ElfFile } from './elf';

const dataAt = 0x800000;
const registers = 0x100;

/** The chip of 8 bits: its cycles are those of the real one. */
export function createChip8(image: ElfFile, memory: number, ownFunctions: readonly string[]): Chip | string {
  if (image.machine !== machines.avr) return 'This image is for another chip';
  const program = new Uint8Array(32 * 1024).fill(0xff);
  for (const { address, bytes } of image.segments) {
    // what is loaded at places of data is copied there by the start of the image
    if (address + bytes.length > program.length) return 'The image does not fit into the flash of the board';
    program.set(bytes, address);
  }
  const cpu = new CPU(new Uint16Array(program.buffer), memory);
  cpu.data.fill(fill, registers);
  return createChip(
    image,
    {
      run() {
        avrInstruction(cpu);
        cpu.tick();
      },
      get cycles() {
        return cpu.cycles;
      },
      get pc() {
        return cpu.pc;
      },
      get sp() {
        return cpu.SP;
      },
      returnsTo: () => undefined,
      memory: cpu.data,
      place: (value) => value - (value >= dataAt ? dataAt : 0),
      code: (value) => value >> 1,
      popped: 2,
      stackTop: registers + memory,
    },
    ownFunctions,
  );
}
