/** Pulses of one line as the product sees them: on from the beginning of each period for a share of it. */
export interface Pulses {
  /** From then on they are on for that share. */
  turn(at: number, share: number): void;
  isOn(time: number): boolean;
  /** When they next change; Infinity where they do not. */
  next(after: number): number;
  keep(): PulseState;
}
export type PulseState = readonly (readonly [at: number, share: number])[];

/** Parts of a period by which times may err. */
const close = 1e-7;

export function createPulses(frequency: number, from: PulseState = []): Pulses {
  let turns = from;
  const periodAt = (time: number): number => Math.floor(time * frequency + close);
  const shareAt = (time: number): number => turns.findLast(([at]) => at <= time + close / frequency)?.[1] ?? 0;
  return {
    turn(at, share) {
      // what is over is no longer needed
      const now = turns.findLastIndex(([t]) => t <= at);
      turns = [...turns.slice(Math.max(0, now)), [at, share]];
    },
    isOn(time) {
      const share = shareAt(time);
      return share >= 1 || time * frequency - periodAt(time) < share - close;
    },
    next(after) {
      const tolerance = close / frequency;
      const turn = turns.find(([at]) => at > after + tolerance)?.[0] ?? Infinity;
      const share = shareAt(after);
      if (share <= 0 || share >= 1) return turn;
      const period = periodAt(after);
      const off = (period + share) / frequency;
      return Math.min(turn, off > after + tolerance ? off : (period + 1) / frequency);
    },
    keep: () => turns,
  };
}
