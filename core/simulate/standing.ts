import { noCounts, type StepCounts, type Stepper } from './stepper';

/** Of a model without states: only the time goes on. */
export interface StandingState {
  readonly method: 'standing';
  t: number;
  previous: number;
  readonly counts: StepCounts;
}

const nothing = new Float64Array(0);

export function standing(longest: number, kept?: StandingState): Stepper {
  const s: StandingState = kept ?? { method: 'standing', t: 0, previous: 0, counts: noCounts() };
  return {
    state: s,
    get t() {
      return s.t;
    },
    get previous() {
      return s.previous;
    },
    stiff: false,
    y: nothing,
    counts: s.counts,
    limits: nothing,
    reset: (time) => void (s.t = s.previous = time),
    adjust: () => undefined,
    step(limit) {
      s.previous = s.t;
      s.t = Math.min(limit, s.t + longest);
      s.counts.steps++;
      return true;
    },
    interpolate: () => undefined,
  };
}
