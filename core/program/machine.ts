import { lookUp, rootSlope } from '../flatten/flat-expression';
import type { FlatSend } from '../flatten/flat-model';
import { newPast, notePast, readPast, type Past } from './delay-line';
import type { FlatStep } from './flat-step';
import type { InstructionList } from './instructions';
import { newton, newtonWork } from './newton';
import type { Program } from './program';
import { writeJavaScript } from './write-js';

/** What generated code works on: a machine made with a copy of it goes on from there. */
export interface Memory {
  /** Values of all variables. */
  readonly v: Float64Array;
  /** Values before the event, for `pre`. */
  readonly pre: Float64Array;
  /** Derivatives of the states. */
  readonly d: Float64Array;
  /** Held values of conditions and step functions. */
  readonly m: Float64Array;
  /** Their values as of now, and how far each condition is from changing. */
  readonly live: Float64Array;
  readonly z: Float64Array;
  /** How far from zero a condition that rests may be before it moves on; 0 where it does not rest (`simulate/rests.ts`). */
  readonly rests: Float64Array;
  /** 1 while a sample instant is being handled. */
  readonly s: Float64Array;
  /** [initial, terminal] */
  readonly flags: Float64Array;
  /** Past values that `delay` looks up. */
  readonly past: Past[];
}

export interface Machine {
  readonly memory: Memory;
  /** Derivatives of the states y at t, conditions held. */
  derivatives(t: number, y: Float64Array, dy: Float64Array): void;
  /** Partial derivatives of the derivatives by the states at (t, y): row after row, or in the order of `Program.jacobianRows`. */
  readonly jacobian: ((t: number, y: Float64Array, J: Float64Array) => void) | undefined;
  /** The stages of an explicit step with the right-hand side written in, for programs small enough. */
  readonly flatStep: FlatStep | undefined;
  /** All variables at t for the states in memory, conditions held. */
  outputs(t: number): void;
  /** All variables at t, conditions as of now. */
  event(t: number): void;
  /** As `event`, with the initial equations. */
  initial(t: number): void;
  /** `live` and `z` for the values in memory. */
  conditions(t: number): void;
  /** The argument of each root in `Program.roots`, and the size of the terms it is made of; NaN where its branch is not taken. */
  roots(t: number, out: Float64Array): void;
  /** Divisor and dividend of each quotient in `Program.quotients`; NaN where its branch is not taken. */
  quotients(t: number, out: Float64Array): void;
  /** How far the constraints, and at the start also its equations, are from holding. */
  residuals(t: number, out: Float64Array, start: boolean): void;
  parameters(overrides: ReadonlyMap<number, number>): void;
  starts(): void;
  /** Keeps the present values of what is delayed. */
  note(t: number): void;
  guard(k: number, t: number): boolean;
  /** Tells how the condition of a trigger comes out. */
  asked(k: number, t: number): void;
  /** Seconds of a time trigger, numbered over all triggers of all charts. */
  delay(k: number, t: number): number;
  /** Seconds between the do texts of a chart. */
  period(k: number, t: number): number;
  /** `after`: seconds until it is handed over, undefined for now. */
  effect(
    k: number,
    t: number,
    send: (send: FlatSend, args: number[], after?: number) => void,
    cancel: (what: { readonly sender: number; readonly message: string }) => void,
  ): void;
  action(k: number, t: number): number[];
  assertion(k: number, t: number): boolean;
  sampleTimes(k: number): { start: number; interval: number };
  /** How the residuals of a torn block change with its torn unknowns, row after row, for the values in memory. */
  loopSlopes(k: number, t: number, J: Float64Array): void;
}

type Points = readonly { readonly x: Float64Array; readonly y: Float64Array }[];
/** What is told of a run by whoever runs it, by the numbers of a coverage plan. */
export interface Notes {
  /** Of a decision its value, and its conditions as bits of a word, the first the lowest. It returns the value. */
  told<T extends number | boolean>(decision: number, value: T, word: number): T;
  /** A point has been reached. */
  came(point: number): void;
}
export const withoutNotes: Notes = { told: (_, value) => value, came: () => undefined };

type Factory = (
  memory: Memory,
  solver: typeof newton,
  works: readonly ReturnType<typeof newtonWork>[],
  sends: Program['sends'],
  cancels: Program['cancels'],
  read: typeof readPast,
  note: typeof notePast,
  look: typeof lookUp,
  tables: Points,
  slope: typeof rootSlope,
  told: Notes['told'],
) => Omit<Machine, 'memory'>;

/** Text and tables are made once for a list. */
const factories = new WeakMap<InstructionList, { readonly make: Factory; readonly tables: Points }>();

function factoryOf(list: InstructionList) {
  let known = factories.get(list);
  if (!known) {
    const names = [
      'M',
      'newton',
      'works',
      'sends',
      'cancels',
      'readPast',
      'notePast',
      'lookUp',
      'tables',
      'rootSlope',
      'told',
    ];
    known = {
      // in a sandbox, names of the global object are looked up slowly
      make: new Function('Math', 'Infinity', ...names, writeJavaScript(list)).bind(null, Math, Infinity) as Factory,
      tables: list.tables.map((t) => ({ x: Float64Array.from(t.x), y: Float64Array.from(t.y) })),
    };
    factories.set(list, known);
  }
  return known;
}

export function newMemory({ list: { sizes, states } }: Program): Memory {
  return {
    v: new Float64Array(sizes.variables),
    pre: new Float64Array(sizes.variables),
    d: new Float64Array(states.length),
    m: new Float64Array(sizes.conditions),
    live: new Float64Array(sizes.conditions),
    z: new Float64Array(sizes.conditions),
    rests: new Float64Array(sizes.conditions),
    s: new Float64Array(sizes.samples),
    flags: new Float64Array(2),
    past: Array.from({ length: sizes.pasts }, newPast),
  };
}

/** A program made to run, with a memory of its own or that of another machine of it. */
export function instantiate(
  program: Program,
  memory: Memory = newMemory(program),
  { told }: Notes = withoutNotes,
): Machine {
  const { list } = program;
  const { make, tables } = factoryOf(list);
  return {
    memory,
    ...make(
      memory,
      newton,
      list.blocks.map((b) => newtonWork(b.tears.length)),
      program.sends,
      program.cancels,
      readPast,
      notePast,
      lookUp,
      tables,
      rootSlope,
      told,
    ),
  };
}
