import { activeLeaves } from '@/core/simulate/configurations';
import type { ColumnHead, Recording, RecordingChunk } from '@/core/simulate/recording';
import { rowAt } from '@/core/simulate/recording';
import type { PresentNames } from '@/core/run/present-names';
import type { MessageRecord, TransitionRecord } from '@/core/simulate/simulation';

/** A recording that grows while its run goes on. Mutable on purpose; `version` tells views when to look again. */
export interface RunData {
  rows: number;
  time: Float64Array;
  columns: Map<string, GrowingColumn>;
  messages: MessageRecord[];
  transitions: TransitionRecord[];
  /** What the run calls a column, where that has been renamed since, and how its states are called now. */
  renamed: Map<string, Renamed>;
}

interface Renamed {
  readonly name: string;
  literal(path: string): string;
}

export interface GrowingColumn extends ColumnHead {
  literals: readonly string[];
  configurations?: readonly (readonly number[])[];
  /** Of a column of states: for each of its values the paths of the innermost active states, always the same list. */
  leaves: readonly (readonly string[])[];
  values: Float64Array;
}

/** The lists of paths of a head; those that are the same as before stay the same lists. */
function leavesOf(head: ColumnHead, before: readonly (readonly string[])[] = []): readonly (readonly string[])[] {
  return (head.configurations ?? []).map((_, value) => {
    const paths = activeLeaves(head, value);
    const known = before[value];
    return known?.length === paths.length && known.every((x, k) => x === paths[k]) ? known : paths;
  });
}

export const emptyRunData = (): RunData => ({
  rows: 0,
  time: new Float64Array(1024),
  columns: new Map(),
  messages: [],
  transitions: [],
  renamed: new Map(),
});

/** Adds what is new; a run that was thinned out or has gone back says how much of what there was stays. */
export function appendChunk(data: RunData, chunk: Recording & Partial<Pick<RecordingChunk, 'after'>>): void {
  if (chunk.after) {
    data.rows = chunk.after.rows;
    data.messages.length = chunk.after.messages;
    data.transitions.length = chunk.after.transitions;
  }
  const needed = data.rows + chunk.rows;
  if (needed > data.time.length) {
    const capacity = Math.max(needed, data.time.length * 2);
    const larger = (a: Float64Array): Float64Array => {
      const b = new Float64Array(capacity);
      b.set(a.subarray(0, data.rows));
      return b;
    };
    data.time = larger(data.time);
    for (const c of data.columns.values()) c.values = larger(c.values);
  }
  for (const c of chunk.columns) {
    const renamed = data.renamed.get(c.name);
    const name = renamed?.name ?? c.name;
    const head: ColumnHead = { ...c, name, literals: renamed ? c.literals.map(renamed.literal) : c.literals };
    let column = data.columns.get(name);
    if (!column) {
      column = { ...head, leaves: leavesOf(head), values: new Float64Array(data.time.length) };
      data.columns.set(name, column);
    }
    column.literals = head.literals;
    column.leaves = leavesOf(head, column.leaves);
    if (head.configurations) column.configurations = head.configurations;
    column.values.set(c.values, data.rows);
  }
  data.time.set(chunk.time, data.rows);
  data.rows = needed;
  data.messages.push(...chunk.messages);
  data.transitions.push(...chunk.transitions);
}

/** The same data under other names; what is still to come is renamed as it arrives. */
export function renameColumns(data: RunData, names: PresentNames): RunData {
  const columns = new Map<string, GrowingColumn>();
  const renamed = new Map(data.renamed);
  const recorded = new Map([...data.renamed].map(([was, now]) => [now.name, was]));
  for (const c of data.columns.values()) {
    const name = names.path(c.name);
    const head = { ...c, name, literals: c.literals.map((path) => names.state(c.name, path)) };
    columns.set(name, { ...head, leaves: leavesOf(head, c.leaves) });
    const original = recorded.get(c.name) ?? c.name;
    const before = renamed.get(original);
    renamed.set(original, {
      name,
      literal: (path) => names.state(c.name, before ? before.literal(path) : path),
    });
  }
  return { ...data, columns, renamed };
}

export const fromRecording = (recording: Recording): RunData => {
  const data = emptyRunData();
  appendChunk(data, recording);
  return data;
};

/** The finished form, for export and storage. */
export const toRecording = (data: RunData): Recording => ({
  rows: data.rows,
  time: data.time.slice(0, data.rows),
  columns: [...data.columns.values()].map(({ leaves: _, ...c }) => ({ ...c, values: c.values.slice(0, data.rows) })),
  messages: data.messages,
  transitions: data.transitions,
});

/** A column's value at a time: interpolated for real quantities, held for all others; undefined outside the run. */
export function valueAtTime(data: RunData, name: string, t: number): number | undefined {
  const column = data.columns.get(name);
  if (!column || data.rows === 0) return undefined;
  const row = rowAt(data.time, data.rows, t);
  if (row < 0) return undefined;
  const value = column.values[row];
  if (column.kind !== 'real' || row + 1 >= data.rows) return value;
  const [t0, t1] = [data.time[row], data.time[row + 1]];
  return t1 > t0 ? value + ((column.values[row + 1] - value) * (t - t0)) / (t1 - t0) : value;
}

/** Paths of the innermost active states of a chart at a time. */
export function leavesAtTime(data: RunData, chart: string, t: number): readonly string[] | undefined {
  const value = valueAtTime(data, chart, t);
  return value === undefined ? undefined : data.columns.get(chart)?.leaves[value];
}
