import type { Memory } from '../program/machine';
import type { Program } from '../program/program';

/** Finds the first moment within a step at which a condition changes. */
export interface CrossingLocator {
  /** Undefined where nothing changes in (from, to]. Values are left as of the last look. */
  locate(from: number, to: number): number | undefined;
}

/** Three moments and the values there, in the order of time. */
type Points = readonly [t0: number, z0: number, t1: number, z1: number, t2: number, z2: number];
const mostLooks = 8;
/** A turning point so near to zero, beside the largest of the values, is looked at. */
const near = 0.05;

/**
 * Where the parabola through three points turns near or beyond zero without having been there (the step of Brent's
 * minimisation, 1973, chapter 5); undefined where it does not, or turns outside the points.
 */
function turningPoint([t0, z0, t1, z1, t2, z2]: Points): number | undefined {
  if (!(z0 * z1 > 0 && z1 * z2 > 0)) return undefined;
  const early = (z1 - z0) / (t1 - t0);
  const late = (z2 - z1) / (t2 - t1);
  const curvature = (late - early) / (t2 - t0);
  // it bends towards where it is, away from zero
  if (!(curvature * z1 > 0)) return undefined;
  const t = (t0 + t1) / 2 - early / (2 * curvature);
  if (!(t > t0 && t < t2) || Math.abs(t - t1) <= 1e-9 * (t2 - t0)) return undefined;
  const value = z1 + (t - t1) * (early + curvature * (t - t0));
  // how near is told by how far the values lie apart: what is no parabola is off by a part of that
  const largest = Math.max(Math.abs(z0), Math.abs(z1), Math.abs(z2));
  return value * Math.sign(z1) < near * largest ? t : undefined;
}

/** The three points of four that lie closest around one. */
const around = ([t0, z0, t1, z1, t2, z2]: Points, t: number, z: number): Points =>
  t < t1
    ? Math.abs(z) < Math.abs(z1)
      ? [t0, z0, t, z, t1, z1]
      : [t, z, t1, z1, t2, z2]
    : Math.abs(z) < Math.abs(z1)
      ? [t1, z1, t, z, t2, z2]
      : [t0, z0, t1, z1, t, z];

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

  const first = new Float64Array(program.modes.length);
  const middle = new Float64Array(program.modes.length);
  const last = new Float64Array(program.modes.length);

  /**
   * The first time in (from, to] at which a condition has changed, by bisection with secant steps on the dense output.
   * Points inside the step are looked at too, where a parabola through three of them says a condition may change and come back.
   * At the beginning `z` is as of `from`, and at the end as of `to`.
   */
  const locate = (from: number, to: number): number | undefined => {
    if (to <= from) return undefined;
    const parts = 4;
    const width = (to - from) / parts;
    middle.set(z);
    let left = from;
    for (let j = 1; j <= parts; j++) {
      const t = j === parts ? to : from + j * width;
      if (look(t)) return narrow(left, t);
      last.set(z);
      if (j >= 2) {
        const turn = lookAtTurns(t - 2 * width, t - width, t);
        if (turn !== undefined) return narrow(turn > left ? left : t - 2 * width, turn);
        z.set(last);
      }
      first.set(middle);
      middle.set(last);
      left = t;
    }
    return undefined;
  };

  /** A moment near a turning point between three looks at which a condition has changed. */
  const lookAtTurns = (t0: number, t1: number, t2: number): number | undefined => {
    for (let k = 0; k < z.length; k++) {
      let points: Points = [t0, first[k], t1, middle[k], t2, last[k]];
      for (let looks = 0; looks < mostLooks; looks++) {
        const turn = turningPoint(points);
        if (turn === undefined) break;
        if (look(turn)) return turn;
        points = around(points, turn, z[k]);
      }
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
