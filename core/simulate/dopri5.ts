import type { FlatStep } from '../program/flat-step';
import {
  initialStep,
  noCounts,
  noteLimit,
  smallestStep,
  type RightHandSide,
  type StepCounts,
  type Stepper,
  type Tolerances,
} from './stepper';

/**
 * Explicit Runge-Kutta method of order 5(4) with dense output of order 4: Dormand and Prince (1980); step size control and
 * stiffness test after Hairer, Norsett and Wanner, Solving Ordinary Differential Equations I (1993), sections II.4-II.6, IV.2.
 * Coefficients keep the notation of the book.
 */
/*
 * The coefficients stand inside the functions that use them: as locals they are folded into the machine code, as constants
 * of the module they are loaded anew for every product (measured: four times slower).
 */
const safety = 0.9,
  beta = 0.04,
  growth = 10,
  shrink = 0.2;
const exponent = 0.2 - beta * 0.75;

/** Where the method is: its last step with what the dense output needs, and what step size control remembers. */
export interface Dopri5State {
  readonly method: 'dopri5';
  t: number;
  previous: number;
  y: Float64Array;
  yOld: Float64Array;
  yNew: Float64Array;
  /** Stages of the last step; the last of them is the first of the next step. */
  k1: Float64Array;
  readonly k3: Float64Array;
  readonly k4: Float64Array;
  readonly k5: Float64Array;
  readonly k6: Float64Array;
  k7: Float64Array;
  k1Valid: boolean;
  stepped: boolean;
  h: number;
  /** Logarithm of the error of the last step that was taken. */
  lastError: number;
  started: boolean;
  rejected: boolean;
  stiffVotes: number;
  calmVotes: number;
  stiff: boolean;
  /** Length of the last step, and the coefficients of its dense output once somebody has asked for it. */
  span: number;
  denseReady: boolean;
  readonly dense: readonly Float64Array[];
  readonly counts: StepCounts;
  readonly limits: Float64Array;
}

export const newDopri5State = (n: number): Dopri5State => {
  const array = (): Float64Array => new Float64Array(n);
  return {
    method: 'dopri5',
    t: 0,
    previous: 0,
    y: array(),
    yOld: array(),
    yNew: array(),
    k1: array(),
    k3: array(),
    k4: array(),
    k5: array(),
    k6: array(),
    k7: array(),
    k1Valid: false,
    stepped: false,
    h: 0,
    lastError: Math.log(1e-4),
    started: false,
    rejected: false,
    stiffVotes: 0,
    calmVotes: 0,
    stiff: false,
    span: 0,
    denseReady: false,
    dense: Array.from({ length: 5 }, array),
    counts: noCounts(),
    limits: array(),
  };
};

/** `flat`: the stages written out for this right-hand side, where the program has them. */
export function dopri5(
  n: number,
  f: RightHandSide,
  tol: Tolerances,
  longest: number,
  flat?: FlatStep,
  s: Dopri5State = newDopri5State(n),
): Stepper {
  const [k2, yStage, error] = Array.from({ length: 3 }, () => new Float64Array(n));
  const absolute = tol.nominal.map((x) => tol.absolute * x),
    { relative } = tol;
  const sums = new Float64Array(3);

  const stages = (hh: number): void => {
    const a21 = 1 / 5;
    const a31 = 3 / 40,
      a32 = 9 / 40;
    const a41 = 44 / 45,
      a42 = -56 / 15,
      a43 = 32 / 9;
    const a51 = 19372 / 6561,
      a52 = -25360 / 2187,
      a53 = 64448 / 6561,
      a54 = -212 / 729;
    const a61 = 9017 / 3168,
      a62 = -355 / 33,
      a63 = 46732 / 5247,
      a64 = 49 / 176,
      a65 = -5103 / 18656;
    const a71 = 35 / 384,
      a73 = 500 / 1113,
      a74 = 125 / 192,
      a75 = -2187 / 6784,
      a76 = 11 / 84;
    const c2 = 1 / 5,
      c3 = 3 / 10,
      c4 = 4 / 5,
      c5 = 8 / 9;
    const { t, y, yNew, k1, k3, k4, k5, k6, k7 } = s;
    for (let i = 0; i < n; i++) yStage[i] = y[i] + hh * a21 * k1[i];
    f(t + c2 * hh, yStage, k2);
    for (let i = 0; i < n; i++) yStage[i] = y[i] + hh * (a31 * k1[i] + a32 * k2[i]);
    f(t + c3 * hh, yStage, k3);
    for (let i = 0; i < n; i++) yStage[i] = y[i] + hh * (a41 * k1[i] + a42 * k2[i] + a43 * k3[i]);
    f(t + c4 * hh, yStage, k4);
    for (let i = 0; i < n; i++) yStage[i] = y[i] + hh * (a51 * k1[i] + a52 * k2[i] + a53 * k3[i] + a54 * k4[i]);
    f(t + c5 * hh, yStage, k5);
    for (let i = 0; i < n; i++)
      yStage[i] = y[i] + hh * (a61 * k1[i] + a62 * k2[i] + a63 * k3[i] + a64 * k4[i] + a65 * k5[i]);
    f(t + hh, yStage, k6);
    for (let i = 0; i < n; i++)
      yNew[i] = y[i] + hh * (a71 * k1[i] + a73 * k3[i] + a74 * k4[i] + a75 * k5[i] + a76 * k6[i]);
    f(t + hh, yNew, k7);
    s.counts.evaluations += 6;
  };

  const stiffnessTest = (hh: number): void => {
    if (sums[2] > 0 && hh * hh * sums[1] > 3.25 * 3.25 * sums[2]) {
      s.calmVotes = 0;
      if (++s.stiffVotes >= 15) s.stiff = true;
    } else if (s.stiffVotes > 0 && ++s.calmVotes >= 6) s.stiffVotes = 0;
  };

  /** The error, and the sums that `FlatStep` explains. */
  const estimate = (hh: number): void => {
    const e1 = 71 / 57600,
      e3 = -71 / 16695,
      e4 = 71 / 1920,
      e5 = -17253 / 339200,
      e6 = 22 / 525,
      e7 = -1 / 40;
    const { y, yNew, k1, k3, k4, k5, k6, k7 } = s;
    let s0 = 0,
      s1 = 0,
      s2 = 0;
    for (let i = 0; i < n; i++) {
      const weight = 1 / (absolute[i] + relative * Math.max(Math.abs(y[i]), Math.abs(yNew[i])));
      error[i] = hh * (e1 * k1[i] + e3 * k3[i] + e4 * k4[i] + e5 * k5[i] + e6 * k6[i] + e7 * k7[i]);
      const q = error[i] * weight,
        a = (k7[i] - k6[i]) * weight,
        b = (yNew[i] - yStage[i]) * weight;
      s0 += q * q;
      s1 += a * a;
      s2 += b * b;
    }
    sums[0] = s0;
    sums[1] = s1;
    sums[2] = s2;
  };

  /** Coefficients of the dense output, only where it is asked for. */
  const prepareDense = (): void => {
    const hh = s.span;
    const { y, yOld, k1, k3, k4, k5, k6, k7 } = s;
    const [r1, r2, r3, r4, r5] = s.dense;
    const d1 = -12715105075 / 11282082432,
      d3 = 87487479700 / 32700410799,
      d4 = -10690763975 / 1880347072;
    const d5 = 701980252875 / 199316789632,
      d6 = -1453857185 / 822651844,
      d7 = 69997945 / 29380423;
    for (let i = 0; i < n; i++) {
      const difference = y[i] - yOld[i];
      const spline = hh * k1[i] - difference;
      r1[i] = yOld[i];
      r2[i] = difference;
      r3[i] = spline;
      r4[i] = difference - hh * k7[i] - spline;
      r5[i] = hh * (d1 * k1[i] + d3 * k3[i] + d4 * k4[i] + d5 * k5[i] + d6 * k6[i] + d7 * k7[i]);
    }
    s.denseReady = true;
  };

  return {
    state: s,
    get t() {
      return s.t;
    },
    get previous() {
      return s.previous;
    },
    get stiff() {
      return s.stiff;
    },
    get y() {
      return s.y;
    },
    counts: s.counts,
    limits: s.limits,
    reset(time, state) {
      s.t = s.previous = time;
      s.span = 0;
      s.y.set(state);
      s.k1Valid = false;
      s.stepped = false;
      s.started = false;
      s.rejected = false;
      s.stiff = false;
      s.stiffVotes = 0;
    },
    adjust(state) {
      s.y.set(state);
      s.k1Valid = false;
      s.stepped = false;
    },
    step(limit) {
      if (s.stepped) {
        const last = s.k7;
        s.k7 = s.k1;
        s.k1 = last;
      }
      s.stepped = false;
      if (!s.k1Valid) {
        f(s.t, s.y, s.k1);
        s.counts.evaluations++;
        s.k1Valid = true;
      }
      if (!s.started) {
        s.h = initialStep(f, s.t, s.y, s.k1, 5, Math.min(longest, limit - s.t), tol, yStage, k2);
        s.counts.evaluations++;
        s.lastError = Math.log(1e-4);
        s.started = true;
      }
      for (;;) {
        const room = limit - s.t;
        let hh = Math.min(s.h, longest);
        const last = hh >= room * (1 - 1e-10);
        if (last) hh = room;
        else if (hh > room / 2) hh = room / 2;
        if (hh < smallestStep(s.t) && !last) return false;
        if (flat) {
          flat(s.t, hh, s.y, s.k1, s.k3, s.k4, s.k5, s.k6, s.k7, s.yNew, error, absolute, relative, sums);
          s.counts.evaluations += 6;
        } else {
          stages(hh);
          estimate(hh);
        }
        const err = n === 0 ? 0 : Math.sqrt(sums[0] / n);
        noteLimit(s.limits, s.counts.steps + s.counts.rejected, error, s.yNew, tol);
        if (!(err <= 1)) {
          s.counts.rejected++;
          s.rejected = true;
          s.h = Number.isFinite(err) ? hh * Math.max(shrink, safety / err ** 0.2) : hh * 0.1;
          if (s.h < smallestStep(s.t)) return false;
          continue;
        }
        stiffnessTest(hh);
        // by logarithms: the machine takes several times longer for a power
        const logarithm = Math.log(Math.max(err, 1e-20));
        let factor = safety * Math.exp(beta * s.lastError - exponent * logarithm);
        factor = Math.min(s.rejected ? 1 : growth, Math.max(shrink, factor));
        // a step cut short by the limit says nothing against the longer one
        s.h = last || hh < s.h ? Math.max(s.h, hh * factor) : hh * factor;
        s.lastError = Math.max(logarithm, Math.log(1e-4));
        s.rejected = false;
        s.previous = s.t;
        s.t = last ? limit : s.t + hh;
        const spare = s.yOld;
        s.yOld = s.y;
        s.y = s.yNew;
        s.yNew = spare;
        s.span = hh;
        s.denseReady = false;
        // the first stage of the next step is the last of this one; the dense output still needs the old one
        s.stepped = true;
        s.counts.steps++;
        return true;
      }
    },
    interpolate(time, out) {
      if (s.span === 0) {
        out.set(s.y);
        return;
      }
      if (!s.denseReady) prepareDense();
      const [r1, r2, r3, r4, r5] = s.dense;
      const theta = (time - s.previous) / s.span;
      const theta1 = 1 - theta;
      for (let i = 0; i < n; i++)
        out[i] = r1[i] + theta * (r2[i] + theta1 * (r3[i] + theta * (r4[i] + theta1 * r5[i])));
    },
  };
}
