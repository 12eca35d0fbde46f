import { uniformAt } from '../numbers/random';
import { createFrameReader, frameOf } from './frames';
import { bytesOfOrder, noSlot, readTelling, tellingLength, type Order, type SerialLine } from './messages';

/** How a part on a board is watched over its serial line. */
export interface Watching extends SerialLine {
  /** Own quantities by name, no more than there are places. */
  readonly watch: readonly string[];
  /** Chance of a byte to have a bit turned over on the line. */
  readonly noise: number;
}

/** What came over a serial line, and what did not. */
export interface LineCounts {
  /** Frames that came whole. */
  readonly received: number;
  /** Frames that were told and did not come whole, or were left out by the board as the line was full. */
  readonly lost: number;
  /** Frames that came and were found broken. */
  readonly broken: number;
  /** Orders that were sent, those that were sent anew included, and those followed. */
  readonly sent: number;
  readonly followed: number;
  /** Share of what the line can carry that came over it. */
  readonly load: number;
}

/** Of a slot, as it was after a step and came at a time. */
export interface Reading {
  readonly time: number;
  readonly slot: number;
  readonly value: number;
}

/** The end of a line, as this side has it. */
export interface LineEnd {
  send(bytes: readonly number[]): void;
  numberOf(slot: number): number;
  read(slot: number, bytes: Uint8Array): number;
  bytes(slot: number, value: number): Uint8Array;
}

/** All that a watcher remembers, as plain data. */
export interface WatcherState {
  readonly orders: readonly (readonly [kind: Order['kind'], place: number, slot: number, value: number])[];
  readonly counts: Omit<LineCounts, 'load'>;
  readonly bytes: number;
  readonly beganAt: number;
}

const none = new Uint8Array(4);
/** Orders are counted from 1 to here: 0 is none. */
const mostOrders = 255;

/**
 * Watches a board over its line: asks for what is to be told, puts frames together, and gives orders one after the other, each anew until it has been
 * followed.
 */
export function createWatcher(
  end: LineEnd,
  { baud, every, noise }: Watching,
  watched: readonly number[],
  period: number,
  from?: WatcherState,
) {
  const reader = createFrameReader();
  // a board that begins anew knows nothing of what was asked
  const asked = watched.map((slot, place) => ['watch', place, slot, 0] as const);
  const open: (readonly [Order['kind'], number, number, number])[] = [
    ...asked,
    ...(from?.orders.filter(([kind]) => kind === 'set') ?? []),
  ];
  // what is under way comes within two tellings and two frames
  const patience = 2 * every * period + (4 * 10 * tellingLength(watched.length)) / baud + 4 * period;
  let { received, lost, broken, sent, followed } = from?.counts ?? {
    ...{ received: 0, lost: 0, broken: 0, sent: 0, followed: 0 },
  };
  let count = 0;
  let sentAt = -Infinity;
  let lastTold: number | undefined;
  let bytes = from?.bytes ?? 0;
  let beganAt = from?.beganAt ?? NaN;
  let passed = beganAt;
  let dice = 0;
  /** A byte as it comes out at the other end. */
  const damaged = (byte: number): number => {
    if (noise === 0) return byte;
    dice++;
    return uniformAt(7, dice, 0) < noise ? byte ^ (1 << Math.floor(8 * uniformAt(7, dice, 1))) : byte;
  };
  const give = (time: number): void => {
    const [kind, place, slot, value] = open[0];
    const order: Order = {
      ...{ kind, count, place },
      slot: slot < 0 ? noSlot : end.numberOf(slot),
      value: kind === 'set' ? end.bytes(slot, value) : none,
    };
    end.send(frameOf(bytesOfOrder(order)).map(damaged));
    sent++;
    sentAt = time;
  };
  return {
    /** Wants a slot to have another value on the board. */
    set(slot: number, value: number): void {
      // of a slot only the last value counts, unless it is under way
      const k = open.findIndex(([kind, , s], n) => kind === 'set' && s === slot && n > 0);
      if (k >= 0) open.splice(k, 1);
      open.push(['set', 0, slot, value]);
    },
    /** Gives the next order, or the same anew where nobody has followed it. */
    speak(time: number): void {
      if (Number.isNaN(beganAt)) beganAt = time;
      if (open.length === 0) return;
      if (sentAt === -Infinity) count = (count % mostOrders) + 1;
      else if (time < sentAt + patience) return;
      give(time);
    },
    /** What came until a time. */
    hear(came: readonly { readonly time: number; readonly byte: number }[], until: number): readonly Reading[] {
      const readings: Reading[] = [];
      passed = until;
      for (const { time, byte } of came) {
        bytes++;
        const got = reader.take(damaged(byte));
        if (!got) continue;
        const telling = 'said' in got ? readTelling(got.said) : undefined;
        if (!telling) {
          broken++;
          continue;
        }
        received++;
        if (lastTold !== undefined) lost += (telling.count - lastTold - 1) & 0xff;
        lastTold = telling.count;
        if (open.length > 0 && sentAt > -Infinity && telling.followed === count) {
          open.shift();
          followed++;
          sentAt = -Infinity;
        }
        // what has been asked for and not been followed stands at no place yet
        telling.values.forEach((value, place) => {
          const waits = open.some(([kind, p]) => kind === 'watch' && p === place);
          if (place < watched.length && !waits)
            readings.push({ time, slot: watched[place], value: end.read(watched[place], value) });
        });
      }
      return readings;
    },
    counts: (): LineCounts => ({
      ...{ received, lost, broken, sent, followed },
      load: passed > beganAt ? bytes / ((baud / 10) * (passed - beganAt)) : 0,
    }),
    keep: (): WatcherState => ({
      orders: [...open],
      counts: { received, lost, broken, sent, followed },
      bytes,
      beganAt,
    }),
  };
}
export type Watcher = ReturnType<typeof createWatcher>;

/** Share of a line that what is to be told needs. */
export const neededShare = ({ baud, every, watch }: Watching, period: number): number =>
  tellingLength(watch.length) / ((baud / 10) * every * period);
