import { withStimulus } from '../simulate/timetable';
import type { FlatModel } from '../flatten/flat-model';
import type { MessageArgument, Stimulus } from '../simulate/simulation';
import { createMoments, type KeptMoment } from './moments';
import { messageTarget, type Prepared } from './prepare';
import type { OutsideAction, RunUpdate } from './protocol';
import { createRun, type Run, type RunOptions, type RunState } from './run';

/** How long it computes between looks at what has been said to it, and how often it tells: with and without somebody watching. */
const pacing = { shown: { slice: 24, update: 50 }, unseen: { slice: 120, update: 250 } };

type Runnable = Prepared & { readonly program: NonNullable<Prepared['program']> };

export interface SessionOptions {
  readonly id: number;
  readonly prepared: Runnable;
  readonly listen: (update: RunUpdate) => void;
  /** Rows are handed over while it goes on; otherwise once it rests. */
  readonly screen: boolean;
  readonly pace: number;
  readonly paused: boolean;
  /** Addresses and conditions at which it stops. */
  readonly stops: ReadonlySet<string>;
  /** What has been done from outside before its beginning, or is part of its setup. */
  readonly actions: readonly OutsideAction[];
}

/** A run that goes on by itself, as fast as somebody wants to watch it, and can be acted on, gone back in and branched. */
export interface Session {
  readonly id: number;
  readonly prepared: Runnable;
  readonly run: Run;
  /** Lets it go. */
  begin(): void;
  pause(): void;
  resume(): void;
  /** Goes on to just after the next event and pauses. */
  step(): void;
  /** Goes back to just after the event before this moment and pauses; false where there is none. */
  back(): boolean;
  setPace(pace: number): void;
  cancel(): void;
  /** Ends without a word: another run takes its place. */
  drop(): void;
  set(path: string, value: number): boolean;
  send(path: string, args: Readonly<Record<string, number>>): boolean;
  stopAt(places: ReadonlySet<string>): void;
  /** Another session that has done the same up to a time, and goes on from there with some changes. */
  branch(
    time: number,
    changes: readonly OutsideAction[],
    options: Omit<SessionOptions, 'prepared' | 'actions'>,
  ): Session;
}

/** What a session takes over of another one. */
interface Beginning {
  readonly from: NonNullable<RunOptions['from']>;
  readonly kept: readonly KeptMoment[];
  /** It is only told of from this time on. */
  readonly until: number;
}

/** An action as something that is done to a model. */
export function stimulusOf(
  model: FlatModel,
  { time, kind, target, value, args = {} }: OutsideAction,
): Stimulus | undefined {
  if (kind === 'set') {
    const variable = model.indexOf.get(target);
    return variable === undefined ? undefined : { time, kind, variable, value, byHand: true };
  }
  const found = messageTarget(model, target);
  return found && { time, kind, ...found, args: argumentsOf(args), byHand: true };
}

const allOf = (model: FlatModel, actions: readonly OutsideAction[]): Stimulus[] =>
  actions.flatMap((a) => stimulusOf(model, a) ?? []);

const argumentsOf = (args: Readonly<Record<string, number>>): MessageArgument[] =>
  Object.entries(args).map(([name, value]) => ({ name, value }));

/** The state of a moment with actions that are still to come, and none by hand after a time. */
function withActions(
  { state }: KeptMoment,
  model: FlatModel,
  actions: readonly OutsideAction[],
  until: number,
): RunState {
  const { simulation } = state;
  const timetable = withStimulus(simulation.timetable, allOf(model, actions), until);
  return { ...state, simulation: { ...simulation, timetable } };
}

export function createSession(options: SessionOptions, beginning?: Beginning): Session {
  const { id, prepared, listen, screen } = options;
  const { model } = prepared;
  let run = createRun(prepared, { shapes: true, ...(beginning && { from: beginning.from }) });
  /** Everything done from outside so far, in order, and how much of it has been told. */
  let done: readonly OutsideAction[] = options.actions;
  let told = 0;
  let { pace, paused } = options;
  let cancelled = false,
    dropped = false;
  /** Clock and product time from which the pace counts. */
  let clockBase = 0,
    timeBase = 0;
  let lastUpdate = 0,
    computing = 0;
  let stoppedAt: string | undefined;
  const take = (): KeptMoment => ({ ...run.keep(), actions: done.length });
  const moments = createMoments(take, beginning?.kept);

  /** Computes up to a time with everything that is to be done until then. */
  const catchUp = (until: number): void => {
    const { simulation } = run;
    const isDue = (): boolean => {
      const { stimulus, stimulusAt } = simulation.state.timetable;
      return stimulusAt < stimulus.length && stimulus[stimulusAt].time <= until;
    };
    simulation.advance(Infinity, false, () => simulation.time < until || isDue());
  };
  if (!beginning) {
    const { timetable } = run.simulation.state;
    Object.assign(timetable, withStimulus(timetable, allOf(model, options.actions)));
  }
  run.simulation.advance(0);
  if (beginning) catchUp(beginning.until);
  run.simulation.takeBreak();
  run.simulation.breakAt(options.stops);
  moments.keep();

  const tell = (): void => {
    const { simulation } = run;
    lastUpdate = performance.now();
    const isRunning = simulation.status === 'running';
    const status = cancelled ? 'cancelled' : isRunning && paused ? 'paused' : simulation.status;
    const unseen = !screen && status === 'running';
    listen({
      run: id,
      status,
      time: simulation.time,
      chunk: unseen ? undefined : run.recorder.takeNew(),
      findings: unseen ? [] : run.findings(),
      problem: simulation.problem,
      warnings: simulation.warnings,
      counts: simulation.counts,
      solver: isRunning ? undefined : simulation.report(),
      seconds: computing / 1000,
      stoppedAt,
      actions: { after: told, done: done.slice(told) },
      sequences: run.sequences(),
    });
    told = done.length;
  };
  const rebase = (): void => {
    clockBase = performance.now();
    timeBase = run.simulation.time;
  };
  const noteStop = (): void => {
    const place = run.simulation.takeBreak();
    if (place === undefined) return;
    paused = true;
    stoppedAt = place;
  };
  /** Lets it compute, keeping moments on the way. */
  const advance = (until: number, stopAtEvent: boolean, keepGoing: () => boolean): void => {
    const started = performance.now();
    run.simulation.advance(until, stopAtEvent, () => {
      moments.look();
      return keepGoing();
    });
    computing += performance.now() - started;
  };
  /** Works for a slice of time, then lets messages in. */
  const work = (): void => {
    if (dropped || paused || cancelled) return;
    const started = performance.now();
    const target = pace > 0 ? timeBase + ((started - clockBase) / 1000) * pace : Infinity;
    const { slice, update } = screen ? pacing.shown : pacing.unseen;
    let looks = 0;
    advance(target, false, () => ++looks % 16 !== 0 || performance.now() < started + slice);
    noteStop();
    const { status } = run.simulation;
    if (performance.now() - lastUpdate >= update || status !== 'running' || paused) tell();
    if (status === 'running' && !paused) setTimeout(work, pace > 0 ? 8 : 0);
  };
  /** Nothing can be done to a run that is over. */
  const act = (change: () => void): void => {
    if (dropped || cancelled || run.simulation.status !== 'running') return;
    change();
    tell();
  };
  const did = (action: OutsideAction): void => {
    done = [...done, action];
    moments.keep();
  };
  /** What had been done from outside after a moment, up to a time. */
  const doneSince = (moment: KeptMoment, until: number): readonly OutsideAction[] =>
    done.slice(moment.actions).filter((a) => a.time <= until);
  /** What had been done, or was to be done, at a moment and up to a time. */
  const doneBy = (moment: KeptMoment, until: number): readonly OutsideAction[] =>
    done.slice(0, moment.actions).filter((a) => a.time <= until);
  /** The last event before a time, with a moment before it. */
  const eventBefore = (time: number): { readonly moment: KeptMoment; readonly event: number } | undefined => {
    for (const moment of moments.upTo(time)) {
      const state = withActions(moment, model, doneSince(moment, time), time);
      const { simulation } = createRun(prepared, { record: [], from: { state } });
      simulation.breakAt(new Set());
      let event: number | undefined;
      for (;;) {
        simulation.takeBreak();
        simulation.advance(time, true);
        if (simulation.time >= time || simulation.status !== 'running') break;
        event = simulation.time;
      }
      if (event !== undefined) return { moment, event };
    }
    return undefined;
  };
  /** Makes the run anew as it was at a time; what it did after that is forgotten. */
  const goTo = (moment: KeptMoment, time: number): void => {
    const { breakpoints } = run.simulation.state;
    const again = doneSince(moment, time);
    const recorder = run.recorder.fork(moment.mark, true);
    run = createRun(prepared, { from: { state: withActions(moment, model, again, time), recorder } });
    moments.forgetAfter(moment);
    run.simulation.breakAt(new Set());
    catchUp(time);
    run.simulation.takeBreak();
    run.simulation.breakAt(breakpoints);
    told = 0;
    done = [...doneBy(moment, time), ...again];
    moments.keep();
  };

  return {
    id,
    prepared,
    get run() {
      return run;
    },
    begin() {
      noteStop();
      rebase();
      setTimeout(() => (paused ? tell() : work()), 0);
    },
    pause: () => act(() => (paused = true)),
    resume() {
      if (dropped || cancelled || run.simulation.status !== 'running') return;
      paused = false;
      stoppedAt = undefined;
      rebase();
      work();
    },
    step: () =>
      act(() => {
        paused = true;
        advance(Infinity, true, () => true);
        stoppedAt = run.simulation.takeBreak();
      }),
    back() {
      const now = run.simulation.time;
      const found = dropped ? undefined : eventBefore(now);
      const [first] = moments.upTo(0);
      if (dropped || (!found && (now <= 0 || !first))) return false;
      goTo(found?.moment ?? first, found?.event ?? 0);
      paused = true;
      cancelled = false;
      stoppedAt = undefined;
      tell();
      return true;
    },
    setPace: (wanted) =>
      act(() => {
        pace = wanted;
        rebase();
      }),
    cancel: () => act(() => (cancelled = true)),
    drop: () => void (dropped = true),
    set(path, value) {
      const index = model.indexOf.get(path);
      if (index === undefined) return false;
      act(() => {
        run.simulation.set(index, value);
        did({ time: run.simulation.time, kind: 'set', target: path, value });
      });
      return true;
    },
    send(path, args) {
      const target = messageTarget(model, path);
      if (!target) return false;
      act(() => {
        run.simulation.send(target.part, target.message, argumentsOf(args));
        did({ time: run.simulation.time, kind: 'send', target: path, value: 0, args });
        noteStop();
      });
      return true;
    },
    stopAt: (places) => run.simulation.breakAt(places),
    branch(time, changes, more) {
      const kept = moments.upTo(time);
      const again = doneSince(kept[0], time);
      return createSession(
        { ...more, prepared, actions: [...doneBy(kept[0], time), ...again, ...changes] },
        {
          from: {
            state: withActions(kept[0], model, [...again, ...changes], time),
            recorder: run.recorder.fork(kept[0].mark, false),
          },
          kept: [...kept].reverse(),
          until: time,
        },
      );
    },
  };
}
