export type Verdict = 'holds' | 'fails' | 'undecided';

/** What one requirement was found to be in one run. */
export interface Finding {
  readonly verdict: Verdict;
  /** Signed distance to the limit in `unit`; undefined where there is none. */
  readonly margin: number | undefined;
  readonly unit: string;
  /** Of a response besides the time that was left: the distance of its quantity, at its best within the time. */
  readonly distance?: { readonly value: number; readonly unit: string };
  /** Time of the worst margin. */
  readonly worstAt: number | undefined;
  /** When it first failed. */
  readonly failsSince: number | undefined;
  /** Why it is undecided, or how often it was tested. */
  readonly reason: string;
  readonly lane: readonly LaneSegment[];
}

/** What was found of one requirement. */
export interface RequirementFinding extends Finding {
  readonly id: string;
  readonly key: string;
}

/** Watches a limit online while rows come in: every sample, every step, and pairs of rows around each event. */
export interface Monitor {
  /** All it remembers, as plain data: a monitor made with a copy of it goes on from there. */
  readonly state: MonitorState;
  row(time: number, values: Float64Array): void;
  /** All it has to see of the rows until something happens; undefined where it has to see them whole. */
  rests(): readonly LeastMargin[] | undefined;
  /** What can be said by now; `finished` where no more rows will come. */
  finding(finished?: boolean): Finding;
}

/** A margin of which the least counts. */
export interface LeastMargin {
  readonly variable: number;
  readonly scale: number;
  readonly least: Least;
}
/** The least margin so far, and when it was. */
export interface Least {
  worst: number;
  worstAt: number | undefined;
}
export function lookAt({ variable, scale, least }: LeastMargin, time: number, values: Float64Array): void {
  const margin = values[variable] * scale;
  if (margin < least.worst) {
    least.worst = margin;
    least.worstAt = time;
  }
}

/** What a monitor remembers; each kind knows its own. */
export type MonitorState = object;

/** `idle`: the condition of the requirement does not hold; `waiting`: an answer is due. */
export type LaneStatus = 'idle' | 'good' | 'bad' | 'waiting';
export interface LaneSegment {
  readonly from: number;
  readonly status: LaneStatus;
}

const longestLane = 20_000;

/** Collects the lane of a verdict: one segment per change. */
export interface LaneWriter {
  note(from: number, status: LaneStatus): void;
  copy(): LaneSegment[];
  isIdle(): boolean;
}

export type Lane = { from: number; status: LaneStatus }[];

/** Goes on with the segments that are there. */
export function createLane(lane: Lane = []): LaneWriter {
  return {
    note(from, status) {
      const last = lane.at(-1);
      if (last?.status === status) return;
      if (last && last.from === from) {
        last.status = status;
        if (lane.length > 1 && lane[lane.length - 2].status === status) lane.pop();
        return;
      }
      if (lane.length < longestLane) lane.push({ from, status });
    },
    isIdle: () => lane.at(-1)?.status === 'idle',
    copy: () => lane.map((s) => ({ ...s })),
  };
}

const rank: Readonly<Record<LaneStatus, number>> = { idle: 0, good: 1, waiting: 2, bad: 3 };

/** The worst of several findings that must all hold. */
export function combine(findings: readonly Finding[]): Finding {
  const verdict: Verdict = findings.some((f) => f.verdict === 'fails')
    ? 'fails'
    : findings.some((f) => f.verdict === 'undecided')
      ? 'undecided'
      : 'holds';
  const same = findings.filter((f) => f.verdict === verdict);
  const worst = same.reduce((a, b) =>
    (b.margin ?? Infinity) < (a.margin ?? Infinity) && (a.unit === b.unit || a.margin === undefined) ? b : a,
  );
  const since = findings.flatMap((f) => (f.failsSince === undefined ? [] : [f.failsSince]));
  const times = [...new Set(findings.flatMap((f) => f.lane.map((s) => s.from)))].sort((a, b) => a - b);
  const at = new Array<number>(findings.length).fill(-1);
  const lane = createLane();
  for (const t of times) {
    let status: LaneStatus = 'idle';
    findings.forEach((f, k) => {
      while (at[k] + 1 < f.lane.length && f.lane[at[k] + 1].from <= t) at[k]++;
      const own = f.lane[at[k]]?.status;
      if (own && rank[own] > rank[status]) status = own;
    });
    lane.note(t, status);
  }
  return { ...worst, verdict, failsSince: since.length > 0 ? Math.min(...since) : undefined, lane: lane.copy() };
}
