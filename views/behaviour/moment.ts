import type { Moment } from '@/core/run/why';
import type { Chart } from '@/core/project/project';
import { fullName } from '@/store/derived';
import { valueAtTime } from '@/store/run-data';
import type { RunView } from '@/store/run-store';
import { isActive, statePath } from './chart-geometry';
import { localNames } from './local-names';
import { stayFacts } from './run-facts';

/** What the recording knows at the cursor, seen from the part of a chart. */
export function momentOf(run: RunView, chart: Chart, path: string, state: string, time: number): Moment {
  const name = fullName(path, chart.name);
  const { data, model } = run;
  const facts = stayFacts(run, name, state, time);
  const column = data.columns.get(name);
  const now = column && valueAtTime(data, name, time);
  const literal = now === undefined ? undefined : column?.literals[now];
  const part = model.parts.indexOf(path);
  const paths = new Map(chart.states.map((s) => [s.name, statePath(chart, s)]));
  const full = (x: string): string =>
    chart.values.some((v) => v.name === x) || localNames(chart).some((n) => n.name === x)
      ? `${name}.${x}`
      : fullName(path, x);
  return {
    time,
    enteredAt: facts?.since,
    value: (x) => valueAtTime(data, full(x), time) ?? model.parameters[full(x)],
    unit: (x) => model.units[full(x)] || undefined,
    isActive: (x) => isActive(literal, paths.get(x) ?? x),
    lastMessage: (x) =>
      data.messages.findLast((m) => m.message === x && m.time <= time && m.receivers.includes(part))?.time,
  };
}
