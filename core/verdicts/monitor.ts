import type { RowKind } from '../simulate/simulation';

export type Verdict = 'holds' | 'fails' | 'undecided';

/** What one requirement was found to be in one run. */
export interface Finding {
  readonly verdict: Verdict;
  /** Signed distance to the limit in `unit`; undefined where there is none. */
  readonly margin: number | undefined;
  readonly unit: string;
  /** Time of the worst margin. */
  readonly worstAt: number | undefined;
  /** When it first failed. */
  readonly failsSince: number | undefined;
  /** Why it is undecided, or how often it was tested. */
  readonly reason: string;
  readonly lane: readonly LaneSegment[];
}

/** `idle`: the condition of the requirement does not hold; `waiting`: a response is due. */
export type LaneStatus = 'idle' | 'good' | 'bad' | 'waiting';
export interface LaneSegment {
  readonly from: number;
  readonly status: LaneStatus;
}

/** A limit over variable numbers; -1 where it has no such part. */
export interface MonitorSource {
  readonly kind: 'invariant' | 'response';
  readonly condition: number;
  readonly predicate: number;
  readonly margin: number;
  /** Factor from the margin's variable to `unit`. */
  readonly marginScale: number;
  readonly unit: string;
  readonly within: number;
  /** Seconds per unit of time in which a response's margin is told. */
  readonly timeScale: number;
}

export interface Monitor {
  row(time: number, values: Float64Array, kind: RowKind): void;
  finding(): Finding;
}

const longestLane = 20_000;

/** Watches a limit online: constant work per row, exact at events, where rows come in pairs. */
export function createMonitor(source: MonitorSource): Monitor {
  const lane: { from: number; status: LaneStatus }[] = [];
  const note = (from: number, status: LaneStatus): void => {
    const last = lane.at(-1);
    if (last?.status === status) return;
    if (last && last.from === from) {
      last.status = status;
      if (lane.length > 1 && lane[lane.length - 2].status === status) lane.pop();
      return;
    }
    if (lane.length < longestLane) lane.push({ from, status });
  };
  return source.kind === 'invariant' ? invariant(source, lane, note) : response(source, lane, note);
}

type Note = (from: number, status: LaneStatus) => void;

function invariant(source: MonitorSource, lane: readonly LaneSegment[], note: Note): Monitor {
  let worst = Infinity, worstAt: number | undefined, failsSince: number | undefined, seen = false;
  return {
    row(time, values) {
      if (source.condition >= 0 && values[source.condition] === 0) {
        note(time, 'idle');
        return;
      }
      seen = true;
      const good = values[source.predicate] !== 0;
      if (source.margin >= 0) {
        const margin = values[source.margin] * source.marginScale;
        if (margin < worst) {
          worst = margin;
          worstAt = time;
        }
      }
      if (!good) failsSince ??= time;
      note(time, good ? 'good' : 'bad');
    },
    finding() {
      const margin = Number.isFinite(worst) ? worst : undefined;
      const verdict: Verdict = failsSince !== undefined ? 'fails' : seen ? 'holds' : 'undecided';
      const reason = seen ? '' : 'Its condition never held in this run';
      return { verdict, margin, unit: source.unit, worstAt: worstAt ?? failsSince, failsSince, reason, lane: [...lane] };
    },
  };
}

function response(source: MonitorSource, lane: readonly LaneSegment[], note: Note): Monitor {
  let armed = false, now = 0, triggered = 0, answered = 0;
  let since: number | undefined;
  let worst = Infinity, worstAt: number | undefined, failsSince: number | undefined;
  const judge = (margin: number, at: number): void => {
    if (margin < worst) {
      worst = margin;
      worstAt = at;
    }
  };
  return {
    row(time, values) {
      now = time;
      const event = values[source.condition] !== 0;
      if (event && !armed) {
        triggered++;
        since ??= time;
      }
      armed = event;
      if (since === undefined) {
        note(time, 'idle');
        return;
      }
      const deadline = since + source.within;
      if (values[source.predicate] !== 0) {
        judge(deadline - time, time);
        answered++;
        if (time > deadline) {
          failsSince ??= deadline;
          note(deadline, 'bad');
        }
        note(time, 'good');
        since = undefined;
      } else if (time > deadline) {
        failsSince ??= deadline;
        note(deadline, 'bad');
      } else note(time, 'waiting');
    },
    finding() {
      const open = since !== undefined;
      if (open && now > since! + source.within) judge(since! + source.within - now, now);
      const verdict: Verdict = failsSince !== undefined ? 'fails' : open || triggered === 0 ? 'undecided' : 'holds';
      const reason = triggered === 0 ? 'What it waits for never happened in this run'
        : verdict === 'undecided' ? 'The run ended before the time was up'
        : open && failsSince !== undefined ? 'It had not happened by the end of the run' : `Tested ${answered} time${answered === 1 ? '' : 's'}`;
      const margin = Number.isFinite(worst) ? worst * source.timeScale : undefined;
      return { verdict, margin, unit: source.unit, worstAt, failsSince, reason, lane: [...lane] };
    },
  };
}
