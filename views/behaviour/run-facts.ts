import { rowAt } from '@/core/simulate/recording';
import type { RunView } from '@/store/run-store';
import { isActive } from './chart-geometry';

/** What a run says about the states and transitions of one chart. */

const chartNumber = (run: RunView, chart: string): number => run.model.charts.findIndex((c) => c.name === chart);

const transitionId = (run: RunView, chart: number, transition: number): string | undefined => run.model.charts[chart]?.transitions[transition]?.split('/').at(-1);

/** Id of the transition taken last at or before a time. */
export function lastTransition(run: RunView, chart: string, time: number): string | undefined {
  const number = chartNumber(run, chart);
  const last = run.data.transitions.findLast((t) => t.chart === number && t.time <= time);
  return last && transitionId(run, number, last.transition);
}

export function firedTimes(run: RunView, chart: string, id: string): number[] {
  const number = chartNumber(run, chart);
  return run.data.transitions.filter((t) => t.chart === number && transitionId(run, number, t.transition) === id).map((t) => t.time);
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

/** How often a state was entered, and how long it was active in all. */
export function stayFacts(run: RunView, chart: string, path: string): { times: number; total: number } | undefined {
  const column = run.data.columns.get(chart);
  if (!column) return undefined;
  const activeFor = column.literals.map((l) => isActive(l, path));
  let times = 0, total = 0, was = false;
  for (let r = 0; r < run.data.rows; r++) {
    const now = activeFor[column.values[r]];
    if (now && !was) times++;
    if (r > 0 && was) total += run.data.time[r] - run.data.time[r - 1];
    was = now;
  }
  return { times, total };
}
