import type { RunMoment } from './run';

/** A moment with how much had been done from outside by then. */
export interface KeptMoment extends RunMoment {
  readonly actions: number;
}

/** Moments of a run that are kept while it goes on, so that going back to any time costs little: bounded in number and in memory. */
export interface Moments {
  /** Called between two steps: keeps a moment where enough has been computed since the last one. */
  look(): void;
  /** Keeps this moment in any case. */
  keep(): void;
  /** Those up to a time, the newest first. */
  upTo(time: number): readonly KeptMoment[];
  /** Forgets those after one of them. */
  forgetAfter(moment: KeptMoment): void;
}

export interface MomentLimits {
  readonly number: number;
  /** Bytes of all of them together. */
  readonly bytes: number;
}

const usual: MomentLimits = { number: 64, bytes: 64e6 };
/** At least so many milliseconds of computing lie between two of them, and so many times what keeping one costs. */
const shortest = 8,
  timesCost = 20;

export function createMoments(
  take: () => KeptMoment,
  kept: readonly KeptMoment[] = [],
  limits: MomentLimits = usual,
): Moments {
  let all = [...kept];
  let bytes = all.reduce((sum, m) => sum + sizeOf(m.state), 0);
  let spacing = 1;
  let cost = 0;
  let last = performance.now();

  /** Every second one goes, but for the first and the newest. */
  const thin = (): void => {
    all = all.filter((_, k) => k % 2 === 0 || k === all.length - 1);
    bytes = all.reduce((sum, m) => sum + sizeOf(m.state), 0);
    spacing *= 2;
  };
  const keep = (): void => {
    const started = performance.now();
    const moment = take();
    if (all.at(-1)?.time === moment.time) all.pop();
    all.push(moment);
    bytes += sizeOf(moment.state);
    while (all.length > 2 && (all.length > limits.number || bytes > limits.bytes)) thin();
    last = performance.now();
    cost = last - started;
  };
  return {
    look() {
      if (performance.now() - last >= spacing * Math.max(shortest, timesCost * cost)) keep();
    },
    keep,
    upTo: (time) => all.filter((m) => m.time <= time).reverse(),
    forgetAfter(moment) {
      all = all.slice(0, all.indexOf(moment) + 1);
    },
  };
}

/** About how much memory plain data takes. */
function sizeOf(value: unknown): number {
  if (typeof value === 'string') return 2 * value.length;
  if (typeof value !== 'object' || value === null) return 8;
  if (ArrayBuffer.isView(value)) return value.byteLength + 64;
  if (value instanceof Map) return [...value].reduce((sum, pair) => sum + sizeOf(pair), 64);
  if (Array.isArray(value)) {
    // rows of numbers are the long ones, and all alike
    if (typeof value[0] === 'number') return 8 * value.length + 16;
    return value.reduce<number>((sum, x) => sum + sizeOf(x), 16);
  }
  return Object.values(value).reduce<number>((sum, x) => sum + sizeOf(x), 32);
}
