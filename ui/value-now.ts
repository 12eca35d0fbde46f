import { valueAtTime } from '@/store/run-data';
import type { RunView } from '@/store/run-store';
import { formatNumber } from './format';

/** A name's value at the cursor: recorded, or a parameter of the run. */
export function valueNow(run: RunView | undefined, name: string, t: number): number | undefined {
  if (!run) return undefined;
  return valueAtTime(run.data, name, t) ?? run.model.parameters[name];
}

export function showValue(run: RunView | undefined, name: string, t: number): string {
  const column = run?.data.columns.get(name);
  const value = valueNow(run, name, t);
  if (value === undefined) return '';
  if (column?.kind === 'boolean') return value ? 'true' : 'false';
  if (column?.kind === 'literal') return column.literals[value] ?? '';
  return formatNumber(value);
}
