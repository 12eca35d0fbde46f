import type { Memory, Program } from '../program/program';

/** Finds the first moment within a step at which a condition changes. */
export interface CrossingLocator {
  /** Undefined where nothing changes in (from, to]. Values are left as of the last look. */
  locate(from: number, to: number): number | undefined;
}

/**
 * Looks at a step through its dense output. `evaluate` brings all values to a time, `conditions` then compares the conditions
 * with their held values.
 */
export function createCrossingLocator(
  program: Program,
  memory: Memory,
  evaluate: (t: number) => void,
  conditions: (t: number) => void,
): CrossingLocator {
  const { m, live, z } = memory;

  const changed = (): boolean => {
    for (let k = 0; k < m.length; k++) if (m[k] !== live[k]) return true;
    return false;
  };
  const look = (t: number): boolean => {
    evaluate(t);
    conditions(t);
    return changed();
  };

  const before = new Float64Array(program.modes.length);
  const middle = new Float64Array(program.modes.length);

  /**
   * The first time in (from, to] at which a condition has changed, by bisection with secant steps on the dense output.
   * Points inside the step are looked at too, where a parabola through three of them says a condition may change and come back.
   */
  const locate = (from: number, to: number): number | undefined => {
    if (to <= from) return undefined;
    const parts = 4;
    let left = from;
    let right: number | undefined;
    for (let j = 1; j <= parts; j++) {
      const t = j === parts ? to : from + ((to - from) * j) / parts;
      if (look(t)) {
        right = t;
        break;
      }
      if (j >= 2) {
        const turn = turningPoint(t - (2 * (to - from)) / parts, t);
        if (turn !== undefined && look(turn)) {
          right = turn;
          break;
        }
      }
      before.set(middle);
      middle.set(z);
      left = t;
    }
    if (right === undefined) return undefined;
    if (left >= right) left = from;
    return narrow(left, right);
  };

  /** Where a parabola through the last three looks has its turning point closest to a change. */
  const turningPoint = (from: number, to: number): number | undefined => {
    for (let k = 0; k < z.length; k++) {
      const [a, b, c] = [before[k], middle[k], z[k]];
      if (!(a * b > 0 && b * c > 0)) continue;
      if (Math.abs(b) > Math.abs(a) || Math.abs(b) > Math.abs(c)) continue;
      const curvature = a - 2 * b + c;
      if (curvature === 0) continue;
      const at = (a - c) / (2 * curvature);
      const value = b - (a - c) ** 2 / (8 * curvature);
      if (value * b < 0.05 * b * b && Math.abs(at) < 1) return (from + to) / 2 + (at * (to - from)) / 2;
    }
    return undefined;
  };

  const narrow = (leftStart: number, rightStart: number): number => {
    let left = leftStart,
      right = rightStart;
    look(left);
    const zLeft = Float64Array.from(z);
    look(right);
    let k = m.findIndex((x, j) => x !== live[j]);
    let zr = z[k],
      zl = zLeft[k],
      side = 0;
    for (let iteration = 0; iteration < 100; iteration++) {
      const width = right - left;
      if (width <= 4 * Number.EPSILON * Math.max(Math.abs(right), 1e-3)) break;
      // Illinois variant of the secant rule (Dowell and Jarratt 1971), bisection where it does not apply
      let t = left + width / 2;
      if (iteration % 4 !== 3 && zl * zr < 0) {
        const guess = right - (zr * width) / (zr - zl);
        const margin = Math.max(width * 1e-3, 2 * Number.EPSILON * Math.abs(right));
        t = Math.min(right - margin, Math.max(left + margin, guess));
        if (!(t > left && t < right)) t = left + width / 2;
      }
      if (look(t)) {
        right = t;
        const first = m.findIndex((x, j) => x !== live[j]);
        if (first !== k) {
          k = first;
          zl = zLeft[k];
        }
        zr = z[k];
        if (side === 1) zl /= 2;
        side = 1;
      } else {
        left = t;
        zLeft.set(z);
        zl = z[k];
        if (side === -1) zr /= 2;
        side = -1;
      }
    }
    return right;
  };

  return { locate };
}
