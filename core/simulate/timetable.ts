import { endOfInstant } from '../behaviour/instant';
import type { Stimulus } from './outside';

/** How far a run is in its timetable. */
export interface TimetableState {
  /** The samples of the run, as they were at its start. */
  samples: readonly Sample[];
  /** Of each sample its next instant, as a whole number of intervals. */
  sampleIndex: number[];
  /** What is done from outside, in the order of its times, and the first of it that is still to come. */
  stimulus: readonly Stimulus[];
  stimulusAt: number;
}

export const newTimetableState = (stimulus: readonly Stimulus[]): TimetableState => ({
  samples: [],
  sampleIndex: [],
  stimulus: inOrder(stimulus),
  stimulusAt: 0,
});

const inOrder = (stimulus: readonly Stimulus[]): Stimulus[] => [...stimulus].sort((a, b) => a.time - b.time);

/** What is still to come, with more of it; what was to be done by hand after a time is not done any more. */
export function withStimulus(state: TimetableState, more: readonly Stimulus[], until = Infinity): TimetableState {
  const pending = state.stimulus.slice(state.stimulusAt).filter((x) => !x.byHand || x.time <= until);
  return { ...state, stimulus: inOrder([...pending, ...more]), stimulusAt: 0 };
}

/** What happens at times known beforehand: instants of samples, counted in whole numbers so that they do not drift, and stimulus. */
export interface Timetable {
  /** Takes the samples of a run; returns the first interval that is not positive. */
  begin(samples: readonly Sample[]): number | undefined;
  /** When the next of it happens. */
  next(): number;
  /** Whether something is done from outside now. */
  hasStimulus(time: number): boolean;
  /** What is due now, once: numbers of samples, and stimulus in its order. */
  take(time: number): { readonly samples: readonly number[]; readonly stimulus: readonly Stimulus[] };
}

interface Sample {
  readonly start: number;
  readonly interval: number;
}

const nothing: readonly Stimulus[] = [];

export function createTimetable(state: TimetableState): Timetable {
  const timeOf = (k: number): number => state.samples[k].start + state.sampleIndex[k] * state.samples[k].interval;
  return {
    begin(wanted) {
      state.samples = wanted;
      state.sampleIndex = wanted.map(() => 0);
      return wanted.find((x) => !(x.interval > 0))?.interval;
    },
    // asked several times per step
    next() {
      const { stimulus, stimulusAt } = state;
      let next = stimulusAt < stimulus.length ? stimulus[stimulusAt].time : Infinity;
      for (let k = 0; k < state.samples.length; k++) {
        const t = timeOf(k);
        if (t < next) next = t;
      }
      return next;
    },
    hasStimulus: (time) =>
      state.stimulusAt < state.stimulus.length && state.stimulus[state.stimulusAt].time <= endOfInstant(time),
    take(time) {
      const end = endOfInstant(time);
      const due: number[] = [];
      for (let k = 0; k < state.samples.length; k++)
        if (timeOf(k) <= end) {
          due.push(k);
          state.sampleIndex[k]++;
        }
      const { stimulus, stimulusAt: from } = state;
      if (from >= stimulus.length) return { samples: due, stimulus: nothing };
      while (state.stimulusAt < stimulus.length && stimulus[state.stimulusAt].time <= end) state.stimulusAt++;
      return { samples: due, stimulus: stimulus.slice(from, state.stimulusAt) };
    },
  };
}
