import type { Stimulus } from './simulation-types';

/** What happens at times known beforehand: instants of samples, counted in whole numbers so that they do not drift, and stimulus. */
export interface Timetable {
  /** Takes the samples of a run; returns the first interval that is not positive. */
  begin(samples: readonly { readonly start: number; readonly interval: number }[]): number | undefined;
  /** When the next of it happens. */
  next(): number;
  /** What is due now, once: numbers of samples, and stimulus in its order. */
  take(time: number): { readonly samples: readonly number[]; readonly stimulus: readonly Stimulus[] };
  save(): { readonly sampleIndex: readonly number[]; readonly stimulusAt: number };
  load(saved: { readonly sampleIndex: readonly number[]; readonly stimulusAt: number }): void;
}

export function createTimetable(given: readonly Stimulus[]): Timetable {
  const stimulus = [...given].sort((a, b) => a.time - b.time);
  let samples: { readonly start: number; readonly interval: number; index: number }[] = [];
  let at = 0;
  const timeOf = (x: (typeof samples)[number]): number => x.start + x.index * x.interval;
  return {
    begin(wanted) {
      samples = wanted.map((x) => ({ ...x, index: 0 }));
      return samples.find((x) => !(x.interval > 0))?.interval;
    },
    next: () => samples.reduce((t, x) => Math.min(t, timeOf(x)), stimulus[at]?.time ?? Infinity),
    take(time) {
      const due = samples.flatMap((x, k) => (timeOf(x) <= time ? [k] : []));
      for (const k of due) samples[k].index++;
      const from = at;
      while (at < stimulus.length && stimulus[at].time <= time) at++;
      return { samples: due, stimulus: stimulus.slice(from, at) };
    },
    save: () => ({ sampleIndex: samples.map((x) => x.index), stimulusAt: at }),
    load({ sampleIndex, stimulusAt }) {
      samples.forEach((x, k) => (x.index = sampleIndex[k]));
      at = stimulusAt;
    },
  };
}
