import type { Memory } from '../program/machine';

/** Tells events that never end from those by which a model comes to rest. */
export interface BurstWatch {
  /** After each event; `restarted` says that a state was set anew. True where events go on without end. */
  noteEvent(time: number, restarted: boolean): boolean;
  /** After each step: since when, where the last of ever closer events was missed and what it held back goes through. */
  goesThrough(time: number): number | undefined;
  /** An event was among many close ones, so that a failing step is most likely theirs. */
  readonly isBurst: boolean;
}

/** What is remembered of close events. */
export interface BurstState {
  start: number;
  count: number;
  readonly last: Float64Array;
  readonly size: Float64Array;
  suspects: { readonly mode: number; readonly side: number }[];
  suspectTime: number;
}

export const newBurstState = (modes: number): BurstState => ({
  start: 0,
  count: 0,
  last: new Float64Array(modes),
  size: new Float64Array(modes),
  suspects: [],
  suspectTime: 0,
});

/** Events within a ten-thousand-millionth of the run that count as a burst, and as an endless one. */
const burst = 25,
  endless = 400;
/** A quantity that was held back goes through when it is this much further than while it was held. */
const further = 1e4;

/**
 * Ever closer events (Zeno) reach a moment where numbers for time lie no closer together. A model that comes to rest then is right;
 * one that has no such case, like a ball that only ever bounces, would fall through the floor unnoticed. So the condition that
 * restarted a state last is looked at for a while: where its difference grows on the side it was thrown back from, the run is wrong.
 */
export function createBurstWatch(
  { m, z }: Pick<Memory, 'm' | 'z'>,
  stop: number,
  s: BurstState = newBurstState(m.length),
): BurstWatch {
  const window = 1e-10 * Math.max(1, stop);
  const { last, size } = s;
  const modes = m.length;
  return {
    get isBurst() {
      return s.count > 3;
    },
    noteEvent(time, restarted) {
      // a run that was taken back to an earlier moment begins anew
      if (Math.abs(time - s.start) > window) {
        s.start = time;
        s.count = 0;
        size.fill(0);
      } else s.count++;
      for (let k = 0; k < modes; k++) size[k] = Math.max(size[k], Math.abs(z[k]));
      if (s.count > burst && restarted) {
        s.suspects = [];
        for (let k = 0; k < modes; k++) if (m[k] !== last[k]) s.suspects.push({ mode: k, side: m[k] });
        s.suspectTime = time;
      }
      last.set(m);
      return s.count > endless;
    },
    goesThrough(time) {
      if (s.suspects.length === 0) return undefined;
      if (time < s.suspectTime) s.suspects = [];
      if (s.suspects.some(({ mode, side }) => m[mode] === side && Math.abs(z[mode]) > further * size[mode]))
        return s.suspectTime;
      if (time > s.suspectTime + Math.max(window, 1e-3 * stop)) s.suspects = [];
      return undefined;
    },
  };
}
