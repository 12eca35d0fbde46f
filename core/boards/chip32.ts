import { ConsoleLogger, LogLevel, RP2040 } from 'rp2040js';
import { chips } from '../pins/chips';
import { measured } from '../pins/pin-side';
import { createChip, fill, type Chip, type ChipOptions, type CoreLine } from './chip';
import { machines, type ElfFile } from './elf';

const flashAt = 0x10000000,
  memoryAt = 0x20000000;
const converterBits = 12;
/** Bytes of a loop that can do no more than wait. */
const shortLoop = 20;
const usedAs = { pulses: 4, line: 5 };
/** Outputs of a timer that are on where they would be off. */
const inverted = [1 << 2, 1 << 3];

/**
 * The chip of 32 bits without a unit for real numbers. Its emulator counts a cycle too few where a return address is put onto the stack, or taken
 * from it; that is put right here. Waiting for its flash is not counted at all: what is counted is the least it takes.
 */
export function createChip32(
  image: ElfFile,
  memory: number,
  ownFunctions: readonly string[],
  { isQuick = true, clock: hertz = chips['cortex-m0plus'].clock.usual }: ChipOptions = {},
): Chip | string {
  if (image.machine !== machines.arm) return 'This image is for another chip';
  const chip = new RP2040();
  chip.logger = new ConsoleLogger(LogLevel.Error, false);
  const { core } = chip;
  const nanosPerCycle = 1e9 / hertz;
  // its clock is one that is moved on by hand
  const clock = chip.clock as typeof chip.clock & { tick(nanos: number): void; readonly nanosToNextAlarm: number };
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
  const line = timedLine(chip.uart[0], () => cycles);
  // as on the small chip: whole turns of a loop that waits are left out
  const before = { at: -1, pc: -1, cycles: 0, registers: new Uint32Array(16), flags: '' };
  const waits = (): void => {
    const flags = `${core.N}${core.Z}${core.C}${core.V}`;
    const at = clock.nanos + clock.nanosToNextAlarm;
    if (
      before.at === at &&
      before.pc === core.PC &&
      before.flags === flags &&
      before.registers.every((x, k) => x === core.registers[k])
    ) {
      const turn = cycles - before.cycles;
      const left = Math.max(0, Math.floor((clock.nanosToNextAlarm - 1) / (turn * nanosPerCycle)));
      cycles += left * turn;
      clock.tick(left * turn * nanosPerCycle);
    }
    before.at = at;
    before.pc = core.PC;
    before.cycles = cycles;
    before.flags = flags;
    before.registers.set(core.registers);
  };
  return createChip(
    image,
    {
      run(entries) {
        const pc = core.PC;
        const opcode = chip.flash16[(pc - flashAt) >> 1];
        const kind = opcode & 0xff00;
        const taken = core.executeInstruction() + (kind === 0xb500 || kind === 0xbd00 ? 1 : 0);
        cycles += taken;
        // nothing else waits for the clock of the chip
        if (chip.adc.busy) {
          clock.tick(taken * nanosPerCycle);
          if (isQuick && chip.adc.busy && core.PC < pc && pc - core.PC < shortLoop) waits();
        }
        const isReturn = kind === 0xbd00 || (opcode & 0xff87) === 0x4700;
        return (isReturn ? 1 : 0) | (entries[(core.PC - flashAt) >> 1] >= 0 ? 2 : 0);
      },
      get cycles() {
        return cycles;
      },
      get pc() {
        return core.PC;
      },
      get at() {
        return (core.PC - flashAt) >> 1;
      },
      instructions: chip.flash.length / 2,
      numberOf: (address) => (address - flashAt) >> 1,
      get sp() {
        return core.SP;
      },
      returnsTo: () => core.LR & ~1,
      memory: chip.sram,
      place: (value) => value - memoryAt,
      code: (value) => value & ~1,
      popped: 0,
      stackTop: memory,
      setVolts(pin, isMeasured, volts, supply) {
        if (isMeasured) chip.adc.channelValues[pin.analog] = measured(volts, supply, converterBits);
        else chip.gpio[pin.number].setInputValue(volts > supply / 2);
      },
      setLevel: (pin, isHigh) => chip.gpio[pin.number].setInputValue(isHigh),
      line,
      skipTo: (cycle) => void (cycles = cycle),
      share(pin, isPulsed) {
        const gpio = chip.gpio[pin.number];
        if (!isPulsed) return Number(gpio.functionSelect === usedAs.line && gpio.outputEnable && gpio.outputValue);
        const { timer, output } = pin.pulses!;
        const { cc, top, csr } = chip.pwm.channels[timer];
        if (gpio.functionSelect !== usedAs.pulses || (csr & 1) === 0) return 0;
        const share = Math.min(1, ((cc >>> (16 * output)) & 0xffff) / (top + 1));
        return (csr & inverted[output]) !== 0 ? 1 - share : share;
      },
    },
    ownFunctions,
    hertz,
  );
}

/** Bytes on the line, the longest queue the chip keeps, and bits of a byte with those around it. */
const queueLength = 32,
  bitsOfByte = 10,
  flags = { sendFull: 1 << 5, sendEmpty: 1 << 7, receiveEmpty: 1 << 4, receiveFull: 1 << 6 };

/** The emulated line takes no time: here it does, with a queue of its own length on either side. */
function timedLine(uart: RP2040['uart'][number], now: () => number): CoreLine {
  const perByte = (): number => Math.max(1, Math.round(bitsOfByte * 16 * uart.baudDivider));
  const sent: { readonly cycle: number; readonly byte: number }[] = [];
  const coming: { readonly cycle: number; readonly byte: number }[] = [];
  const isOnTheWay = (b: { readonly cycle: number }): boolean => b.cycle > now();
  let [lastSent, lastCome] = [0, 0];
  uart.onByte = (byte) => {
    lastSent = Math.max(now(), lastSent) + perByte();
    sent.push({ cycle: lastSent, byte });
  };
  const { rxFIFO } = uart as unknown as {
    readonly rxFIFO: { readonly empty: boolean; readonly full: boolean; push(byte: number): void };
  };
  Object.defineProperty(uart, 'flags', {
    get() {
      while (coming.length > 0 && !isOnTheWay(coming[0])) {
        // what finds no room is gone
        rxFIFO.push(coming.shift()!.byte);
      }
      const waiting = sent.filter(isOnTheWay).length;
      return (
        (waiting >= queueLength ? flags.sendFull : 0) |
        (waiting === 0 ? flags.sendEmpty : 0) |
        (rxFIFO.empty ? flags.receiveEmpty : 0) |
        (rxFIFO.full ? flags.receiveFull : 0)
      );
    },
  });
  return {
    next: () => Math.min(sent.find(isOnTheWay)?.cycle ?? Infinity, coming[0]?.cycle ?? Infinity),
    send(bytes) {
      for (const byte of bytes) {
        lastCome = Math.max(now(), lastCome) + perByte();
        coming.push({ cycle: lastCome, byte });
      }
    },
    take: (until) => sent.splice(0, sent.filter((b) => b.cycle <= until).length),
  };
}
