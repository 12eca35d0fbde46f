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
    volts(line: string): number;
    keep(): readonly number[];
    restore(bytes: readonly number[]): void;
  };
  /** What its functions took. */
  profile?(): StepProfile;
  close?(): void;
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
