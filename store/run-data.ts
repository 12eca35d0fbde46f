import type { Recording, RecordingChunk } from '@/core/simulate/recording';
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
  literal(text: string): string;
}

export interface GrowingColumn {
  readonly name: string;
  readonly unit: string;
  readonly kind: 'real' | 'integer' | 'boolean' | 'literal';
  literals: readonly string[];
  values: Float64Array;
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
    let column = data.columns.get(name);
    if (!column) {
      column = {
        name,
        unit: c.unit,
        kind: c.kind,
        literals: c.literals,
        values: new Float64Array(data.time.length),
      };
      data.columns.set(name, column);
    }
    column.literals = renamed ? c.literals.map(renamed.literal) : c.literals;
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
    columns.set(name, { ...c, name, literals: c.literals.map((text) => names.states(c.name, text)) });
    const original = recorded.get(c.name) ?? c.name;
    const before = renamed.get(original);
    renamed.set(original, {
      name,
      literal: (text) => names.states(c.name, before ? before.literal(text) : text),
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
  columns: [...data.columns.values()].map((c) => ({ ...c, values: c.values.slice(0, data.rows) })),
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

/** The name of the active state(s) of a chart at a time. */
export function stateAtTime(data: RunData, chart: string, t: number): string | undefined {
  const value = valueAtTime(data, chart, t);
  return value === undefined ? undefined : data.columns.get(chart)?.literals[value];
}
