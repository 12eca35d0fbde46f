import type { Notes } from '../program/machine';

/** What is told of a run while it goes on. */

export interface MessageArgument {
  readonly name: string;
  readonly value: number;
}

/** One message on its way: superdense time, sender (-1: from outside) and receivers. */
export interface MessageRecord {
  readonly time: number;
  readonly step: number;
  readonly message: string;
  readonly sender: number;
  readonly receivers: readonly number[];
  readonly args: readonly MessageArgument[];
  /** Whether a chart took a transition for it. */
  readonly taken: boolean;
  /** An active state keeps it for later. */
  readonly kept: boolean;
  /** When it was sent; earlier than `time` where it was sent to arrive later. */
  readonly sent: number;
}

export interface TransitionRecord {
  readonly time: number;
  readonly step: number;
  readonly chart: number;
  readonly transition: number;
}

/** `sample` rows lie on the recording grid (and at both ends), `step` rows where the integrator happened to stop. */
export type RecordedRowKind = 'sample' | 'step' | 'before-event' | 'after-event';

/** Event rows of a tick at which nothing else is known to happen, and whether it lies on the recording grid. */
export type TickRow = 'on-grid' | 'between';

/** Told of everything that happens, in order. */
export interface Observer {
  /** Values of all variables at a time; `event` rows come in pairs, before and after. */
  row(time: number, values: Float64Array, kind: RecordedRowKind, tick?: TickRow): void;
  message(record: MessageRecord): void;
  transition(record: TransitionRecord): void;
  /** Told of what the run comes through, where that is counted. */
  readonly notes?: Notes | undefined;
}
