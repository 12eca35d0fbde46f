import {
  adcConfig,
  AVRADC,
  avrInstruction,
  AVRIOPort,
  AVRUSART,
  CPU,
  portBConfig,
  portCConfig,
  portDConfig,
  usart0Config,
} from 'avr8js';
import { chips } from '../pins/chips';
import type { Pin } from '../pins/pin-boards';
import { createChip, fill, type Chip, type ChipOptions } from './chip';
import { machines, type ElfFile } from './elf';

const dataAt = 0x800000;
const registers = 0x100;
/** Registers that a program computes with: 32, the place of the stack, and the flags. */
const kept = [...Array(32).keys(), 0x5d, 0x5e, 0x5f];
const returning = 0x9508;
/** Words of a loop that can do no more than wait. */
const shortLoop = 8;

/** Registers by the port they are of: which of its pins are outputs, and what they put out. */
const ports = [
  { first: 0, config: portDConfig },
  { first: 8, config: portBConfig },
  { first: 14, config: portCConfig },
];
/**
 * Of the timer that makes pulses: how it works, whether it goes up only, where it turns back, up to where its outputs are on, and whether they
 * are on from there instead.
 */
const timer = {
  control: 0x80,
  mode: 0x81,
  upOnly: 0x08,
  top: 0x86,
  compare: [0x88, 0x8a],
  on: [0x80, 0x20],
  inverted: [0x40, 0x10],
};

/** The chip of 8 bits: its cycles are those of the real one. */
export function createChip8(
  image: ElfFile,
  memory: number,
  ownFunctions: readonly string[],
  { isQuick = true, clock = chips.avr8.clock.usual }: ChipOptions = {},
): Chip | string {
  if (image.machine !== machines.avr) return 'This image is for another chip';
  const program = new Uint8Array(32 * 1024).fill(0xff);
  for (const { address, bytes } of image.segments) {
    // what is loaded at places of data is copied there by the start of the image
    if (address + bytes.length > program.length) return 'The image does not fit into the flash of the board';
    program.set(bytes, address);
  }
  const cpu = new CPU(new Uint16Array(program.buffer), memory);
  cpu.data.fill(fill, registers);
  const usart = new AVRUSART(cpu, usart0Config, clock);
  const inside = usart as unknown as { readonly UDRE: { constant?: boolean }; readonly cyclesPerChar: number };
  // serving "empty" leaves it empty, as on the real chip
  inside.UDRE.constant = true;
  const sent: { readonly cycle: number; readonly byte: number }[] = [];
  usart.onByteTransmit = (byte) => void sent.push({ cycle: cpu.cycles + inside.cyclesPerChar, byte });
  const coming: number[] = [];
  const feed = (): void => {
    if (coming.length > 0 && usart.writeByte(coming[0])) coming.shift();
  };
  usart.onRxComplete = feed;
  const converter = new AVRADC(cpu, adcConfig);
  converter.channelValues.fill(0);
  const outside = ports.map(({ config }) => new AVRIOPort(cpu, config));
  const portOf = ({ number }: Pin) => {
    const k = ports.findLastIndex((p) => number >= p.first);
    const index = number - ports[k].first;
    const { DDR: drive, PORT: put } = ports[k].config;
    return { port: outside[k], index, bit: 1 << index, drive, put };
  };
  const setLevel = (pin: Pin, isHigh: boolean): void => {
    const { port, index } = portOf(pin);
    port.setPin(index, isHigh);
  };
  // a short loop that has changed nothing since it was last here waits for the next event of the chip: whole turns of it are left out
  const before = { event: -1, pc: -1, cycles: 0, registers: new Uint8Array(registers) };
  const nextEvent = (): { readonly cycles: number } | null =>
    (cpu as unknown as { readonly nextClockEvent: { readonly cycles: number } | null }).nextClockEvent;
  const waits = (): void => {
    const event = nextEvent();
    if (!event) return;
    if (
      before.event === event.cycles &&
      before.pc === cpu.pc &&
      kept.every((k) => cpu.data[k] === before.registers[k])
    ) {
      const turn = cpu.cycles - before.cycles;
      cpu.cycles += turn * Math.max(0, Math.floor((event.cycles - 1 - cpu.cycles) / turn));
    }
    before.event = event.cycles;
    before.pc = cpu.pc;
    before.cycles = cpu.cycles;
    for (const k of kept) before.registers[k] = cpu.data[k];
  };
  const word = (at: number): number => cpu.data[at] + 256 * cpu.data[at + 1];
  return createChip(
    image,
    {
      run(entries) {
        const { pc } = cpu;
        const isReturn = cpu.progMem[pc] === returning;
        avrInstruction(cpu);
        cpu.tick();
        if (isQuick && cpu.pc < pc && pc - cpu.pc < shortLoop) waits();
        return (isReturn ? 1 : 0) | (entries[cpu.pc] >= 0 ? 2 : 0);
      },
      get cycles() {
        return cpu.cycles;
      },
      get pc() {
        return cpu.pc;
      },
      get at() {
        return cpu.pc;
      },
      instructions: program.length / 2,
      numberOf: (address) => address,
      get sp() {
        return cpu.SP;
      },
      returnsTo: () => undefined,
      memory: cpu.data,
      place: (value) => value - (value >= dataAt ? dataAt : 0),
      code: (value) => value >> 1,
      popped: 2,
      stackTop: registers + memory,
      setVolts(pin, isMeasured, volts, supply) {
        if (isMeasured) {
          converter.avcc = supply;
          converter.channelValues[pin.analog] = volts;
          return;
        }
        setLevel(pin, volts > supply / 2);
      },
      setLevel,
      line: {
        next: () => nextEvent()?.cycles ?? Infinity,
        send(bytes) {
          coming.push(...bytes);
          if (!usart.rxBusy) feed();
        },
        take: (until) => sent.splice(0, sent.filter((s) => s.cycle <= until).length),
      },
      skipTo: (cycle) => void (cpu.cycles = cycle),
      share(pin, isPulsed) {
        const { drive, put, bit } = portOf(pin);
        if ((cpu.data[drive] & bit) === 0) return 0;
        const level = Number((cpu.data[put] & bit) !== 0);
        if (!isPulsed) return level;
        const { output } = pin.pulses!;
        const top = word(timer.top);
        // a timer that is not led to the pin leaves it as it is
        if ((cpu.data[timer.control] & timer.on[output]) === 0 || top === 0) return level;
        // what goes up only is on for one more than it is compared with
        const more = (cpu.data[timer.mode] & timer.upOnly) !== 0 ? 1 : 0;
        const share = Math.min(1, (word(timer.compare[output]) + more) / (top + more));
        return (cpu.data[timer.control] & timer.inverted[output]) !== 0 ? 1 - share : share;
      },
    },
    ownFunctions,
    clock,
  );
}
