import type { Expr, Statement } from '../language/ast';
import type { ChartSource } from './chart-source';
import type { ChartStructure } from './chart-structure';
import type { Environment, RunValue } from './interpreter';

/** One chart on its own, in time that passes only when told to. */
export interface ChartRun {
  readonly structure: ChartStructure;
  readonly time: number;
  /** Names of the innermost active states, in document order. */
  active(): string[];
  value(name: string): RunValue;
  ended(): boolean;
  start(): void;
  send(name: string, data?: RunValue): void;
  /** Lets time pass, with everything that is due on the way. */
  advance(seconds: number): void;
  /** The next time at which something is due by itself. */
  nextTime(): number;
  /** Set where the chart does not come to rest. */
  readonly problem: string | undefined;
  /** Puts a message among those from outside, for the next look. */
  hand(name: string, sent: Sent): void;
  /** Handles what waits at this moment. */
  deliver(): void;
  /** What its last state has handed over. */
  result(): RunValue;
  /** Leaves all states, for good. */
  finish(): void;
}

/** For a chart that another one has started. */
export interface ChartRunOptions {
  readonly values?: ReadonlyMap<string, RunValue>;
  readonly time?: number;
  readonly parent?: { readonly id: string; hand(name: string, sent: Sent): void };
}

export interface Sent {
  readonly data: RunValue;
  readonly type: 'internal' | 'external' | 'platform';
  readonly sendid?: string;
  /** Where it can be answered. */
  readonly origin?: string;
  /** The service it comes from. */
  readonly invokeid?: string;
}

/** Another chart that a state keeps running while it is active, as SCXML's `invoke` has it. */
export interface Service {
  /** Name of the state. */
  readonly state: string;
  readonly id?: string;
  /** The quantity that takes a made-up id. */
  readonly idPlace?: string;
  /** The kind of service, where one is asked for. */
  readonly way?: Expr;
  /** Whether it hears every message from outside. */
  readonly forwards: boolean;
  readonly values: readonly { readonly name: string; readonly value: Expr }[];
  /** Carried out before a message of the service is looked at. */
  readonly finalize: readonly Statement[];
  /** The chart; undefined where there is none to be found. */
  open(env: Environment): ChartProgram | undefined;
}

/** A chart with the services of its states. */
export interface ChartProgram {
  readonly source: ChartSource;
  readonly services: readonly Service[];
}
