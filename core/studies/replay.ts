import type { RunningStep } from '../stepcode/running-step';
import type { DoneInSteps } from '../stepcode/step-driver';
import type { StepProgram } from '../stepcode/step-program';

/** Steps that were gone once, for going them again somewhere else: slots are told by role and name. */
export interface Replay {
  /** Parameters and what is kept, as they begin. */
  readonly begins: readonly (readonly [slot: string, value: number])[];
  readonly inputs: readonly string[];
  /** What is looked at after each step. */
  readonly shown: readonly string[];
  /** Inputs of every step, in their order. */
  readonly rows: readonly (readonly number[] | Float64Array)[];
}
export interface Replayed {
  /** Of what is looked at, whether it is there. */
  readonly shown: readonly boolean[];
  /** After every step, in the order of what is looked at. */
  readonly rows: readonly (readonly number[] | Float64Array)[];
}
export type DoneHere = DoneInSteps & { readonly program: StepProgram; readonly name: string };

const keyOf = ({ slots }: StepProgram, slot: number): string => `${slots[slot].role} ${slots[slot].name}`;

/** Undefined where parameters got other values on the way, and where no step was kept. */
export function replayOf(did: DoneHere): Replay | undefined {
  if (did.isChanged() || did.inputs.length === 0) return undefined;
  return {
    begins: [...did.begins].map(([slot, value]) => [keyOf(did.program, slot), value]),
    inputs: did.program.slots.flatMap((s, slot) =>
      s.role === 'input' && s.size === 0 ? [keyOf(did.program, slot)] : [],
    ),
    shown: did.shown.map((slot) => keyOf(did.program, slot)),
    rows: did.inputs,
  };
}

/** Goes the steps again; `goesOn` is asked now and then, and ends it by throwing. */
export function replayed(
  program: StepProgram,
  run: RunningStep,
  { begins, inputs, shown, rows }: Replay,
  goesOn: () => void = () => undefined,
): Replayed {
  const own = new Map(program.slots.map((_, slot) => [keyOf(program, slot), slot]));
  const to = inputs.map((key) => own.get(key));
  const from = shown.map((key) => own.get(key));
  run.init();
  for (const [key, value] of begins) {
    const slot = own.get(key);
    if (slot !== undefined) run.write(slot, value);
  }
  return {
    shown: from.map((slot) => slot !== undefined),
    rows: rows.map((row, n) => {
      if (n % 256 === 0) goesOn();
      to.forEach((slot, k) => {
        if (slot !== undefined) run.write(slot, row[k]);
      });
      run.step();
      return from.map((slot) => (slot === undefined ? NaN : run.read(slot)));
    }),
  };
}

// --- as text

/** Numbers to the last bit, no number and the infinite ones included. */
export function rowsAsText(rows: readonly (readonly number[] | Float64Array)[]): string {
  const width = rows[0]?.length ?? 0;
  const all = new Float64Array(rows.length * width);
  rows.forEach((row, k) => all.set(row, k * width));
  const bytes = new Uint8Array(all.buffer);
  let text = '';
  for (let k = 0; k < bytes.length; k += 8192) text += String.fromCharCode(...bytes.subarray(k, k + 8192));
  return btoa(text);
}
/** Undefined where it is no such text of so many rows of that width. */
export function rowsOfText(text: string, width: number, count: number): readonly Float64Array[] | undefined {
  let bytes: Uint8Array;
  try {
    bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
  } catch {
    return undefined;
  }
  if (bytes.length !== 8 * width * count) return undefined;
  const all = new Float64Array(bytes.buffer);
  return Array.from({ length: count }, (_, k) => all.subarray(k * width, (k + 1) * width));
}
