import * as Comlink from 'comlink';
import type { LoopPicture, LoopQuestion } from '@/core/linear/loop-picture';
import type { Locus, LocusQuestion } from '@/core/linear/locus';
import type { Sweep, SweepQuestion } from '@/core/linear/sweep';
import type { Problem } from '@/core/language/diagnostics';
import type { ComparedForms, FormsQuestion } from '@/core/probe/compare-forms';
import type { ProbeQuestion } from '@/core/probe/probe';
import type { ProbeReport } from '@/core/probe/report';
import type { PartType, Project } from '@/core/project/project';
import type { Regressions } from '@/core/studies/regressors';
import type { ControlService } from '@/workers/control.worker';

/** What is asked of boxes and loops, each question in a thread of its own that can be ended at any time. */
export interface Answered<T> {
  readonly value: T | undefined;
  readonly problems: readonly Problem[];
}
export interface Asked<T> {
  /** Undefined where it was stopped. */
  readonly answer: Promise<Answered<T> | undefined>;
  stop(): void;
}

function ask<T>(work: (service: Comlink.Remote<ControlService>) => Promise<Answered<T>>): Asked<T> {
  const worker = new Worker(new URL('../workers/control.worker.ts', import.meta.url), { type: 'module' });
  const service = Comlink.wrap<ControlService>(worker);
  let stopped = (): void => undefined;
  const end = (): void => {
    service[Comlink.releaseProxy]();
    worker.terminate();
  };
  const gone = new Promise<undefined>((resolve) => (stopped = () => resolve(undefined)));
  const answer = Promise.race([work(service), gone]).finally(end);
  return { answer, stop: () => stopped() };
}

export const askProbe = (
  project: Project,
  type: string,
  question: ProbeQuestion,
  tell: (share: number) => void,
): Asked<ProbeReport> =>
  ask(async (s) => (await s.probe(project, type, question, Comlink.proxy(tell))) as Answered<ProbeReport>);

export const askLoop = (project: Project, question: LoopQuestion): Asked<LoopPicture> =>
  ask(async (s) => (await s.loop(project, question)) as Answered<LoopPicture>);

export const askLocus = (project: Project, question: LocusQuestion, tell: (share: number) => void): Asked<Locus> =>
  ask(async (s) => (await s.locus(project, question, Comlink.proxy(tell))) as Answered<Locus>);

export const askSweep = (project: Project, question: SweepQuestion, tell: (share: number) => void): Asked<Sweep> =>
  ask(async (s) => (await s.sweep(project, question, Comlink.proxy(tell))) as Answered<Sweep>);

export const askForms = (project: Project, question: FormsQuestion): Asked<ComparedForms> =>
  ask(async (s) => (await s.forms(project, question)) as Answered<ComparedForms>);

export const askRegressors = (
  project: Project,
  type: PartType,
  unknown: readonly string[],
  measured: readonly string[],
): Asked<Regressions> =>
  ask(async (s) => (await s.regressors(project, type, unknown, measured)) as Answered<Regressions>);
