import type { BuiltSteps } from '@/core/boards/built-steps';
import * as Comlink from 'comlink';
import type { Project, Setup, Study } from '@/core/project/project';
import type { Answered, StudyAnswer, StudyFacts } from '@/core/studies/answer';
import type { KeptRun } from '@/core/studies/answer-compare';
import type { StagesAnswer } from '@/core/studies/compare-stages';
import type { RunTable } from '@/core/studies/run-table';
import type { Crossing } from '@/core/studies/vary';
import type { StudiesService, StudyNews } from '@/workers/studies.worker';

/** Threads that answer studies: they are made for a question and ended after it. */

export interface AskedStudy<T> {
  /** Undefined where it was ended without an answer. */
  readonly answer: Promise<Answered<T> | undefined>;
  /** Ends it with what is there; where it does not listen, without. */
  stop(): void;
}

const mostWorkers = 8;
/** A thread that does not answer for this long once it is to stop is ended. */
const patience = 1500;

const newWorker = (): Worker =>
  new Worker(new URL('../workers/studies.worker.ts', import.meta.url), { type: 'module' });

function ask<T>(
  helpers: number,
  work: (service: Comlink.Remote<StudiesService>, ports: readonly MessagePort[]) => Promise<Answered<T>>,
): AskedStudy<T> {
  const worker = newWorker();
  const others: Worker[] = [];
  const service = Comlink.wrap<StudiesService>(worker);
  const ports = Array.from({ length: helpers }, () => {
    const other = newWorker();
    others.push(other);
    const { port1, port2 } = new MessageChannel();
    void Comlink.wrap<StudiesService>(other).join(Comlink.transfer(port1, [port1]));
    return port2;
  });
  let end = (): void => undefined;
  const ended = new Promise<undefined>((resolve) => (end = () => resolve(undefined)));
  const broken = new Promise<never>((_, reject) => {
    for (const w of [worker, ...others])
      w.addEventListener('error', (e) => reject(new Error(e.message || 'A thread of the study has ended')));
  });
  let isOver = false;
  const answer = Promise.race([work(service, ports), ended, broken]).finally(() => {
    isOver = true;
    service[Comlink.releaseProxy]();
    for (const w of [worker, ...others]) w.terminate();
  });
  return {
    answer,
    stop() {
      if (isOver) return;
      void service.stop();
      setTimeout(end, patience);
    },
  };
}

const told = (tell: (news: StudyNews) => void) => Comlink.proxy(tell);

export const askStudy = (
  project: Project,
  study: Study,
  build: () => Promise<BuiltSteps>,
  kept: readonly KeptRun[],
  tell: (news: StudyNews) => void,
): AskedStudy<StudyAnswer> => {
  const helpers = study.kind === 'compare' ? 0 : Math.max(1, Math.min(mostWorkers, navigator.hardwareConcurrency || 2));
  return ask(
    helpers,
    async (s, ports) =>
      (await s.answer(
        project,
        study,
        await build(),
        kept,
        Comlink.transfer([...ports], [...ports]),
        told(tell),
      )) as Answered<StudyAnswer>,
  );
};

export const askFacts = (project: Project, study: Study): AskedStudy<StudyFacts> =>
  ask(0, async (s) => (await s.facts(project, study)) as Answered<StudyFacts>);

export const askCrossings = (
  project: Project,
  study: Study,
  build: () => Promise<BuiltSteps>,
  table: RunTable,
  tell: (news: StudyNews) => void,
): AskedStudy<readonly Crossing[]> =>
  ask(
    0,
    async (s) => (await s.crossings(project, study, await build(), table, told(tell))) as Answered<readonly Crossing[]>,
  );

/** Runs a part of a setup in one stage after the other. */
export const askStages = (
  project: Project,
  setup: Setup,
  part: string,
  tolerance: number,
  built: BuiltSteps,
  isOnHost: boolean,
  tell: (share: number) => void,
): AskedStudy<StagesAnswer> =>
  ask(
    0,
    async (s) =>
      (await s.stages(
        project,
        setup,
        part,
        tolerance,
        built,
        isOnHost,
        told((news) => tell(news.done)),
      )) as Answered<StagesAnswer>,
  );
