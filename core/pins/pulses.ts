/** Pulses of one line as the product sees them: on for a share of each period, from its beginning or in the middle of it. */
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

export function createPulses(frequency: number, isCentred: boolean, from: PulseState = []): Pulses {
  let turns = from;
  const periodAt = (time: number): number => Math.floor(time * frequency + close);
  /** Part of the period that goes by before they are on. */
  const begins = (share: number): number => (isCentred ? (1 - share) / 2 : 0);
  const shareAt = (time: number): number => turns.findLast(([at]) => at <= time + close / frequency)?.[1] ?? 0;
  return {
    turn(at, share) {
      // what is over is no longer needed
      const now = turns.findLastIndex(([t]) => t <= at);
      turns = [...turns.slice(Math.max(0, now)), [at, share]];
    },
    isOn(time) {
      const share = shareAt(time);
      const within = time * frequency - periodAt(time) - begins(share);
      return share >= 1 || (within > -close && within < share - close);
    },
    next(after) {
      const tolerance = close / frequency;
      const turn = turns.find(([at]) => at > after + tolerance)?.[0] ?? Infinity;
      const share = shareAt(after);
      if (share <= 0 || share >= 1) return turn;
      const period = periodAt(after);
      const on = begins(share);
      const [rise, fall, again] = [period + on, period + on + share, period + 1 + on].map((x) => x / frequency);
      return Math.min(turn, [rise, fall].find((x) => x > after + tolerance) ?? again);
    },
    keep: () => turns,
  };
}
