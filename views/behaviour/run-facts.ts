import { isAround } from '@/core/simulate/configurations';
import { rowAt } from '@/core/simulate/recording';
import type { RunView } from '@/store/run-store';
import { formatNumber } from '@/ui/format';

/** What a run says about the states and transitions of one chart. */

const chartNumber = (run: RunView, chart: string): number => run.model.charts.findIndex((c) => c.name === chart);

/** The transition taken, and those it went through behind junctions. */
const transitionIds = (run: RunView, chart: number, transition: number): string[] => {
  const c = run.model.charts[chart];
  return [c?.transitions[transition], ...(c?.via?.[transition] ?? [])].flatMap(
    (place) => place?.split('/').at(-1) ?? [],
  );
};

/** Ids of the transition taken last at or before a time. */
export function lastTransition(run: RunView, chart: string, time: number): readonly string[] {
  const number = chartNumber(run, chart);
  const last = run.data.transitions.findLast((t) => t.chart === number && t.time <= time);
  return last ? transitionIds(run, number, last.transition) : [];
}

export function firedTimes(run: RunView, chart: string, id: string): number[] {
  const number = chartNumber(run, chart);
  return run.data.transitions
    .filter((t) => t.chart === number && transitionIds(run, number, t.transition).includes(id))
    .map((t) => t.time);
}

/** How often each transition fired, by id. */
export function firedCounts(run: RunView, chart: string): Map<string, number> {
  const number = chartNumber(run, chart);
  const counts = new Map<string, number>();
  for (const t of run.data.transitions) {
    if (t.chart !== number) continue;
    for (const id of transitionIds(run, number, t.transition)) counts.set(id, (counts.get(id) ?? 0) + 1);
  }
  return counts;
}

/** How long the active leaf at a time has been active. */
export function stayOf(run: RunView, chart: string, time: number): number | undefined {
  const column = run.data.columns.get(chart);
  const row = rowAt(run.data.time, run.data.rows, time);
  if (!column || row < 0) return undefined;
  let first = row;
  while (first > 0 && column.values[first - 1] === column.values[row]) first--;
  return time - run.data.time[first];
}

export interface StayFacts {
  readonly times: number;
  readonly total: number;
  /** When it was entered last before a time. */
  readonly since: number | undefined;
}

/** How often a state was entered, how long it was active in all, and since when it is active at a time. */
export function stayFacts(run: RunView, chart: string, path: string, at = Infinity): StayFacts | undefined {
  const column = run.data.columns.get(chart);
  if (!column) return undefined;
  const activeFor = column.leaves.map((leaves) => isAround(path, leaves));
  let times = 0,
    total = 0,
    was = false;
  let since: number | undefined;
  for (let r = 0; r < run.data.rows; r++) {
    const now = activeFor[column.values[r]];
    if (now && !was) {
      times++;
      if (run.data.time[r] <= at) since = run.data.time[r];
    } else if (!now && was && run.data.time[r] <= at) since = undefined;
    if (r > 0 && was) total += run.data.time[r] - run.data.time[r - 1];
    was = now;
  }
  return { times, total, since };
}

/** One line for every state of a chart: how often and how long; in one pass over the recording. */
export function stayLines(run: RunView, chart: string): Map<string, string> {
  const column = run.data.columns.get(chart);
  const lines = new Map<string, string>();
  if (!column) return lines;
  const paths = column.leaves.map((leaves) => [
    ...new Set(leaves.flatMap((leaf) => leaf.split('.').map((_, k, all) => all.slice(0, k + 1).join('.')))),
  ]);
  const facts = new Map<string, { times: number; total: number }>();
  const { time, rows } = run.data;
  for (let from = 0; from < rows;) {
    let to = from + 1;
    while (to < rows && column.values[to] === column.values[from]) to++;
    const before = from > 0 ? paths[column.values[from - 1]] : [];
    const until = to < rows ? time[to] : time[rows - 1];
    for (const path of paths[column.values[from]] ?? []) {
      const known = facts.get(path) ?? { times: 0, total: 0 };
      facts.set(path, {
        times: known.times + (before.includes(path) ? 0 : 1),
        total: known.total + until - time[from],
      });
    }
    from = to;
  }
  facts.forEach(({ times, total }, path) => lines.set(path, `${times}× ${formatNumber(total, 2)} s`));
  return lines;
}
