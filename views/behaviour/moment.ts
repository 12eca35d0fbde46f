import type { Moment } from '@/core/run/why';
import type { Chart } from '@/core/project/project';
import { fullName } from '@/store/derived';
import type { RunView } from '@/store/run-store';
import { momentAt } from '@/ui/moment';
import { pathOfState } from './chart-geometry';
import { localNames } from './local-names';
import { stayFacts } from './run-facts';

/** What the recording knows at the cursor, seen from the part of a chart. */
export function momentOf(run: RunView, chart: Chart, path: string, state: string, time: number): Moment {
  const name = fullName(path, chart.name);
  const now = momentAt(run, time);
  const part = run.model.parts.indexOf(path);
  const paths = new Map(chart.states.map((s) => [s.name, pathOfState(chart, s)]));
  const full = (x: string): string =>
    chart.values.some((v) => v.name === x) || localNames(chart).some((n) => n.name === x)
      ? `${name}.${x}`
      : fullName(path, x);
  return {
    time,
    enteredAt: stayFacts(run, name, state, time)?.since,
    value: (x) => now.value(full(x)),
    unit: (x) => now.unit(full(x)) || undefined,
    isActive: (x) => now.isIn(name, paths.get(x) ?? x),
    lastMessage: (x) =>
      run.data.messages.findLast((m) => m.message === x && m.time <= time && m.receivers.includes(part))?.time,
  };
}
