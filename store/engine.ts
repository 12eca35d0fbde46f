import * as Comlink from 'comlink';
import type { Patch } from 'immer';
import type { Engine, OutsideAction, RunShape, RunUpdate } from '@/core/run/protocol';
import type { BatchProgress, BatchResult } from '@/core/run/batch';
import type { Example } from '@/core/run/example';
import type { Project } from '@/core/project/project';
import type { typeStructure } from '@/core/run/type-structure';
import { useProject } from './project-store';
import { useRuns, type RunView } from './run-store';
import { toRecording } from './run-data';
import { addHistory, loadHistory, saveProject, saveRuns, type HistoryEntry } from './storage';
import { usePlace } from './place-store';

export type TypeStructure = ReturnType<typeof typeStructure>;

/** The engine's worker and everything that reacts to the document: checking, saving, running. */
let worker: Worker | undefined;
let checker: Worker | undefined;
let engine: Comlink.Remote<Engine> | undefined;
let checkEngine: Comlink.Remote<Engine> | undefined;

/** Both workers get the document once and then its changes, in the order in which they are posted. */
function replicate(project: Project, version: number, change: readonly Patch[] | undefined, before: number): void {
  for (const replica of [engine, checkEngine]) {
    if (!replica) continue;
    if (change === undefined) void replica.open(project, version);
    else
      void replica.follow(change, before, version).then((followed) => {
        const now = useProject.getState();
        if (!followed && now.project) return replica.open(now.project, now.version);
      });
  }
}

const makeWorker = (): Worker =>
  new Worker(new URL('../workers/engine.worker.ts', import.meta.url), { type: 'module' });

/** Starts the workers and the subscriptions; the returned function ends them. */
export function startEngine(): () => void {
  worker = makeWorker();
  checker = makeWorker();
  engine = Comlink.wrap<Engine>(worker);
  checkEngine = Comlink.wrap<Engine>(checker);
  let checkTimer: ReturnType<typeof setTimeout> | undefined;
  let saveTimer: ReturnType<typeof setTimeout> | undefined;
  const check = async (): Promise<void> => {
    if (!useProject.getState().project || !checkEngine) return;
    const { problems, constants, version } = await checkEngine.check();
    if (version === useProject.getState().version) useProject.getState().setProblems(problems, constants);
  };
  const save = async (): Promise<void> => {
    const { project } = useProject.getState();
    if (!project) return;
    try {
      await saveProject(project);
      if (useProject.getState().project === project) useProject.getState().setSaved('saved');
    } catch {
      useProject.getState().setSaved('failed');
    }
  };
  const unsubscribe = useProject.subscribe((state, before) => {
    if (state.project === before.project || !state.project) return;
    replicate(state.project, state.version, state.change, before.version);
    if (before.project?.id === state.project.id) {
      const { current } = useRuns.getState();
      useRuns.getState().rename(before.project, state.project);
      // kept runs have the names of the kept project
      if (useRuns.getState().current !== current) keepRuns(state.project.id);
    }
    // a large document takes its time to be copied to the checker and the storage: then it waits for a pause in typing
    const large = state.project.requirements.length + state.project.traces.length > 4000;
    clearTimeout(checkTimer);
    checkTimer = setTimeout(() => void check(), large ? 700 : 60);
    clearTimeout(saveTimer);
    saveTimer = setTimeout(() => void save(), large ? 2000 : 250);
  });
  const saveNow = (): void => void save();
  window.addEventListener('pagehide', saveNow);
  const { project: present, version } = useProject.getState();
  if (present) {
    replicate(present, version, undefined, -1);
    void check();
  }
  return () => {
    unsubscribe();
    clearTimeout(checkTimer);
    clearTimeout(saveTimer);
    window.removeEventListener('pagehide', saveNow);
    engine?.[Comlink.releaseProxy]();
    checkEngine?.[Comlink.releaseProxy]();
    worker?.terminate();
    checker?.terminate();
    worker = checker = undefined;
    engine = checkEngine = undefined;
  };
}

/** Takes in what a run tells. */
const listener = (projectId: string) =>
  Comlink.proxy((update: RunUpdate) => {
    useRuns.getState().update(update);
    if (update.status === 'finished' || update.status === 'failed' || update.status === 'cancelled')
      keepRuns(projectId);
    if (update.status === 'finished') noteRun(projectId);
  });

/** Starts the chosen setup. `changes` are values for this run only. */
export async function startRun(
  options: {
    readonly paused?: boolean;
    readonly actions?: readonly OutsideAction[];
    readonly changes?: Readonly<Record<string, string>>;
    readonly words?: string;
  } = {},
): Promise<void> {
  const { project } = useProject.getState();
  const runs = useRuns.getState();
  const setup = project?.setups.find((s) => s.id === runs.setupId) ?? project?.setups[0];
  if (!project || !engine) return;
  if (!setup) {
    usePlace.getState().say('There is no setup to run yet: add one on the Bench');
    return;
  }
  const result = await engine.start(
    setup.id,
    {
      pace: runs.pace,
      paused: options.paused ?? false,
      actions: options.actions ?? [],
      changes: options.changes ?? {},
      breakpoints: [...runs.breakpoints],
      conditions: runs.stopConditions,
    },
    listener(project.id),
  );
  if (!result.model) {
    useRuns.getState().failStart(result.problems);
    const errors = result.problems.filter((p) => p.severity === 'error');
    usePlace
      .getState()
      .say(
        errors.length > 1
          ? `${errors[0].message} (and ${errors.length - 1} more)`
          : (errors[0]?.message ?? 'The run could not start'),
      );
    return;
  }
  useRuns.getState().begin({
    model: result.model,
    setup: setup.name,
    changes: [...setup.changes.map((c) => `${c.name} = ${c.value}`), ...(options.words ? [options.words] : [])].join(
      ', ',
    ),
    stop: setup.stop,
  });
}

export const structureOf = async (typeId: string): Promise<TypeStructure | undefined> => checkEngine?.structure(typeId);
export const unitOfQuantity = async (typeId: string, path: string): Promise<string | undefined> =>
  checkEngine?.unitOf(typeId, path);
/** What a part type looks like at its start. */
export const shapesOf = async (typeId: string): Promise<readonly RunShape[] | undefined> => checkEngine?.shapes(typeId);
export const exampleFor = async (formula: string): Promise<Example | undefined> => checkEngine?.example(formula);

/** Runs several setups one after the other, beside whatever else runs. */
export const runAll = (
  ids: readonly string[],
  tell: (progress: BatchProgress) => void,
): Promise<BatchResult[]> | undefined => checkEngine?.runAll(ids, Comlink.proxy(tell));
export const cancelAll = (): void => void checkEngine?.cancelAll();

export const pauseRun = (): void => void engine?.pause();
export const resumeRun = (): void => void engine?.resume();
export const cancelRun = (): void => void engine?.cancel();

/** Lets runs stop at a state or transition, or no longer. */
export function toggleBreakpoint(address: string): void {
  useRuns.getState().toggleBreakpoint(address);
  void engine?.breakAt([...useRuns.getState().breakpoints]);
}

/**
 * Goes another way from a moment of the run on: `changes` are given then. The run so far stays as the earlier one. It goes on from the
 * run as it was; where that is no longer at hand (after the page was opened anew), everything up to then is done again.
 */
export async function branchAt(
  time: number,
  changes: readonly { readonly name: string; readonly value: number }[],
): Promise<void> {
  const runs = useRuns.getState();
  const { current } = runs;
  const { project } = useProject.getState();
  if (!current || !project || !engine) return;
  const words = `branched at ${Number(time.toPrecision(5))} s${changes.length ? ` with ${changes.map((c) => `${c.name} = ${c.value}`).join(', ')}` : ''}`;
  const given = changes.map((c): OutsideAction => ({ time, kind: 'set', target: c.name, value: c.value }));
  const model = await engine.branch(
    current.model.run,
    time,
    given,
    { pace: runs.pace, breakpoints: [...runs.breakpoints] },
    listener(project.id),
  );
  if (!model) {
    const done = current.actions.filter((a) => a.time <= time);
    return startRun({ actions: [...done, ...given], words });
  }
  useRuns.getState().begin({
    model,
    setup: current.setup,
    changes: [current.changes, words].filter((x) => x !== '').join(', '),
    stop: current.stop,
  });
}

/** Goes on to the next event; starts a paused run where there is none. */
export async function stepRun(): Promise<void> {
  const { current } = useRuns.getState();
  if (!current || (current.status !== 'running' && current.status !== 'paused')) await startRun({ paused: true });
  await engine?.step();
}

/** Goes back to the event before; what came after it is gone. */
export async function stepBack(): Promise<void> {
  const { current } = useRuns.getState();
  const gone = current && (await engine?.back());
  if (gone) useRuns.getState().followRun();
  else
    usePlace
      .getState()
      .say(
        current && current.time > 0
          ? 'This run cannot be gone back in any more: run it again first'
          : 'There is nothing before this',
        'note',
      );
}

export function changePace(pace: number): void {
  useRuns.getState().setPace(pace);
  void engine?.setPace(pace);
}

const live = (): boolean => {
  const { current } = useRuns.getState();
  return current?.status === 'running' || current?.status === 'paused';
};

/** Panel controls act on the run that is going on. */
export async function sendMessage(path: string): Promise<void> {
  if (!live()) usePlace.getState().say('Start a run first: the panel acts on a running product', 'note');
  else if (!(await engine?.send(path))) usePlace.getState().say(`${path} does not name a part and a message`);
}

export async function setQuantity(path: string, value: number): Promise<void> {
  if (!live()) usePlace.getState().say('Start a run first: the panel acts on a running product', 'note');
  else if (!(await engine?.set(path, value))) usePlace.getState().say(`There is no quantity ${path} in this run`);
}

/** Adds what the newest run found to the history of its project. */
function noteRun(projectId: string): void {
  const { current, history, setHistory } = useRuns.getState();
  if (!current) return;
  const entry: HistoryEntry = {
    projectId,
    at: Date.now(),
    setup: current.setup,
    changes: current.changes,
    findings: current.findings.map(({ id, verdict, margin, unit, failsSince }) => ({
      id,
      verdict,
      margin,
      unit,
      failsSince,
    })),
  };
  setHistory([entry, ...history].slice(0, 200));
  addHistory(entry).catch(() => undefined);
}

export const readHistory = (projectId: string): void =>
  void loadHistory(projectId)
    .then((h) => useRuns.getState().setHistory(h))
    .catch(() => undefined);

/** Keeps the newest run and the one before in the browser. */
export function keepRuns(projectId: string): void {
  const { current, earlier } = useRuns.getState();
  const stored = (run: RunView | undefined, slot: number) =>
    run && run.data.rows > 0
      ? [
          {
            projectId,
            slot,
            setup: run.setup,
            changes: run.changes,
            recording: toRecording(run.data),
            findings: run.findings,
            model: run.model,
          },
        ]
      : [];
  saveRuns([...stored(current, 0), ...stored(earlier, 1)]).catch(() =>
    usePlace.getState().say('The run could not be kept in the browser: there may be no room left'),
  );
}
