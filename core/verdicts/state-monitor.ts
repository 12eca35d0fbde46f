import { createLane, type Monitor, type Verdict } from './finding';
import type { StateSource } from './source';

/** Limits whose condition and predicate the model itself watches: constant work per row, exact at events, and next to none in between. */

type Rests = (variable: number) => boolean;
const decidedAtEvents = (source: StateSource, rests: Rests): boolean =>
  (source.condition < 0 || rests(source.condition)) && rests(source.predicate);

export function invariant(source: StateSource, rests: Rests): Monitor {
  const lane = createLane();
  const atEvents = decidedAtEvents(source, rests);
  const marginRests = source.margin < 0 || rests(source.margin);
  let worst = Infinity,
    worstAt: number | undefined,
    failsSince: number | undefined,
    seen = false;
  const judge = (time: number, values: Float64Array): void => {
    const margin = values[source.margin] * source.marginScale;
    if (margin < worst) {
      worst = margin;
      worstAt = time;
    }
  };
  return {
    row(time, values, quiet = false) {
      if (quiet && atEvents) {
        if (!marginRests && (source.condition < 0 || values[source.condition] !== 0)) judge(time, values);
        return;
      }
      if (source.condition >= 0 && values[source.condition] === 0) {
        lane.note(time, 'idle');
        return;
      }
      seen = true;
      const good = values[source.predicate] !== 0;
      if (source.margin >= 0) judge(time, values);
      if (!good) failsSince ??= time;
      lane.note(time, good ? 'good' : 'bad');
    },
    finding() {
      const margin = Number.isFinite(worst) ? worst : undefined;
      const verdict: Verdict = failsSince !== undefined ? 'fails' : seen ? 'holds' : 'undecided';
      const reason = seen ? '' : 'Its condition never held in this run';
      return {
        verdict,
        margin,
        unit: source.unit,
        worstAt: worstAt ?? failsSince,
        failsSince,
        reason,
        lane: lane.copy(),
      };
    },
  };
}

const times = (n: number): string => `Tested ${n} time${n === 1 ? '' : 's'}`;

/** Something must follow an event within a time. Its margin is the time that was left, besides the distance reached. */
export function response(source: StateSource, rests: Rests): Monitor {
  const lane = createLane();
  const atEvents = decidedAtEvents(source, rests);
  let armed = false,
    now = 0,
    triggered = 0,
    answered = 0;
  let since: number | undefined;
  let worst = Infinity,
    worstAt: number | undefined,
    failsSince: number | undefined;
  let best = -Infinity,
    leastDistance = Infinity;
  const judge = (margin: number, at: number): void => {
    if (margin < worst) {
      worst = margin;
      worstAt = at;
    }
  };
  const close = (): void => {
    if (Number.isFinite(best)) leastDistance = Math.min(leastDistance, best);
    best = -Infinity;
  };
  return {
    row(time, values, quiet = false) {
      if (quiet && atEvents && since === undefined && lane.isIdle()) return;
      now = time;
      const event = values[source.condition] !== 0;
      if (event && !armed) {
        triggered++;
        since ??= time;
      }
      armed = event;
      if (since === undefined) {
        lane.note(time, 'idle');
        return;
      }
      const deadline = since + source.within;
      if (source.margin >= 0 && time <= deadline) best = Math.max(best, values[source.margin] * source.marginScale);
      if (values[source.predicate] !== 0) {
        judge(deadline - time, time);
        answered++;
        if (time > deadline) {
          failsSince ??= deadline;
          lane.note(deadline, 'bad');
        }
        lane.note(time, 'good');
        since = undefined;
        close();
      } else if (time > deadline) {
        failsSince ??= deadline;
        lane.note(deadline, 'bad');
      } else lane.note(time, 'waiting');
    },
    finding() {
      const open = since !== undefined;
      if (open && now > since! + source.within) judge(since! + source.within - now, now);
      const verdict: Verdict = failsSince !== undefined ? 'fails' : open || triggered === 0 ? 'undecided' : 'holds';
      const reason =
        triggered === 0
          ? 'What it waits for never happened in this run'
          : verdict === 'undecided'
            ? 'The run ended before the time was up'
            : open && failsSince !== undefined
              ? 'It had not happened by the end of the run'
              : times(answered);
      const margin = Number.isFinite(worst) ? worst * source.timeScale : undefined;
      const reached = Math.min(
        leastDistance,
        open && now > since! + source.within && Number.isFinite(best) ? best : Infinity,
      );
      return {
        verdict,
        margin,
        unit: source.timeUnit,
        worstAt,
        failsSince,
        reason,
        lane: lane.copy(),
        ...(Number.isFinite(reached) && { distance: { value: reached, unit: source.unit } }),
      };
    },
  };
}

/** Something must last for a time once an event has happened. Its margin is how much longer it lasted. */
export function hold(source: StateSource, rests: Rests): Monitor {
  const lane = createLane();
  const atEvents = decidedAtEvents(source, rests);
  let armed = false,
    now = 0,
    triggered = 0,
    done = 0;
  let since: number | undefined;
  let worst = Infinity,
    worstAt: number | undefined,
    failsSince: number | undefined;
  const end = (time: number): void => {
    const margin = time - since! - source.within;
    if (margin < worst) {
      worst = margin;
      worstAt = time;
    }
    if (margin < -1e-12 * Math.max(1, time) || time === since) failsSince ??= time;
    else done++;
    since = undefined;
  };
  return {
    row(time, values, quiet = false) {
      if (quiet && atEvents && since === undefined && lane.isIdle()) return;
      now = time;
      const event = values[source.condition] !== 0;
      const good = values[source.predicate] !== 0;
      if (event && !armed) {
        triggered++;
        since = time;
      }
      armed = event;
      if (since !== undefined && !good) {
        const late = time - since < source.within;
        end(time);
        lane.note(time, late ? 'bad' : 'idle');
      } else if (since === undefined) lane.note(time, 'idle');
      else lane.note(time, time - since < source.within ? 'waiting' : 'good');
    },
    finding() {
      const lasted = since === undefined ? undefined : now - since - source.within;
      const open = lasted !== undefined && lasted < 0;
      const verdict: Verdict = failsSince !== undefined ? 'fails' : open || triggered === 0 ? 'undecided' : 'holds';
      const least = lasted !== undefined && lasted >= 0 ? Math.min(worst, lasted) : worst;
      const reason =
        triggered === 0
          ? 'What it waits for never happened in this run'
          : verdict === 'undecided'
            ? 'The run ended before the time was up'
            : times(done + (lasted !== undefined && !open ? 1 : 0));
      return {
        verdict,
        margin: Number.isFinite(least) ? least * source.timeScale : undefined,
        unit: source.timeUnit,
        worstAt: worstAt ?? (triggered > 0 ? now : undefined),
        failsSince,
        reason,
        lane: lane.copy(),
      };
    },
  };
}
