import * as Comlink from 'comlink';
import type { Project, Setup, Study } from '../core/project/project';
import {
  answerCrossings,
  answerStudy,
  factsOf,
  type Answered,
  type StudyAnswer,
  type Workplace,
} from '../core/studies/answer';
import type { KeptRun } from '../core/studies/answer-compare';
import { fitTaskOf } from '../core/studies/answer-fit';
import type { Between, Simulated } from '../core/studies/fit-model';
import type { FitWorker } from '../core/studies/fit-together';
import { fromBuilt, type BuiltSteps } from '../core/boards/built-steps';
import { askHost } from './ask-host';
import type { StepProfile } from '../core/stepcode/running-step';
import { rowsAsText, rowsOfText, type Replay, type Replayed } from '../core/studies/replay';
import { compareStages, type StagesAnswer } from '../core/studies/compare-stages';
import { readStudy } from '../core/studies/study';
import { inThisThread, spreadOver, type Executor, type RunWorker } from '../core/studies/many';
import { partOf, type RunTable, type RunTablePart } from '../core/studies/run-table';
import { createRunner, type RunAsked, type Runner, type RunnerQuestion, type RunOutcome } from '../core/studies/runner';
import type { Crossing } from '../core/studies/vary';

/**
 * A shell: studies are core. One thread asks the study and has its runs done by others, each of which makes the model once; these are the
 * same program, joined by a port.
 */

/** How far a study is. */
export interface StudyNews {
  readonly done: number;
  readonly of: number;
  /** Runs of a table that have come since the last news. */
  readonly part?: RunTablePart;
}
type Tell = (news: StudyNews) => void;

/** A few runs are done before other threads have begun. */
const tooFew = 6;
const newsEvery = 150;

let own: Runner | undefined;
let ownFit: (between: Between, values: readonly number[]) => readonly Float64Array[] | undefined = () => undefined;
let stopAsked: () => void = () => undefined;
let isStopped = false;

function place(ports: readonly MessagePort[], built: BuiltSteps, kept: readonly KeptRun[] = []): Workplace {
  let made: Runner | undefined;
  const compiledSteps = fromBuilt(built, askHost);
  const stopped = new Promise<void>((resolve) => (stopAsked = resolve));
  return {
    kept,
    compiledSteps,
    make(question) {
      const answer = createRunner(question, compiledSteps);
      made = answer.value;
      return answer;
    },
    async start(question, runs): Promise<Executor> {
      if (ports.length === 0 || runs <= tooFew) return inThisThread(made!);
      const workers = ports.map((p) => Comlink.wrap<StudiesService>(p));
      await Promise.race([Promise.all(workers.map((w) => w.begin(question, built))), stopped]);
      return spreadOver(
        workers.map((w): RunWorker => ({ run: async (asked) => (await w.carryOut(asked)) as readonly RunOutcome[] })),
        stopped,
      );
    },
    startFit(project, study) {
      const ready: FitWorker[] = [];
      const workers = ports.map((p) => Comlink.wrap<StudiesService>(p));
      // who cannot make it is done without
      Promise.all(workers.map((w) => w.beginFit(project, study)))
        .then((begun) => {
          if (!begun.every(Boolean)) return;
          for (const w of workers)
            ready.push({
              run: async (between, values) => (await w.fitRun(between, values)) as readonly Float64Array[] | undefined,
            });
        })
        .catch(() => undefined);
      return () => ready;
    },
  };
}

/** Tells what is new, but not more often than anybody can see. */
function watchOf(tell: Tell) {
  let told = 0;
  let table: RunTable | undefined;
  let rows: number[] = [];
  const send = (done: number, of: number): void => {
    const part = table && rows.length > 0 ? partOf(table, rows) : undefined;
    rows = [];
    told = performance.now();
    tell({ done, of, ...(part && { part }) });
  };
  return {
    goOn(done: number, of: number): boolean {
      if (performance.now() - told > newsEvery) send(done, of);
      return !isStopped;
    },
    begun(t: RunTable): void {
      table = t;
      tell({ done: 0, of: t.rows, part: partOf(t, []) });
    },
    row: (k: number): void => void rows.push(k),
  };
}

const service = {
  /** Joins a thread that hands runs over. */
  join: (port: MessagePort): void => Comlink.expose(service, port),
  begin(question: RunnerQuestion, built: BuiltSteps): boolean {
    own = createRunner(question, fromBuilt(built, askHost)).value;
    return own !== undefined;
  },
  carryOut: (asked: readonly RunAsked[]): readonly RunOutcome[] => asked.map((a) => own!.run(a)),
  beginFit(project: Project, study: Study): boolean {
    const { value: read } = readStudy(project, study);
    const made = read ? fitTaskOf(project, study, read) : [];
    if (!('task' in made)) return false;
    const simulated = new Map<Between, Simulated | undefined>();
    ownFit = (between, values) => {
      if (!simulated.has(between)) simulated.set(between, made.task.simulated(between));
      return simulated.get(between)?.at(values);
    };
    return true;
  },
  fitRun: (between: Between, values: readonly number[]): readonly Float64Array[] | undefined => ownFit(between, values),
  facts: factsOf,
  answer(
    project: Project,
    study: Study,
    built: BuiltSteps,
    kept: readonly KeptRun[],
    ports: readonly MessagePort[],
    tell: Tell,
  ): Promise<Answered<StudyAnswer>> {
    isStopped = false;
    return answerStudy(project, study, place(ports, built, kept), watchOf(tell));
  },
  crossings(
    project: Project,
    study: Study,
    built: BuiltSteps,
    table: RunTable,
    tell: Tell,
  ): Promise<Answered<readonly Crossing[]>> {
    isStopped = false;
    return answerCrossings(project, study, table, place([], built), watchOf(tell));
  },
  stages(
    project: Project,
    setup: Setup,
    part: string,
    tolerance: number,
    built: BuiltSteps,
    isOnHost: boolean,
    tell: Tell,
  ): Promise<Answered<StagesAnswer>> {
    const watch = watchOf(tell);
    return compareStages(
      project,
      setup,
      part,
      tolerance,
      (share) => watch.goOn(share, 1),
      { stages: built.images.map((i) => `board:${i.board}` as const), compiledSteps: fromBuilt(built) },
      isOnHost ? (type, replay) => goneOnHost(project, type, replay) : undefined,
    );
  },
  stop(): void {
    isStopped = true;
    stopAsked();
  },
};
/** Steps gone again in the compiled C, by the server that serves the page; why not, where it does not. */
async function goneOnHost(
  project: Project,
  type: string,
  replay: Replay,
): Promise<string | (Replayed & { readonly profile: StepProfile })> {
  try {
    const reply = await fetch('/api/host', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({
        project,
        type,
        replay: { ...replay, rows: rowsAsText(replay.rows), count: replay.rows.length },
      }),
    });
    const said = (await reply.json()) as { problem?: string; shown: boolean[]; rows: string; profile: StepProfile };
    if (said.problem !== undefined) return said.problem;
    const rows = rowsOfText(said.rows, said.shown.length, replay.rows.length);
    return rows
      ? { shown: said.shown, rows, profile: said.profile }
      : 'The server says something else than what was asked';
  } catch {
    return 'The server that compiles does not answer';
  }
}
export type StudiesService = typeof service;
Comlink.expose(service);
