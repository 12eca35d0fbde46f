import { lengthOnLine } from './frames';

/** A serial line of a board: bits per second, and every how many steps something is told. */
export interface SerialLine {
  readonly baud: number;
  readonly every: number;
}

/** What a board and the one who watches it say to each other, in the bytes of a frame. Numbers are as the chip has them, the low byte first. */

/** What a board says: which telling it is, the last order it has followed, the step it is of, and the values that were asked for. */
export interface Telling {
  readonly count: number;
  readonly followed: number;
  /** Counts from 0 again after 65,535. */
  readonly step: number;
  /** Four bytes each. */
  readonly values: readonly Uint8Array[];
}
/** What it is told: to watch a slot in one of its places, or to give one a value. */
export interface Order {
  readonly count: number;
  readonly kind: 'watch' | 'set';
  /** Place in what it tells, for `watch`. */
  readonly place: number;
  readonly slot: number;
  /** Four bytes, for `set`. */
  readonly value: Uint8Array;
}

export const tellingKind = 1;
export const orderKinds = { watch: 2, set: 3 } as const;
const head = 5;
/** So many values at most are told at once. */
export const mostWatched = 8;
/** A place that watches nothing. */
export const noSlot = 0xffff;

export const bytesOfOrder = ({ count, kind, place, slot, value }: Order): readonly number[] => [
  orderKinds[kind],
  count,
  place,
  slot & 0xff,
  slot >> 8,
  ...value,
];

export function readTelling(said: readonly number[]): Telling | undefined {
  if (said[0] !== tellingKind || said.length < head || (said.length - head) % 4 !== 0) return undefined;
  return {
    count: said[1],
    followed: said[2],
    step: said[3] + 256 * said[4],
    values: Array.from({ length: (said.length - head) / 4 }, (_, k) =>
      Uint8Array.from(said.slice(head + 4 * k, head + 4 * k + 4)),
    ),
  };
}

/** Bytes on the line for a telling of so many values. */
export const tellingLength = (values: number): number => lengthOnLine(head + 4 * values);

/** What a line can carry: ten bits are one byte. */
export const bytesPerSecond = (baud: number): number => baud / 10;
