import type { MessageArgument, Stimulus } from '../simulate/simulation';
import { withStimulus } from '../simulate/timetable';
import { createMoments, type KeptMoment } from './moments';
import { messageTarget, type Prepared } from './prepare';
import { followsFromSteps } from './assemble';
import type { OutsideAction } from './protocol';
import { createRun, type Run, type Runnable, type RunOptions, type RunState } from './run';

/** A run in time: it goes on, back to earlier events, and other ways from there; what was done to it by hand goes along. */
export interface Timeline {
  /** The run as it is; another one after going back. */
  readonly run: Run;
  /** Everything done from outside so far, in order. */
  readonly done: readonly OutsideAction[];
  /** Lets it compute, keeping moments on the way; milliseconds that took. */
  advance(until: number, stopAtEvent: boolean, keepGoing: () => boolean): number;
  /** False where there is no such quantity, or nobody to take such a message. */
  set(path: string, value: number): boolean;
  send(path: string, args: Readonly<Record<string, number>>): boolean;
  /** Goes back to just after the event before this moment, or to the start; false where it is there already. */
  back(): boolean;
  /** One that has done the same up to a time, and goes on from there with some changes. */
  branch(time: number, changes: readonly OutsideAction[]): Timeline;
}

/** What a run takes over of another one. */
interface Beginning {
  readonly from: NonNullable<RunOptions['from']>;
  readonly kept: readonly KeptMoment[];
  /** It starts at this time; until then everything has been done. */
  readonly until: number;
}

type Acted = Pick<Prepared, 'model' | 'steps'>;

/** An action as something that is done in a run; undefined where it cannot be done. */
export function stimulusOf(
  prepared: Acted,
  { time, kind, target, value, args = {} }: OutsideAction,
): Stimulus | undefined {
  if (kind === 'set') {
    const variable = prepared.model.indexOf.get(target);
    return variable === undefined || followsFromSteps(prepared, variable)
      ? undefined
      : { time, kind, variable, value, byHand: true };
  }
  const found = messageTarget(prepared.model, target);
  return found && { time, kind, ...found, args: argumentsOf(args), byHand: true };
}

const allOf = (prepared: Acted, actions: readonly OutsideAction[]): Stimulus[] =>
  actions.flatMap((a) => stimulusOf(prepared, a) ?? []);

const argumentsOf = (args: Readonly<Record<string, number>>): MessageArgument[] =>
  Object.entries(args).map(([name, value]) => ({ name, value }));

/** The state of a moment with actions that are still to come, and none by hand after a time. */
function withActions(
  { state }: KeptMoment,
  prepared: Acted,
  actions: readonly OutsideAction[],
  until: number,
): RunState {
  const { simulation } = state;
  const timetable = withStimulus(simulation.timetable, allOf(prepared, actions), until);
  return { ...state, simulation: { ...simulation, timetable } };
}

/** Computes up to a time, with everything that is to be done until then, whatever it would stop at. */
function catchUp({ simulation }: Run, until: number): void {
  const goesOn = (): boolean => {
    const { stimulus, stimulusAt } = simulation.state.timetable;
    const isDue = stimulusAt < stimulus.length && stimulus[stimulusAt].time <= until;
    return simulation.status === 'running' && (simulation.time < until || isDue);
  };
  simulation.takeBreak();
  while (goesOn()) {
    simulation.advance(Infinity, false, goesOn);
    simulation.takeBreak();
  }
}

/** The last event before a time of a run that goes on from a state. */
function lastEvent(prepared: Runnable, state: RunState, before: number): number | undefined {
  const { simulation } = createRun(prepared, { record: [], from: { state } });
  let event: number | undefined;
  for (;;) {
    simulation.takeBreak();
    simulation.advance(before, true);
    if (simulation.time >= before || simulation.status !== 'running') return event;
    event = simulation.time;
  }
}

/** `actions`: what has been done before its beginning, or what is to be done again from the start. `stops`: where it stops. */
export function createTimeline(
  prepared: Runnable,
  actions: readonly OutsideAction[],
  stops: ReadonlySet<string>,
  beginning?: Beginning,
): Timeline {
  const { model } = prepared;
  let run = createRun(prepared, { shapes: true, ...(beginning && { from: beginning.from }) });
  let done = actions;
  const moments = createMoments(() => ({ ...run.keep(), actions: done.length }), beginning?.kept);
  if (beginning) {
    catchUp(run, beginning.until);
    run.simulation.breakAt(stops);
  } else {
    const { timetable } = run.simulation.state;
    Object.assign(timetable, withStimulus(timetable, allOf(prepared, actions)));
    run.simulation.breakAt(stops);
    run.simulation.advance(0);
  }
  moments.keep();

  const did = (action: OutsideAction): boolean => {
    done = [...done, action];
    moments.keep();
    return true;
  };
  /** What had been done, or was to be done, at a moment and up to a time; and what was done after the moment. */
  const doneBy = (moment: KeptMoment, until: number): readonly OutsideAction[] =>
    done.slice(0, moment.actions).filter((a) => a.time <= until);
  const doneSince = (moment: KeptMoment, until: number): readonly OutsideAction[] =>
    done.slice(moment.actions).filter((a) => a.time <= until);
  const stateFor = (moment: KeptMoment, until: number, more: readonly OutsideAction[] = []): RunState =>
    withActions(moment, prepared, [...doneSince(moment, until), ...more], until);
  /** Makes the run anew as it was at a time; what it did after that is forgotten. */
  const goTo = (moment: KeptMoment, time: number): void => {
    const { breakpoints } = run.simulation.state;
    const recorder = run.recorder.fork(moment.mark, true);
    run = createRun(prepared, { from: { state: stateFor(moment, time), recorder } });
    done = [...doneBy(moment, time), ...doneSince(moment, time)];
    moments.forgetAfter(moment);
    run.simulation.breakAt(new Set());
    catchUp(run, time);
    run.simulation.breakAt(breakpoints);
    moments.keep();
  };

  return {
    get run() {
      return run;
    },
    get done() {
      return done;
    },
    advance(until, stopAtEvent, keepGoing) {
      const started = performance.now();
      run.simulation.advance(until, stopAtEvent, () => {
        moments.look();
        return keepGoing();
      });
      return performance.now() - started;
    },
    set(path, value) {
      const index = model.indexOf.get(path);
      if (index === undefined || followsFromSteps(prepared, index)) return false;
      run.simulation.set(index, value);
      return did({ time: run.simulation.time, kind: 'set', target: path, value });
    },
    send(path, args) {
      const target = messageTarget(model, path);
      if (!target) return false;
      run.simulation.send(target.part, target.message, argumentsOf(args));
      return did({ time: run.simulation.time, kind: 'send', target: path, value: 0, args });
    },
    back() {
      const now = run.simulation.time;
      for (const moment of moments.upTo(now)) {
        const event = lastEvent(prepared, stateFor(moment, now), now);
        if (event === undefined) continue;
        goTo(moment, event);
        return true;
      }
      const [first] = moments.upTo(0);
      if (now <= 0 || !first) return false;
      goTo(first, 0);
      return true;
    },
    branch(time, changes) {
      const kept = moments.upTo(time);
      const [last] = kept;
      const again = [...doneBy(last, time), ...doneSince(last, time), ...changes];
      return createTimeline(prepared, again, run.simulation.state.breakpoints, {
        from: { state: stateFor(last, time, changes), recorder: run.recorder.fork(last.mark, false) },
        kept: [...kept].reverse(),
        until: time,
      });
    },
  };
}
