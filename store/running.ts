import * as Comlink from 'comlink';
import type { BatchProgress, BatchResult } from '@/core/run/batch';
import type { Project } from '@/core/project/project';
import { triedRun } from '@/core/run/tried';
import type { StageText } from '@/core/stepcode/stage';
import type { Engine, OutsideAction, RunUpdate } from '@/core/run/protocol';
import { problem } from '@/core/language/diagnostics';
import { runAll } from './checking';
import { builtFor } from './images';
import { usePlace } from './place-store';
import { useProject } from './project-store';
import { answerOf, restart, runner } from './replicas';
import { useRuns, type RunState } from './run-store';
import { keepRuns, noteRun } from './saving';

/** The run at hand: starting it, going on and back in it, acting on it. */

/** Takes in what a run tells; more is told once it is drawn. */
const listener = (projectId: string) =>
  Comlink.proxy(async (update: RunUpdate) => {
    useRuns.getState().update(update);
    if (update.status === 'finished' || update.status === 'failed' || update.status === 'cancelled')
      keepRuns(projectId);
    if (update.status === 'finished') noteRun(projectId, update.run);
    await new Promise<void>((resolve) => setTimeout(resolve, 0));
  });

/** Starts a setup: the chosen one, or that of a name. `changes` are values for this run only. */
export async function startRun(
  options: {
    readonly paused?: boolean;
    readonly actions?: readonly OutsideAction[];
    readonly changes?: Readonly<Record<string, string>>;
    readonly words?: string;
    readonly setup?: string;
    /** A test case in a stage, which the run goes along with. */
    readonly tried?: { readonly id: string; readonly stage?: StageText | undefined };
  } = {},
): Promise<void> {
  const { project } = useProject.getState();
  const runs = useRuns.getState();
  const of = options.tried && project?.cases.find((c) => c.id === options.tried!.id);
  const asked = project && of ? triedRun(project, of, options.tried?.stage) : undefined;
  if (asked && 'message' in asked) return usePlace.getState().say(asked.message);
  const setup =
    asked?.setup ??
    project?.setups.find((s) => (options.setup === undefined ? s.id === runs.setupId : s.name === options.setup)) ??
    project?.setups[0];
  const engine = runner();
  if (!project || !engine) return;
  if (!setup) {
    usePlace.getState().say('There is no setup to run yet: add one on the Bench');
    return;
  }
  runs.setStarting(true);
  const built = await builtFor(asked?.project ?? project, [setup]);
  const [missing] = built.missing;
  if (missing !== undefined) {
    useRuns.getState().setStarting(false);
    useRuns.getState().failStart([problem('error', 'no-image', missing)]);
    return usePlace.getState().say(missing);
  }
  let result: Awaited<ReturnType<Engine['start']>> | undefined;
  try {
    result = await answerOf(
      'running',
      async (at) =>
        await at.start(
          setup.id,
          {
            pace: runs.pace,
            paused: options.paused ?? false,
            actions: options.actions ?? [],
            changes: options.changes ?? {},
            breakpoints: [...runs.breakpoints],
            conditions: runs.stopConditions,
            built,
            ...(options.tried && { tried: options.tried }),
          },
          listener(project.id),
        ),
    );
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error);
    return usePlace.getState().say(`${setup.name} could not start: ${why}`);
  } finally {
    useRuns.getState().setStarting(false);
  }
  if (!result) return usePlace.getState().say(`${setup.name} was ended before it began`, 'note');
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
  beginRun({
    model: result.model,
    setup: of?.name ?? setup.name,
    changes: [...setup.changes.map((c) => `${c.name} = ${c.value}`), ...(options.words ? [options.words] : [])].join(
      ', ',
    ),
    stop: setup.stop,
  });
}

/** Runs several setups one after the other; undefined where that was ended from outside. */
export async function runSeveral(
  project: Project,
  ids: readonly string[],
  tell: (progress: BatchProgress) => void,
): Promise<BatchResult[] | undefined> {
  const built = await builtFor(
    project,
    project.setups.filter((s) => ids.includes(s.id)),
  );
  return runAll(ids, built, tell);
}

export const pauseRun = (): void => void runner()?.pause();
export const resumeRun = (): void => void runner()?.resume();

/** A worker that does not answer for this long is ended. */
const patience = 1500;

/** Ends the run, or its start, whatever it is doing. */
export function cancelRun(): void {
  const { starting, current } = useRuns.getState();
  if (starting) return restart('running');
  void runner()?.cancel();
  setTimeout(() => {
    const now = useRuns.getState().current;
    if (!now || now.model.run !== current?.model.run || (now.status !== 'running' && now.status !== 'paused')) return;
    restart('running');
    useRuns.getState().endHere();
  }, patience);
}

/** Lets runs stop at a state or transition, or no longer. */
export function toggleBreakpoint(address: string): void {
  useRuns.getState().toggleBreakpoint(address);
  void runner()?.breakAt([...useRuns.getState().breakpoints]);
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
  const engine = runner();
  if (!current || !project || !engine) return;
  const words = `branched at ${Number(time.toPrecision(5))} s${changes.length ? ` with ${changes.map((c) => `${c.name} = ${c.value}`).join(', ')}` : ''}`;
  const given = changes.map((c): OutsideAction => ({ time, kind: 'set', target: c.name, value: c.value }));
  const model = await engine.branch(current.model.run, time, given, { pace: runs.pace }, listener(project.id));
  if (!model) {
    const done = current.actions.filter((a) => a.time <= time);
    return startRun({ actions: [...done, ...given], words, setup: current.setup });
  }
  beginRun({
    model,
    setup: current.setup,
    changes: [current.changes, words].filter((x) => x !== '').join(', '),
    stop: current.stop,
  });
}

/** Runs that studies compare stay as long as others make room. */
function beginRun(run: Parameters<RunState['begin']>[0]): void {
  // why an earlier one did not run
  if (usePlace.getState().notice?.kind === 'problem') usePlace.getState().silence();
  const wanted = useProject.getState().project?.studies.flatMap((s) => s.kept.map(Number)) ?? [];
  useRuns.getState().begin(run, new Set(wanted));
}

/** Goes on to the next event; starts a paused run where there is none. */
export async function stepRun(): Promise<void> {
  const { current } = useRuns.getState();
  if (!current || (current.status !== 'running' && current.status !== 'paused')) await startRun({ paused: true });
  await runner()?.step();
}

/** Goes back to the event before; what came after it is gone. */
export async function stepBack(): Promise<void> {
  const { current } = useRuns.getState();
  const gone = current && (await runner()?.back(current.model.run));
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
  void runner()?.setPace(pace);
}

const live = (): boolean => {
  const { current } = useRuns.getState();
  return current?.status === 'running' || current?.status === 'paused';
};

/** Panel controls act on the run that is going on. */
export async function sendMessage(path: string): Promise<void> {
  if (!live()) usePlace.getState().say('Start a run first: the panel acts on a running product', 'note');
  else if (!(await runner()?.send(path))) usePlace.getState().say(`${path} does not name a part and a message`);
}

export async function setQuantity(path: string, value: number): Promise<void> {
  if (!live()) usePlace.getState().say('Start a run first: the panel acts on a running product', 'note');
  else if (!(await runner()?.set(path, value))) usePlace.getState().say(`There is no quantity ${path} in this run`);
}
