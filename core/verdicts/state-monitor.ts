import { createLane, lookAt, type Lane, type Least, type LeastMargin, type Monitor, type Verdict } from './finding';
import type { StateSource } from './source';

/** Limits whose condition and predicate the model itself watches: constant work per row, exact at events, and next to none in between. */

type Rests = (variable: number) => boolean;
const decidedAtEvents = (source: StateSource, rests: Rests): boolean =>
  (source.condition < 0 || rests(source.condition)) && rests(source.predicate);

const nothing: readonly LeastMargin[] = [];

interface Worst extends Least {
  readonly lane: Lane;
  failsSince: number | undefined;
}
const newWorst = (): Worst => ({ lane: [], worst: Infinity, worstAt: undefined, failsSince: undefined });

/** Of something that has to follow an event. */
interface Waiting extends Worst {
  /** The event holds. */
  armed: boolean;
  now: number;
  triggered: number;
  /** Since when something is due. */
  since: number | undefined;
}
const newWaiting = (): Waiting => ({ ...newWorst(), armed: false, now: 0, triggered: 0, since: undefined });

export interface InvariantState extends Worst {
  /** Its condition holds now, and has held. */
  applies: boolean;
  seen: boolean;
}

export function invariant(
  source: StateSource,
  rests: Rests,
  s: InvariantState = { ...newWorst(), applies: false, seen: false },
): Monitor {
  const lane = createLane(s.lane);
  const atEvents = decidedAtEvents(source, rests);
  const margin: LeastMargin = { variable: source.margin, scale: source.marginScale, least: s };
  const moving = source.margin < 0 || rests(source.margin) ? nothing : [margin];
  return {
    state: s,
    row(time, values) {
      s.applies = source.condition < 0 || values[source.condition] !== 0;
      if (!s.applies) {
        lane.note(time, 'idle');
        return;
      }
      s.seen = true;
      const good = values[source.predicate] !== 0;
      if (source.margin >= 0) lookAt(margin, time, values);
      if (!good) s.failsSince ??= time;
      lane.note(time, good ? 'good' : 'bad');
    },
    rests: () => (!atEvents ? undefined : s.applies ? moving : nothing),
    finding() {
      const margin = Number.isFinite(s.worst) ? s.worst : undefined;
      const verdict: Verdict = s.failsSince !== undefined ? 'fails' : s.seen ? 'holds' : 'undecided';
      const reason = s.seen ? '' : 'Its condition never held in this run';
      return {
        verdict,
        margin,
        unit: source.unit,
        worstAt: s.worstAt ?? s.failsSince,
        failsSince: s.failsSince,
        reason,
        lane: lane.copy(),
      };
    },
  };
}

const times = (n: number): string => `Tested ${n} time${n === 1 ? '' : 's'}`;

export interface ResponseState extends Waiting {
  answered: number;
  /** The distance of what it waits for: at its best since the event, and the least of these so far. */
  best: number;
  leastDistance: number;
}

/** Something must follow an event within a time. Its margin is the time that was left, besides the distance reached. */
export function response(
  source: StateSource,
  rests: Rests,
  s: ResponseState = { ...newWaiting(), answered: 0, best: -Infinity, leastDistance: Infinity },
): Monitor {
  const lane = createLane(s.lane);
  const atEvents = decidedAtEvents(source, rests);
  const judge = (margin: number, at: number): void => {
    if (margin < s.worst) {
      s.worst = margin;
      s.worstAt = at;
    }
  };
  const isResting = (): boolean => atEvents && s.since === undefined && lane.isIdle();
  const close = (): void => {
    if (Number.isFinite(s.best)) s.leastDistance = Math.min(s.leastDistance, s.best);
    s.best = -Infinity;
  };
  return {
    state: s,
    row(time, values) {
      s.now = time;
      const event = values[source.condition] !== 0;
      if (event && !s.armed) {
        s.triggered++;
        s.since ??= time;
      }
      s.armed = event;
      if (s.since === undefined) {
        lane.note(time, 'idle');
        return;
      }
      const deadline = s.since + source.within;
      if (source.margin >= 0 && time <= deadline) s.best = Math.max(s.best, values[source.margin] * source.marginScale);
      if (values[source.predicate] !== 0) {
        judge(deadline - time, time);
        s.answered++;
        if (time > deadline) {
          s.failsSince ??= deadline;
          lane.note(deadline, 'bad');
        }
        lane.note(time, 'good');
        s.since = undefined;
        close();
      } else if (time > deadline) {
        s.failsSince ??= deadline;
        lane.note(deadline, 'bad');
      } else lane.note(time, 'waiting');
    },
    rests: () => (isResting() ? nothing : undefined),
    finding() {
      const open = s.since !== undefined;
      if (open && s.now > s.since! + source.within) judge(s.since! + source.within - s.now, s.now);
      const verdict: Verdict = s.failsSince !== undefined ? 'fails' : open || s.triggered === 0 ? 'undecided' : 'holds';
      const reason =
        s.triggered === 0
          ? 'What it waits for never happened in this run'
          : verdict === 'undecided'
            ? 'The run ended before the time was up'
            : open && s.failsSince !== undefined
              ? 'It had not happened by the end of the run'
              : times(s.answered);
      const margin = Number.isFinite(s.worst) ? s.worst * source.timeScale : undefined;
      const reached = Math.min(
        s.leastDistance,
        open && s.now > s.since! + source.within && Number.isFinite(s.best) ? s.best : Infinity,
      );
      return {
        verdict,
        margin,
        unit: source.timeUnit,
        worstAt: s.worstAt,
        failsSince: s.failsSince,
        reason,
        lane: lane.copy(),
        ...(Number.isFinite(reached) && { distance: { value: reached, unit: source.unit } }),
      };
    },
  };
}

export interface HoldState extends Waiting {
  done: number;
}

/** Something must last for a time once an event has happened. Its margin is how much longer it lasted. */
export function hold(source: StateSource, rests: Rests, s: HoldState = { ...newWaiting(), done: 0 }): Monitor {
  const lane = createLane(s.lane);
  const atEvents = decidedAtEvents(source, rests);
  const isResting = (): boolean => atEvents && s.since === undefined && lane.isIdle();
  const end = (time: number): void => {
    const margin = time - s.since! - source.within;
    if (margin < s.worst) {
      s.worst = margin;
      s.worstAt = time;
    }
    if (margin < -1e-12 * Math.max(1, time) || time === s.since) s.failsSince ??= time;
    else s.done++;
    s.since = undefined;
  };
  return {
    state: s,
    row(time, values) {
      s.now = time;
      const event = values[source.condition] !== 0;
      const good = values[source.predicate] !== 0;
      if (event && !s.armed) {
        s.triggered++;
        s.since = time;
      }
      s.armed = event;
      if (s.since !== undefined && !good) {
        const late = time - s.since < source.within;
        end(time);
        lane.note(time, late ? 'bad' : 'idle');
      } else if (s.since === undefined) lane.note(time, 'idle');
      else lane.note(time, time - s.since < source.within ? 'waiting' : 'good');
    },
    rests: () => (isResting() ? nothing : undefined),
    finding() {
      const lasted = s.since === undefined ? undefined : s.now - s.since - source.within;
      const open = lasted !== undefined && lasted < 0;
      const verdict: Verdict = s.failsSince !== undefined ? 'fails' : open || s.triggered === 0 ? 'undecided' : 'holds';
      const least = lasted !== undefined && lasted >= 0 ? Math.min(s.worst, lasted) : s.worst;
      const reason =
        s.triggered === 0
          ? 'What it waits for never happened in this run'
          : verdict === 'undecided'
            ? 'The run ended before the time was up'
            : times(s.done + (lasted !== undefined && !open ? 1 : 0));
      return {
        verdict,
        margin: Number.isFinite(least) ? least * source.timeScale : undefined,
        unit: source.timeUnit,
        worstAt: s.worstAt ?? (s.triggered > 0 ? s.now : undefined),
        failsSince: s.failsSince,
        reason,
        lane: lane.copy(),
      };
    },
  };
}
