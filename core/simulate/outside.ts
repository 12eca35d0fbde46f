import type { MessageArgument, MessageRecord } from './observer';

/** What is done to a simulation from outside. */

/** Something done from outside at a given time. */
export type Stimulus = Outside & {
  readonly time: number;
  /** An operator did it: it is not part of the setup, and a run that goes another way does not do it. */
  readonly byHand?: true;
};

/** Watches a run and sends messages into it, such as a written sequence. */
export interface Driver {
  /** When it wants to look again by itself, after the time it looked last. */
  nextTime(): number;
  /** Looks at all values when something has happened, or its time has come; returns what it sends now. */
  look(time: number, values: Float64Array): readonly Outside[];
  /** Hears every message that is handed over. */
  message?(record: MessageRecord, values: Float64Array): void;
  /** What it goes along with need not go on: the run ends. */
  isOver?(): boolean;
}

/** Something done from outside now. */
export type Outside =
  | {
      readonly kind: 'send';
      readonly part: number;
      readonly message: string;
      readonly args: readonly MessageArgument[];
      /** The part that sends it, by number; missing where nobody inside does. */
      readonly sender?: number;
    }
  | { readonly kind: 'set'; readonly variable: number; readonly value: number };
