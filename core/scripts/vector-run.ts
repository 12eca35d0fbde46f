/** A value that is expected at a moment, or within a span around it. */
export interface ExpectedValue {
  readonly row: number;
  readonly column: number;
  readonly time: number;
  readonly value: number;
  /** How far off it may be. */
  readonly within: number;
  /** s, earlier or later. */
  readonly late: number;
}

export interface ValueResult {
  readonly row: number;
  readonly column: number;
  readonly status: 'open' | 'held' | 'failed';
  /** What it was, where it came closest. */
  readonly value: number | undefined;
  readonly at: number | undefined;
}

/** All it remembers, as plain data. */
export interface VectorState {
  /** Expected values that have been begun, in the order they begin in. */
  begun: number;
  /** Those that are still looked for. */
  readonly open: number[];
  readonly results: Map<number, { value: number; at: number; isHeld: boolean }>;
  clock: number;
}

export interface VectorReport {
  readonly verdict: 'running' | 'passed' | 'failed';
  readonly failedAt: number | undefined;
  readonly values: readonly ValueResult[];
}

/** Looks in a span around a moment: so many before it, and as many behind. */
const looksAround = 16;

/** Values as they come, while a run goes on; `read`: of a column. */
export function createVectorRun(
  expected: readonly ExpectedValue[],
  state: VectorState = { begun: 0, open: [], results: new Map(), clock: 0 },
) {
  const order = expected.map((_, k) => k).sort((a, b) => beginOf(expected[a]) - beginOf(expected[b]) || a - b);
  const isPast = (time: number): boolean => state.clock >= time - 1e-9 * Math.max(1, Math.abs(time));
  return {
    state,
    look(time: number, read: (column: number) => number): void {
      state.clock = time;
      while (state.begun < order.length && isPast(beginOf(expected[order[state.begun]])))
        state.open.push(order[state.begun++]);
      for (const k of [...state.open]) {
        const e = expected[k];
        const value = read(e.column);
        const known = state.results.get(k);
        const off = Math.abs(value - e.value);
        // what is no number is as far off as can be
        if (!known || off < Math.abs(known.value - e.value) || Number.isNaN(known.value))
          state.results.set(k, { value, at: time, isHeld: off <= e.within });
        if (state.results.get(k)!.isHeld || isPast(e.time + e.late)) state.open.splice(state.open.indexOf(k), 1);
      }
    },
    nextTime(): number {
      const begins = state.begun < order.length ? beginOf(expected[order[state.begun]]) : Infinity;
      let next = begins;
      for (const k of state.open) {
        const { time, late } = expected[k];
        const step = late / looksAround;
        const n = Math.floor((state.clock - (time - late)) / step + 1e-6) + 1;
        next = Math.min(next, n >= 2 * looksAround ? time + late : time - late + n * step);
      }
      return next;
    },
    isOver: (): boolean => state.begun === order.length && state.open.length === 0,
    report(ended: boolean): VectorReport {
      const isOpen = new Set(state.open);
      const values = expected.map(({ row, column }, k): ValueResult => {
        const found = state.results.get(k);
        const isDone = found !== undefined && !isOpen.has(k);
        const status = isDone && found.isHeld ? 'held' : isDone || ended ? 'failed' : 'open';
        return { row, column, status, value: found?.value, at: found?.at };
      });
      const failed = values.flatMap((v, k) => (v.status === 'failed' ? [expected[k].time] : []));
      return {
        verdict: failed.length > 0 ? 'failed' : values.every((v) => v.status === 'held') ? 'passed' : 'running',
        failedAt: failed.length > 0 ? Math.min(...failed) : undefined,
        values,
      };
    },
  };
}

const beginOf = ({ time, late }: ExpectedValue): number => Math.max(0, time - late);
