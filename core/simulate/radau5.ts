import type { LinearState } from './linear-solver';
import { stateJacobian, type KnownJacobian } from './state-jacobian';
import {
  initialStep,
  noCounts,
  noteLimit,
  scaledNorm,
  smallestStep,
  type RightHandSide,
  type StepCounts,
  type Stepper,
  type Tolerances,
} from './stepper';

/**
 * Radau IIA method of order 5 with variable steps and dense output, for stiff equations: Hairer and Wanner, Solving Ordinary
 * Differential Equations II (1996), section IV.8, whose notation is kept.
 */
const SQ6 = Math.sqrt(6);
const C1 = (4 - SQ6) / 10,
  C2 = (4 + SQ6) / 10;
const C1M1 = C1 - 1,
  C2M1 = C2 - 1,
  C1MC2 = C1 - C2;
const DD1 = -(13 + 7 * SQ6) / 3,
  DD2 = (-13 + 7 * SQ6) / 3,
  DD3 = -1 / 3;
const cbrt9 = Math.cbrt(9),
  cbrt81 = Math.cbrt(81);
const gamma = 30 / (6 + cbrt81 - cbrt9);
const alphaRaw = (12 - cbrt81 + cbrt9) / 60,
  betaRaw = ((cbrt81 + cbrt9) * Math.sqrt(3)) / 60;
const modulus = alphaRaw ** 2 + betaRaw ** 2;
const ALPHA = alphaRaw / modulus,
  BETA = betaRaw / modulus;
const T11 = 9.1232394870892942792e-2,
  T12 = -0.14125529502095420843,
  T13 = -3.0029194105147424492e-2;
const T21 = 0.24171793270710701896,
  T22 = 0.20412935229379993199,
  T23 = 0.38294211275726193779,
  T31 = 0.96604818261509293619;
const TI11 = 4.325579890063155351,
  TI12 = 0.33919925181580986954,
  TI13 = 0.54177053993587487119;
const TI21 = -4.1787185915519047273,
  TI22 = -0.32768282076106238708,
  TI23 = 0.47662355450055045196;
const TI31 = -0.50287263494578687595,
  TI32 = 2.5719269498556054292,
  TI33 = -0.59603920482822492497;
const newtonLimit = 7,
  safety = 0.9,
  reuseTheta = 0.001,
  shrinkLimit = 8,
  growthLimit = 0.2;

/** Where the method is: its last step with what the next one and the dense output need, and the factors it may use again. */
export interface RadauState {
  readonly method: 'radau5';
  t: number;
  previous: number;
  readonly y: Float64Array;
  /** Stages of the last step, and the derivatives at its end. */
  readonly z: readonly Float64Array[];
  readonly w: readonly Float64Array[];
  readonly f0: Float64Array;
  f0Valid: boolean;
  /** Coefficients of the dense output from `yEnd` backwards. */
  readonly dense: readonly Float64Array[];
  readonly yEnd: Float64Array;
  hasDense: boolean;
  span: number;
  h: number;
  hOld: number;
  hAccepted: number;
  errAccepted: number;
  faccon: number;
  theta: number;
  started: boolean;
  first: boolean;
  rejected: boolean;
  /** The Jacobian is that of the state at hand. */
  fresh: boolean;
  /** Step that the factors were made for, 0 for none. */
  factoredFor: number;
  /** The Jacobian and its factors, once there are any. */
  linear: LinearState | undefined;
  readonly counts: StepCounts;
  readonly limits: Float64Array;
}

export const newRadauState = (n: number): RadauState => {
  const array = (): Float64Array => new Float64Array(n);
  const three = (): Float64Array[] => [array(), array(), array()];
  return {
    method: 'radau5',
    t: 0,
    previous: 0,
    y: array(),
    z: three(),
    w: three(),
    f0: array(),
    f0Valid: false,
    dense: three(),
    yEnd: array(),
    hasDense: false,
    span: 0,
    h: 0,
    hOld: 0,
    hAccepted: 0,
    errAccepted: 0.01,
    faccon: 1,
    theta: 0,
    started: false,
    first: true,
    rejected: false,
    fresh: false,
    factoredFor: 0,
    linear: undefined,
    counts: noCounts(),
    limits: array(),
  };
};

export function radau5(
  n: number,
  f: RightHandSide,
  given: Tolerances,
  longest: number,
  known: KnownJacobian = {},
  s: RadauState = newRadauState(n),
): Stepper {
  // the error estimate is of lower order: tolerances are adapted as in the book's code
  const relative = 0.1 * given.relative ** (2 / 3);
  const tol: Tolerances = { ...given, relative, absolute: (relative * given.absolute) / given.relative };
  const newtonTolerance = Math.max((10 * Number.EPSILON) / relative, Math.min(0.03, Math.sqrt(relative)));
  const { y, f0, yEnd, counts, limits } = s;
  const [z1, z2, z3] = s.z;
  const [w1, w2, w3] = s.w;
  const [cont1, cont2, cont3] = s.dense;
  const [f1, work, work2] = Array.from({ length: 3 }, () => new Float64Array(n));
  const derivative = stateJacobian(n, f, known, counts, s.linear);
  const { linear } = derivative;
  s.linear = linear.state;

  const evaluate = (time: number, state: Float64Array, out: Float64Array): void => {
    f(time, state, out);
    counts.evaluations++;
  };

  const jacobian = (): void => {
    s.fresh = true;
    derivative.update(s.t, y, f0);
  };

  const factor = (hh: number): boolean => {
    counts.factorisations++;
    s.factoredFor = hh;
    return linear.factor(gamma / hh, ALPHA / hh, BETA / hh);
  };

  const errorNorm = (x: Float64Array): number => scaledNorm(x, y, y, tol);

  /** Solves for the stages; the number of iterations, or a new step size as a negative number. */
  const solveStages = (hh: number): number => {
    const fac = gamma / hh,
      alpha = ALPHA / hh,
      beta = BETA / hh;
    if (s.first || !s.hasDense) {
      z1.fill(0);
      z2.fill(0);
      z3.fill(0);
      w1.fill(0);
      w2.fill(0);
      w3.fill(0);
    } else {
      const q3 = hh / s.hOld,
        q1 = C1 * q3,
        q2 = C2 * q3;
      for (let i = 0; i < n; i++) {
        z1[i] = q1 * (cont1[i] + (q1 - C2M1) * (cont2[i] + (q1 - C1M1) * cont3[i]));
        z2[i] = q2 * (cont1[i] + (q2 - C2M1) * (cont2[i] + (q2 - C1M1) * cont3[i]));
        z3[i] = q3 * (cont1[i] + (q3 - C2M1) * (cont2[i] + (q3 - C1M1) * cont3[i]));
        w1[i] = TI11 * z1[i] + TI12 * z2[i] + TI13 * z3[i];
        w2[i] = TI21 * z1[i] + TI22 * z2[i] + TI23 * z3[i];
        w3[i] = TI31 * z1[i] + TI32 * z2[i] + TI33 * z3[i];
      }
    }
    s.faccon = Math.max(s.faccon, Number.EPSILON) ** 0.8;
    s.theta = reuseTheta;
    let oldNorm = 0,
      oldQuotient = 0;
    for (let iteration = 1; iteration <= newtonLimit; iteration++) {
      for (let i = 0; i < n; i++) work[i] = y[i] + z1[i];
      evaluate(s.t + C1 * hh, work, z1);
      for (let i = 0; i < n; i++) work[i] = y[i] + z2[i];
      evaluate(s.t + C2 * hh, work, z2);
      for (let i = 0; i < n; i++) work[i] = y[i] + z3[i];
      evaluate(s.t + hh, work, z3);
      for (let i = 0; i < n; i++) {
        const a = z1[i],
          b = z2[i],
          c = z3[i];
        const g1 = TI11 * a + TI12 * b + TI13 * c;
        const g2 = TI21 * a + TI22 * b + TI23 * c;
        const g3 = TI31 * a + TI32 * b + TI33 * c;
        z1[i] = g1 - w1[i] * fac;
        z2[i] = g2 - w2[i] * alpha + w3[i] * beta;
        z3[i] = g3 - w3[i] * alpha - w2[i] * beta;
      }
      linear.solveReal(z1);
      linear.solveComplex(z2, z3);
      const size = Math.sqrt((errorNorm(z1) ** 2 + errorNorm(z2) ** 2 + errorNorm(z3) ** 2) / 3);
      if (!Number.isFinite(size)) return -hh / 2;
      if (iteration > 1) {
        const quotient = size / oldNorm;
        s.theta = iteration === 2 ? quotient : Math.sqrt(quotient * oldQuotient);
        oldQuotient = quotient;
        if (s.theta >= 0.99) return -hh / 2;
        s.faccon = s.theta / (1 - s.theta);
        const predicted = (s.faccon * size * s.theta ** (newtonLimit - 1 - iteration)) / newtonTolerance;
        if (predicted >= 1) {
          const q = Math.max(1e-4, Math.min(20, predicted));
          return -hh * 0.8 * q ** (-1 / (4 + newtonLimit - 1 - iteration));
        }
      }
      oldNorm = Math.max(size, Number.EPSILON);
      for (let i = 0; i < n; i++) {
        w1[i] += z1[i];
        w2[i] += z2[i];
        w3[i] += z3[i];
        z1[i] = T11 * w1[i] + T12 * w2[i] + T13 * w3[i];
        z2[i] = T21 * w1[i] + T22 * w2[i] + T23 * w3[i];
        z3[i] = T31 * w1[i] + w2[i];
      }
      if (s.faccon * size <= newtonTolerance) return iteration;
    }
    return -hh / 2;
  };

  const estimateError = (hh: number): number => {
    for (let i = 0; i < n; i++) {
      work2[i] = (DD1 * z1[i] + DD2 * z2[i] + DD3 * z3[i]) / hh;
      work[i] = work2[i] + f0[i];
    }
    linear.solveReal(work);
    let err = Math.max(errorNorm(work), 1e-10);
    if (err >= 1 && (s.first || s.rejected)) {
      for (let i = 0; i < n; i++) work[i] += y[i];
      evaluate(s.t, work, f1);
      for (let i = 0; i < n; i++) work[i] = f1[i] + work2[i];
      linear.solveReal(work);
      err = Math.max(errorNorm(work), 1e-10);
    }
    return err;
  };

  const accept = (hh: number, end: number): void => {
    for (let i = 0; i < n; i++) {
      y[i] += z3[i];
      cont1[i] = (z2[i] - z3[i]) / C2M1;
      const ak = (z1[i] - z2[i]) / C1MC2;
      const a3 = (ak - z1[i] / C1) / C2;
      cont2[i] = (ak - cont1[i]) / C1M1;
      cont3[i] = cont2[i] - a3;
    }
    yEnd.set(y);
    s.hasDense = true;
    s.hOld = s.span = hh;
    s.previous = s.t;
    s.t = end;
    counts.steps++;
  };

  return {
    state: s,
    get t() {
      return s.t;
    },
    get previous() {
      return s.previous;
    },
    stiff: false,
    y,
    counts,
    limits,
    reset(time, state) {
      s.t = s.previous = time;
      y.set(state);
      s.started = false;
      s.f0Valid = false;
      s.hasDense = false;
      s.fresh = false;
      s.factoredFor = 0;
      s.first = true;
      s.rejected = false;
      s.faccon = 1;
    },
    adjust(state) {
      y.set(state);
      s.f0Valid = false;
    },
    step(limit) {
      if (!s.f0Valid) {
        evaluate(s.t, y, f0);
        s.f0Valid = true;
      }
      if (!s.started) {
        s.h = initialStep(f, s.t, y, f0, 3, Math.min(longest, limit - s.t), tol, work, work2);
        counts.evaluations++;
        jacobian();
        s.started = true;
      }
      for (let tries = 0; tries < 200; tries++) {
        const room = limit - s.t;
        let hh = Math.min(s.h, longest);
        const last = hh >= room * (1 - 1e-10);
        if (last) hh = room;
        else if (hh > room / 2) hh = room / 2;
        if (hh < smallestStep(s.t) && !last) return false;
        if (s.factoredFor !== hh && !factor(hh)) {
          s.h = hh / 2;
          s.factoredFor = 0;
          continue;
        }
        const iterations = solveStages(hh);
        if (iterations < 0) {
          counts.rejected++;
          s.rejected = true;
          s.h = -iterations;
          if (s.h < smallestStep(s.t)) return false;
          if (!s.fresh) jacobian();
          s.factoredFor = 0;
          continue;
        }
        const err = estimateError(hh);
        noteLimit(limits, counts.steps + counts.rejected, work, y, tol);
        const fac = Math.min(safety, (safety * (1 + 2 * newtonLimit)) / (iterations + 2 * newtonLimit));
        let quotient = Math.max(growthLimit, Math.min(shrinkLimit, err ** 0.25 / fac));
        if (!(err < 1)) {
          counts.rejected++;
          s.rejected = true;
          s.h = s.first ? hh * 0.1 : hh / quotient;
          if (s.h < smallestStep(s.t)) return false;
          if (!s.fresh) {
            jacobian();
            s.factoredFor = 0;
          }
          continue;
        }
        if (!s.first) {
          const predictive = ((s.hAccepted / hh) * (err ** 2 / s.errAccepted) ** 0.25) / safety;
          quotient = Math.max(quotient, Math.max(growthLimit, Math.min(shrinkLimit, predictive)));
        }
        s.hAccepted = hh;
        s.errAccepted = Math.max(0.01, err);
        accept(hh, last ? limit : s.t + hh);
        let next = hh / quotient;
        if (s.rejected) next = Math.min(next, hh);
        s.rejected = false;
        s.first = false;
        evaluate(s.t, y, f0);
        s.fresh = false;
        const ratio = next / hh;
        const keepSize = s.theta <= reuseTheta && ratio >= 1 && ratio <= 1.2;
        s.h = last || hh < s.h ? Math.max(Math.min(next, hh * 8), keepSize ? hh : next) : keepSize ? hh : next;
        if (s.theta > reuseTheta) {
          jacobian();
          s.factoredFor = 0;
        }
        return true;
      }
      return false;
    },
    interpolate(time, out) {
      const u = s.span === 0 ? 0 : (time - s.t) / s.span;
      for (let i = 0; i < n; i++) out[i] = yEnd[i] + u * (cont1[i] + (u - C2M1) * (cont2[i] + (u - C1M1) * cont3[i]));
    },
  };
}
