import type { FunctionTime } from '../stepcode/running-step';
import type { ElfFile } from './elf';
import type { Pin } from '../pins/pin-boards';
import type { Area, Target } from './target';
import { firmwareNames } from './write-firmware';
import { linkTurn } from './write-link';
import { pinMemory, waitTurn } from './write-pins';

/** A chip with an image in it, that goes one step each time it is told to, and is watched while it does. */
export interface Chip extends Target {
  /** What each function has taken so far, those it calls included. */
  functions(): readonly FunctionTime[];
  /** Cycles of the last step. */
  readonly cycles: number;
  /** Cycles of the last step, pins read and written included. */
  readonly busy: number;
  /** Volts at an input; the converter compares them with what the board is supplied with. */
  setVolts(pin: Pin, isMeasured: boolean, volts: number, supply: number): void;
  /** Share of the time in which an output is on. */
  share(pin: Pin, isPulsed: boolean): number;
  /** Levels of inputs change one after the other, each at its part of so many seconds. */
  turn(edges: readonly Edge[], seconds: number): void;
  /** Voltages are measured that the next step needs, at one of the moments before it. */
  measure(moment: number): void;
  /** What the firmware remembers of its pins. */
  keepPins(): readonly number[];
  restorePins(bytes: readonly number[], levels: readonly (readonly [pin: Pin, isHigh: boolean])[]): void;
  /** Its serial line; nothing where the image has none. */
  readonly line: SerialEnd | undefined;
  /** Most bytes of the stack that have been written since the image was loaded. */
  stack(): number;
}

/** Levels that two lines have from then on. */
export interface Edge {
  readonly part: number;
  readonly levels: readonly (readonly [pin: Pin, isHigh: boolean])[];
}

/** Where the one who watches a chip is at its serial line. */
export interface SerialEnd {
  /** Lets the chip wait for its next step until so many seconds after its beginning; what came over the line until then. */
  wait(seconds: number): readonly SerialByte[];
  send(bytes: readonly number[]): void;
}
export interface SerialByte {
  /** Seconds since the chip began. */
  readonly time: number;
  readonly byte: number;
}

export interface ChipOptions {
  /** Whole turns of loops that wait are gone through at once, which changes no count. */
  readonly isQuick?: boolean;
  /** Hz; without it what boards usually have. */
  readonly clock?: number;
}

/** The core of a chip, as its wrapper needs it. */
export interface ChipCore {
  /**
   * One instruction; whether a function may have come to its end with it (1), or one of the entries is next (2). Loops that wait for something
   * of the chip may be gone through at once.
   */
  run(entries: Int16Array): number;
  readonly cycles: number;
  /** Address of the next instruction. */
  readonly pc: number;
  /** Its number among all instructions there can be, and how many these are. */
  readonly at: number;
  readonly instructions: number;
  /** Number of the instruction at an address. */
  numberOf(address: number): number;
  readonly sp: number;
  /** Where the function that has just been entered goes back to; undefined where the stack pointer alone tells. */
  returnsTo(): number | undefined;
  readonly memory: Uint8Array;
  /** Address in memory of a symbol's value. */
  place(value: number): number;
  /** Instruction address of a function's value. */
  code(value: number): number;
  /** By how much the stack pointer is higher once a function has returned. */
  readonly popped: number;
  /** End of the stack, as a place in memory. */
  readonly stackTop: number;
  setVolts(pin: Pin, isMeasured: boolean, volts: number, supply: number): void;
  setLevel(pin: Pin, isHigh: boolean): void;
  share(pin: Pin, isPulsed: boolean): number;
  readonly line: CoreLine;
  /** Nothing happens until then. */
  skipTo(cycle: number): void;
}

/** The peripheral of a serial line. */
export interface CoreLine {
  /** Cycle at which it next does something; Infinity for never. */
  next(): number;
  send(bytes: readonly number[]): void;
  /** Bytes that were complete until then, each with the cycle at which it was. */
  take(until: number): readonly { readonly cycle: number; readonly byte: number }[];
}

/** What a step may take before it is given up, in cycles. */
const longest = 400_000_000;
/** What memory is filled with, so that the stack can be seen to have been there. */
export const fill = 0xa5;

export function createChip(
  image: ElfFile,
  core: ChipCore,
  ownFunctions: readonly string[],
  clock: number,
): Chip | string {
  const missing = Object.entries(firmwareNames).find(([key, n]) => key !== 'layout' && !image.symbols.has(n));
  if (missing) return `The image has no ${missing[1]}`;
  const at = (name: string): number => core.place(image.symbols.get(name)!.value);
  const areas: Readonly<Record<Area, number>> = {
    state: at(firmwareNames.state),
    input: at(firmwareNames.input),
    output: at(firmwareNames.output),
  };
  const [go, done] = [at(firmwareNames.go), at(firmwareNames.done)];
  const { memory } = core;
  // --- time of functions: by the address they begin at, until the stack is where it was
  const times = ownFunctions.flatMap((name) => {
    const symbol = image.symbols.get(name);
    return symbol?.kind === 'function'
      ? [{ name, entry: core.code(symbol.value), calls: 0, total: 0, min: Infinity, max: 0 }]
      : [];
  });
  const entries = new Int16Array(core.instructions).fill(-1);
  times.forEach((t, k) => (entries[core.numberOf(t.entry)] = k));
  const open: { readonly of: number; readonly from: number; readonly sp: number; readonly back: number | undefined }[] =
    [];
  /** Goes on until a byte of the memory is another one. */
  const goesOn = (address: number, from: number): void => {
    const end = core.cycles + longest;
    for (let n = 1; memory[address] === from; n++) {
      const what = core.run(entries);
      if (what !== 0) {
        if ((what & 1) !== 0) returns();
        const k = entries[core.at];
        if (k >= 0 && open.at(-1)?.sp !== core.sp)
          open.push({ of: k, from: core.cycles, sp: core.sp, back: core.returnsTo() });
      }
      // that is looked at now and then
      if ((n & 0xffff) === 0 && core.cycles > end) throw new Error('The step does not come to its end on the board');
    }
  };
  const returns = (): void => {
    for (let top = open.at(-1); top; top = open.at(-1)) {
      const isBack = core.sp === top.sp + core.popped && (top.back === undefined || core.pc === top.back);
      if (!isBack) break;
      open.pop();
      const t = times[top.of];
      const cycles = core.cycles - top.from;
      t.calls++;
      t.total += cycles;
      t.min = Math.min(t.min, cycles);
      t.max = Math.max(t.max, cycles);
      if (open.length > 0) continue;
      // pins are read before the step, and written after it
      busy += cycles;
      if (!t.name.startsWith('board_')) last = cycles;
    }
  };
  let last = 0;
  let busy = 0;
  /** Tells it to do something, and waits until that is done. */
  const tell = (what: number): void => {
    const before = memory[done];
    memory[go] = what;
    goesOn(done, before);
  };
  // where it waits for its next step, and can be seen to
  const turn = image.symbols.get(linkTurn) ?? image.symbols.get(waitTurn);
  const hasLine = image.symbols.has(linkTurn);
  const turnAt = turn ? core.numberOf(core.code(turn.value)) : -1;
  /** Goes on until it is at the beginning of a turn of the loop in which it waits. */
  const goOneTurn = (): void => {
    const end = core.cycles + longest;
    do {
      core.run(entries);
      if (core.cycles > end) throw new Error('The board does not wait for its next step');
    } while (core.at !== turnAt);
  };
  let begun = 0;
  const line: SerialEnd = {
    wait(seconds) {
      const until = begun + Math.round(seconds * clock);
      goOneTurn();
      while (core.cycles < until) {
        core.skipTo(Math.min(until, Math.max(core.cycles + 1, core.line.next())));
        goOneTurn();
      }
      return core.line.take(until).map(({ cycle, byte }) => ({ time: (cycle - begun) / clock, byte }));
    },
    send: (bytes) => core.line.send(bytes),
  };
  /** Time passes, in which it does what it is interrupted for. */
  const passes = (until: number): void => {
    core.run(entries);
    while (core.cycles < until) {
      if (core.at === turnAt) core.skipTo(until);
      else core.run(entries);
    }
  };
  const put = (levels: Edge['levels']): void => levels.forEach(([pin, isHigh]) => core.setLevel(pin, isHigh));
  const remembered = image.symbols.get(pinMemory);
  const pinsAt = remembered ? core.place(remembered.value) : 0;
  const [stackFrom, stackTo] = [core.place(image.memoryEnd), core.stackTop];
  return {
    init() {
      for (let k = memory[done]; k !== 1; k = memory[done]) goesOn(done, k);
      begun = core.cycles;
    },
    step() {
      // what waits for its turn is not counted: that depends on when it is looked at
      busy = 0;
      tell(1);
    },
    measure: (moment) => tell(2 + moment),
    read: (area, offset, length) => memory.slice(areas[area] + offset, areas[area] + offset + length),
    write: (area, offset, bytes) => memory.set(bytes, areas[area] + offset),
    get cycles() {
      return last;
    },
    get busy() {
      return busy;
    },
    line: hasLine ? line : undefined,
    setVolts: core.setVolts,
    share: core.share,
    keepPins: () => (remembered ? [...memory.subarray(pinsAt, pinsAt + remembered.size)] : []),
    restorePins(bytes, levels) {
      if (levels.length > 0) {
        put(levels);
        goOneTurn();
        goOneTurn();
      }
      memory.set(bytes, pinsAt);
    },
    turn(edges, seconds) {
      if (edges.length === 0) return;
      const from = core.cycles;
      for (const { part, levels } of edges) {
        // what is listened to is at the next step already: edges come as quickly as they are counted
        if (!hasLine) passes(from + Math.round(part * seconds * clock));
        put(levels);
        if (hasLine) goOneTurn();
      }
      goOneTurn();
    },
    functions: () =>
      times
        .filter((t) => t.calls > 0)
        .map(({ name, calls, total, min, max }) => ({ name, calls, min, mean: total / calls, max })),
    stack() {
      let from = stackFrom;
      while (from < stackTo && memory[from] === fill) from++;
      return stackTo - from;
    },
  };
}
