import type { Machine } from '../program/machine';
import type { Program } from '../program/program';

/** Looks whether a divisor has passed through zero within a step, where the quotient has no value. */
export interface PoleWatch {
  /** The first time after `from` at which one does, and its number. */
  between(from: number, to: number): { readonly time: number; readonly quotient: number } | undefined;
}

/** A divisor is zero, and a dividend is, below this share of what they are at the ends of the step. */
const negligible = 1e-6;

export function createPoleWatch(program: Program, machine: Machine, valuesAt: (time: number) => void): PoleWatch {
  const count = program.quotients.length;
  const [before, after] = [new Float64Array(2 * count), new Float64Array(2 * count)];
  const look = (time: number, into: Float64Array): void => {
    valuesAt(time);
    machine.quotients(time, into);
  };
  return {
    between(from, to) {
      if (count === 0 || !(to > from)) return undefined;
      look(from, before);
      look(to, after);
      let first: { time: number; quotient: number } | undefined;
      for (let k = 0; k < count; k++) {
        const [a, b] = [before[2 * k], after[2 * k]];
        // what is not taken is not a number, and compares as false
        if (!(a * b <= 0 && a !== 0)) continue;
        const time = zeroOf(k, from, to, a, look);
        if (time === undefined || (first && first.time <= time)) continue;
        first = { time, quotient: k };
      }
      return first;
    },
  };

  /** Where the divisor is zero and the dividend is not; by halves, as it is done once in a run. */
  function zeroOf(
    k: number,
    from: number,
    to: number,
    start: number,
    look: (time: number, into: Float64Array) => void,
  ): number | undefined {
    const now = new Float64Array(2 * count);
    let [low, high] = [from, to];
    let size = Math.max(Math.abs(start), Math.abs(after[2 * k]));
    let dividend = Math.max(Math.abs(before[2 * k + 1]), Math.abs(after[2 * k + 1]));
    for (let j = 0; j < 80 && high - low > 4 * Number.EPSILON * Math.abs(high); j++) {
      const middle = (low + high) / 2;
      if (middle <= low || middle >= high) break;
      look(middle, now);
      if (Number.isNaN(now[2 * k])) return undefined;
      size = Math.max(size, Math.abs(now[2 * k]));
      dividend = Math.max(dividend, Math.abs(now[2 * k + 1]));
      if (now[2 * k] * start > 0) low = middle;
      else high = middle;
    }
    look(high, now);
    // one that jumps over zero has none, and where both vanish the quotient may well have a value
    const isZero = Math.abs(now[2 * k]) <= negligible * size;
    return isZero && Math.abs(now[2 * k + 1]) > negligible * dividend ? high : undefined;
  }
}
