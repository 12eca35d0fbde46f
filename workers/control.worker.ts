import * as Comlink from 'comlink';
import type { Problem } from '../core/language/diagnostics';
import { locusOf, type LocusQuestion } from '../core/linear/locus';
import { loopPicture } from '../core/linear/loop-picture';
import { sweepOf, type SweepQuestion } from '../core/linear/sweep';
import { probeType } from '../core/probe/probe-project';
import { compareForms } from '../core/probe/compare-forms';
import type { ProbeQuestion } from '../core/probe/probe';
import { proposeRegressors } from '../core/studies/regressors';
import type { Project } from '../core/project/project';

/** Tells how far something is, but not more often than anybody can see. */
function seldom(tell: (share: number) => void): (share: number) => void {
  let told = 0;
  return (share) => {
    const now = performance.now();
    if (now - told < 100) return;
    told = now;
    tell(share);
  };
}

interface Answer<T> {
  readonly value: T;
  readonly problems: readonly Problem[];
}

/** A shell: what boxes are and how loops look is core. Stopping is ending the thread. */
const service = {
  probe: (
    project: Project,
    type: string,
    question: ProbeQuestion,
    tell: (share: number) => void,
  ): ReturnType<typeof probeType> => {
    const now = seldom(tell);
    return probeType(project, type, question, (done, of) => {
      now(done / of);
      return true;
    });
  },
  loop: loopPicture,
  locus: (project: Project, question: LocusQuestion, tell: (share: number) => void): ReturnType<typeof locusOf> =>
    locusOf(project, question, seldom(tell)),
  sweep: (project: Project, question: SweepQuestion, tell: (share: number) => void): ReturnType<typeof sweepOf> =>
    sweepOf(project, question, seldom(tell)),
  forms: compareForms,
  regressors: (...asked: Parameters<typeof proposeRegressors>): Answer<ReturnType<typeof proposeRegressors>> => ({
    value: proposeRegressors(...asked),
    problems: [],
  }),
};
export type ControlService = typeof service;
Comlink.expose(service);
