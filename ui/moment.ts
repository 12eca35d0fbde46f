import { useMemo } from 'react';
import { isAround, wordOf } from '@/core/simulate/configurations';
import { leavesAtTime, valueAtTime } from '@/store/run-data';
import { useRuns, type RunView } from '@/store/run-store';
import { formatNumber } from './format';

/** What a run tells under a name; names such as `toString` are known to every object, and may be nobody's. */
const known = <T>(values: Readonly<Record<string, T>>, name: string): T | undefined =>
  Object.hasOwn(values, name) ? values[name] : undefined;

/** What a run knows at one time: the only way views ask for it. */
export interface RunMoment {
  readonly run: RunView | undefined;
  readonly time: number;
  /** A quantity by its full name: recorded, or a constant or parameter of the run. */
  value(name: string): number | undefined;
  /** The same as it is shown, '' where it is not known. */
  text(name: string): string;
  unit(name: string): string;
  /** Paths of the innermost active states of a chart; undefined where the run does not tell. */
  leaves(chart: string): readonly string[] | undefined;
  /** Whether a state, by its path, is active. */
  isIn(chart: string, path: string): boolean;
}

/** Names of the first elements of a list that is recorded element by element; none for what is one value. */
export function elementsOf(run: RunView | undefined, name: string, most = 4): readonly string[] {
  const found: string[] = [];
  for (let k = 1; k <= most && run?.data.columns.has(`${name}[${k}]`); k++) found.push(`${name}[${k}]`);
  return found;
}

export function momentAt(run: RunView | undefined, time: number): RunMoment {
  const value = (name: string): number | undefined =>
    run && (valueAtTime(run.data, name, time) ?? known(run.model.parameters, name));
  const leaves = (chart: string): readonly string[] | undefined => run && leavesAtTime(run.data, chart, time);
  return {
    run,
    time,
    value,
    text(name) {
      const column = run?.data.columns.get(name);
      const now = value(name);
      if (now === undefined) {
        const elements = elementsOf(run, name);
        if (elements.length === 0) return '';
        const shown = elements.slice(0, 3).map((x) => this.text(x));
        return `{${[...shown, ...(elements.length > 3 ? ['…'] : [])].join(', ')}}`;
      }
      if (column?.kind === 'boolean') return now ? 'true' : 'false';
      if (column?.kind === 'literal' || column?.kind === 'states') return wordOf(column, now);
      return formatNumber(now);
    },
    unit: (name) => (run && (known(run.model.units, name) ?? known(run.model.units, `${name}[1]`))) ?? '',
    leaves,
    isIn: (chart, path) => isAround(path, leaves(chart)),
  };
}

/** The moment of the cursor in the newest run. */
export function useMoment(): RunMoment {
  const run = useRuns((s) => s.current);
  const cursor = useRuns((s) => s.cursor);
  // what is recorded grows in place
  const version = useRuns((s) => s.version);
  // eslint-disable-next-line react-hooks/exhaustive-deps
  return useMemo(() => momentAt(run, cursor), [run, cursor, version]);
}
