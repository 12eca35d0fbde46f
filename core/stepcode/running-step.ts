/** A program of steps that runs somewhere: as JavaScript, as a process of this machine, on a chip. */
export interface RunningStep {
  init(): void;
  step(): void;
  /** Of a slot; of an array its elements. */
  read(slot: number): number;
  write(slot: number, value: number): void;
  /** All of a slot, to be put back later. */
  keep(slot: number): number | readonly number[];
  restore(slot: number, value: number | readonly number[]): void;
  /** Seconds the last step took where it ran; nothing where that is not known. */
  seconds?(): number;
  /** Seconds until the last step was done, pins read and written included; nothing where that is the same. */
  busy?(): number;
  /** Pins it has: volts at inputs are set, those of outputs are looked at, of pulses their mean; what it remembers of them, as bytes. */
  readonly pins?: {
    set(line: string, volts: number): void;
    /** What is measured before a step is measured: the first of such moments is 0. */
    measure(moment: number): void;
    /** Encoders turn until they have turned by so many counts since the beginning, one edge after the other within so many seconds. */
    turn(counts: ReadonlyMap<string, number>, seconds: number): void;
    volts(line: string, isOther?: boolean): number;
    keep(): readonly number[];
    restore(bytes: readonly number[], counts: ReadonlyMap<string, number>): void;
  };
  /** Of slots with a storage: how often a value was beyond it, and what rounding has added up to, in its unit. */
  fits?(): readonly (readonly [slot: number, beyond: number, lost: number])[];
  /** Its serial line, where it has one. */
  readonly line?: StepLine;
  /** What its functions took. */
  profile?(): StepProfile;
}

/** The other end of a serial line: time passes on it, bytes go and come, values are in the bytes of the chip. */
export interface StepLine {
  /** Lets time pass until so many seconds after the beginning; what came until then. */
  wait(seconds: number): readonly { readonly time: number; readonly byte: number }[];
  send(bytes: readonly number[]): void;
  /** Of a slot, as the firmware counts them. */
  numberOf(slot: number): number;
  read(slot: number, bytes: Uint8Array): number;
  bytes(slot: number, value: number): Uint8Array;
}

export interface StepProfile {
  readonly unit: 'ns' | 'cycles';
  readonly functions: readonly FunctionTime[];
  /** What the numbers do not say; empty where they say all. */
  readonly note: string;
  /** Most bytes of the stack, where it was watched. */
  readonly stack?: number;
}

/** What a function took, over its calls, those it calls included. */
export interface FunctionTime {
  readonly name: string;
  readonly calls: number;
  readonly min: number;
  readonly mean: number;
  readonly max: number;
}
