import type { FlatModel } from '../flatten/flat-model';
import { createRowStore, type RowStore } from './row-store';
import type { MessageRecord, Observer, RecordedRowKind, TransitionRecord } from './simulation';

/** What a run leaves behind: a table of values over time, and what happened. */
export interface Recording {
  readonly rows: number;
  readonly time: Float64Array;
  readonly columns: readonly RecordingColumn[];
  readonly messages: readonly MessageRecord[];
  readonly transitions: readonly TransitionRecord[];
}

export interface ColumnHead {
  readonly name: string;
  readonly unit: string;
  readonly kind: 'real' | 'integer' | 'boolean' | 'literal' | 'states';
  /** Names of the values of a `literal` column, counted from 0; of `states` the paths of all states of the chart. */
  /** A number that changes at events only: between rows it is what it was at the last. */
  readonly isHeld?: true;
  readonly literals: readonly string[];
  /** What the values of `states` stand for: numbers of the innermost states that are active together. */
  readonly configurations?: readonly (readonly number[])[];
}

export interface RecordingColumn extends ColumnHead {
  readonly values: Float64Array;
}

/** Rows a recorder holds before it keeps only every second one of them. */
const defaultLimit = 4_000_000;

interface Source {
  readonly head: ColumnHead;
  /** Variable number of a plain column, -1 where `read` computes it. */
  readonly index: number;
  readonly shift: number;
  read(values: Float64Array): number;
}

/** Names of everything a recording can have a column for. */
export function recordable(model: FlatModel): string[] {
  return sources(model).map((s) => s.head.name);
}

/** Shapes are for the eye: they are recorded where somebody looks, as far as they can move. */
const fixedShapes = (model: FlatModel): ReadonlySet<number> =>
  new Set(
    model.equations.flatMap((e) =>
      e.left.op === 'var' && e.right.op === 'const' && model.variables[e.left.index].ofShape ? [e.left.index] : [],
    ),
  );

function sources(model: FlatModel, withShapes = false): Source[] {
  const fixed = withShapes ? fixedShapes(model) : new Set<number>();
  const found: Source[] = [];
  const charts = new Map(model.charts.map((c) => [c.active[0], c]));
  const chartAt = new Map<number, FlatModel['charts'][number]>(charts);
  model.variables.forEach((v, index) => {
    const chart = chartAt.get(index);
    if (chart) found.push(chartSource(chart));
    if (
      v.hidden ||
      v.kind === 'constant' ||
      v.kind === 'parameter' ||
      v.type === 'String' ||
      (v.ofShape ? !withShapes || fixed.has(index) : v.isProtected)
    )
      return;
    const kind = v.type === 'Boolean' ? 'boolean' : v.type === 'Integer' ? 'integer' : v.literals ? 'literal' : 'real';
    const shift = kind === 'literal' ? 1 : 0;
    found.push({
      head: {
        name: v.name,
        unit: v.unit,
        kind,
        ...(kind === 'real' && v.kind === 'discrete' && { isHeld: true as const }),
        literals: [...(v.literals ?? [])],
      },
      index,
      shift,
      read: (values) => values[index] - shift,
    });
  });
  return found;
}

const isPseudo = (kind: string): boolean => kind === 'history' || kind === 'deepHistory' || kind === 'start';

/** One column per chart: the innermost states that are active together, as numbers of sets that are found on the way. */
function chartSource(chart: FlatModel['charts'][number]): Source {
  const { states } = chart.structure;
  const leaves = states.flatMap((s, k) => (s.children.length === 0 && !isPseudo(s.kind) ? [k] : []));
  const configurations: number[][] = [];
  const known = new Map<string, number>();
  return {
    head: { name: chart.name, unit: '', kind: 'states', literals: states.map((s) => s.path), configurations },
    index: -1,
    shift: 0,
    read(values) {
      const active = leaves.filter((k) => values[chart.active[k]] !== 0);
      const key = active.join();
      let number = known.get(key);
      if (number === undefined) known.set(key, (number = configurations.push(active) - 1));
      return number;
    },
  };
}

/** A head as it is now: sets of states that are found later are not in it. */
const headNow = ({ head }: Source): ColumnHead => ({
  ...head,
  ...(head.configurations && { configurations: [...head.configurations] }),
});

/** How much has been recorded. */
export interface RecordingCounts {
  readonly rows: number;
  readonly messages: number;
  readonly transitions: number;
}

/** What is new of a recording. Of what was handed over before, the first `after` stays: it may have been thinned out, or gone back. */
export interface RecordingChunk extends Recording {
  readonly after: RecordingCounts;
}

/** A place in a recording: everything up to it stays when a run goes back there. */
export interface RecordingMark extends RecordingCounts {
  /** How often rows had been thinned out. */
  readonly thinned: number;
}

export interface Recorder extends Observer {
  readonly rows: number;
  /** Everything recorded so far; its columns are for reading in this thread. */
  take(): Recording;
  /** The rows, messages and transitions since the last call, as copies that may be transferred. */
  takeNew(): RecordingChunk;
  mark(): RecordingMark;
  /** A recorder of its own that goes on from a place in this one; `same` where what this one has handed over stays with the listener. */
  fork(mark: RecordingMark, same: boolean): Recorder;
}

export interface RecorderOptions {
  /** Values it holds before it thins them out. */
  readonly limit?: number;
  /** What can be seen of the model is kept too. */
  readonly shapes?: boolean;
  /** Variables that always equal another one, or its negative: they are kept once. */
  readonly aliases?: ReadonlyMap<number, { readonly index: number; readonly sign: 1 | -1 }>;
  /** Variables that can change between events; all, where it is not known. The others are looked at when something happens only. */
  readonly moving?: ReadonlySet<number>;
}

/** Keeps rows for the columns named in `wanted`; all by default. */
export function createRecorder(
  model: FlatModel,
  wanted?: readonly string[],
  { limit = defaultLimit, shapes = false, aliases, moving }: RecorderOptions = {},
): Recorder {
  const all = sources(model, shapes);
  const chosen = wanted
    ? all.filter((s) => wanted.includes(s.head.name) || (s.index >= 0 && model.variables[s.index].ofShape))
    : all;
  // a column that always equals another, or its negative, is made from it when it is asked for
  const rootOf = chosen.map(
    (c) => (c.head.kind === 'real' && aliases?.get(c.index)) || { index: c.index, sign: 1 as const },
  );
  const kept = new Map<number, number>();
  const sharedWith = chosen.map((c, k) => {
    if (c.index < 0 || c.head.kind !== 'real') return k;
    const first = kept.get(rootOf[k].index);
    if (first === undefined) kept.set(rootOf[k].index, k);
    return first ?? k;
  });
  const own = [...chosen.keys()].filter((k) => sharedWith[k] === k);
  const moves = (k: number): boolean =>
    chosen[k].index >= 0 && chosen[k].shift === 0 && (!moving || moving.has(chosen[k].index));
  const [movingColumns, restingColumns] = [own.filter(moves), own.filter((k) => !moves(k))];
  // values that change at events only and whose changes are told apart: a tick that changes one of them is kept
  const tellingColumns = restingColumns.filter((k) => chosen[k].index >= 0 && chosen[k].head.kind !== 'real');
  const columns: Columns = { tellingColumns, chosen, rootOf, sharedWith, movingColumns, restingColumns, limit };
  const store = createRowStore(
    movingColumns.map((k) => chosen[k].index),
    restingColumns.map((k) => chosen[k].read),
  );
  return recorderOf(columns, {
    store,
    messages: [],
    transitions: [],
    taken: { rows: 0, messages: 0, transitions: 0 },
    thinned: 0,
    skipped: 0,
  });
}

/** What is kept, and how columns are made from it. */
interface Columns {
  readonly tellingColumns: readonly number[];
  readonly chosen: readonly Source[];
  /** The variable a column is made from, and its sign. */
  readonly rootOf: readonly { readonly index: number; readonly sign: 1 | -1 }[];
  /** The column that holds the values of each. */
  readonly sharedWith: readonly number[];
  readonly movingColumns: readonly number[];
  readonly restingColumns: readonly number[];
  readonly limit: number;
}

/** What a recorder has so far. */
interface Recorded {
  readonly store: RowStore;
  readonly messages: MessageRecord[];
  readonly transitions: TransitionRecord[];
  /** What has been handed over. */
  taken: RecordingCounts;
  /** Every 2^thinned-th row of the grid is kept; rows skipped since the last. */
  thinned: number;
  skipped: number;
}

function recorderOf(columns: Columns, s: Recorded): Recorder {
  const { chosen, rootOf, sharedWith, movingColumns, restingColumns, tellingColumns, limit } = columns;
  const { store, messages, transitions } = s;
  const happened = (messageFrom: number, transitionFrom: number): Pick<Recording, 'messages' | 'transitions'> => ({
    messages: messages.slice(messageFrom),
    transitions: transitions.slice(transitionFrom),
  });
  /** Copies of all columns from a row on, each an array of its own. */
  const slice = (from: number, messageFrom: number, transitionFrom: number): Recording => {
    const values = new Map<number, Float64Array>();
    store.moving(from).forEach((column, j) => values.set(movingColumns[j], column));
    restingColumns.forEach((k, j) => values.set(k, store.resting(j, from)));
    const valuesOf = (k: number): Float64Array => {
      const root = sharedWith[k],
        column = values.get(root)!;
      if (root === k) return column;
      return rootOf[k].sign === rootOf[root].sign ? column.slice() : column.map((x) => -x);
    };
    return {
      rows: store.rows - from,
      time: store.time(from),
      columns: chosen.map((s, k) => ({ ...headNow(s), values: valuesOf(k) })),
      ...happened(messageFrom, transitionFrom),
    };
  };
  /** Everything so far; a column is made when it is first looked at, since most never are. */
  const whole = (): Recording => {
    const snapshot = store.frozen();
    const values = new Map<number, Float64Array>();
    const at = new Map([
      ...movingColumns.map((k, j) => [k, () => snapshot.moving(j)] as const),
      ...restingColumns.map((k, j) => [k, () => snapshot.resting(j)] as const),
    ]);
    const valuesOf = (k: number): Float64Array => {
      let known = values.get(k);
      if (!known) {
        const root = sharedWith[k];
        known =
          root === k
            ? at.get(k)!()
            : rootOf[k].sign === rootOf[root].sign
              ? valuesOf(root)
              : valuesOf(root).map((x) => -x);
        values.set(k, known);
      }
      return known;
    };
    return {
      rows: snapshot.rows,
      time: snapshot.time,
      columns: chosen.map((s, k) => ({
        ...headNow(s),
        get values() {
          return valuesOf(k);
        },
      })),
      ...happened(0, 0),
    };
  };
  const counts = (): RecordingCounts => ({
    rows: store.rows,
    messages: messages.length,
    transitions: transitions.length,
  });
  const put = (t: number, values: Float64Array, kind: RecordedRowKind): void => {
    if (kind === 'sample' && s.thinned > 0 && ++s.skipped % 2 ** s.thinned !== 0) return;
    // past the limit every second row goes
    if (store.size >= limit * 8) {
      store.halve();
      s.taken = { ...s.taken, rows: 0 };
      s.thinned++;
    }
    store.push(t, values, kind === 'sample');
  };
  /** What was there before a tick: ticks between rows are kept only where they change more than sampled numbers. */
  const pending: { time: number; values: Float64Array | undefined; messages: number; transitions: number } = {
    time: 0,
    values: undefined,
    messages: 0,
    transitions: 0,
  };
  const beforeTick = (time: number, values: Float64Array): void => {
    pending.values ??= new Float64Array(values.length);
    pending.values.set(values);
    Object.assign(pending, { time, messages: messages.length, transitions: transitions.length });
  };
  const isTickSilent = (values: Float64Array): boolean =>
    messages.length === pending.messages &&
    transitions.length === pending.transitions &&
    tellingColumns.every((k) => chosen[k].read(values) === chosen[k].read(pending.values!));
  return {
    get rows() {
      return store.rows;
    },
    row(t, values, kind, tick) {
      if (kind === 'step') return;
      if (tick && kind === 'before-event') return beforeTick(t, values);
      if (tick) {
        if (tick === 'between' && isTickSilent(values)) return;
        put(pending.time, pending.values!, 'before-event');
      }
      put(t, values, kind);
    },
    message: (record) => void messages.push(record),
    transition: (record) => void transitions.push(record),
    take: whole,
    takeNew() {
      const after = s.taken;
      s.taken = counts();
      return { ...slice(after.rows, after.messages, after.transitions), after };
    },
    mark: () => ({ ...counts(), thinned: s.thinned }),
    fork(mark, same) {
      let { rows } = mark;
      for (let k = mark.thinned; k < s.thinned; k++) rows = Math.ceil(rows / 2);
      return recorderOf(columns, {
        store: store.fork(rows),
        messages: messages.slice(0, mark.messages),
        transitions: transitions.slice(0, mark.transitions),
        taken: {
          rows: same ? Math.min(rows, s.taken.rows) : 0,
          messages: same ? Math.min(mark.messages, s.taken.messages) : 0,
          transitions: same ? Math.min(mark.transitions, s.taken.transitions) : 0,
        },
        thinned: s.thinned,
        skipped: s.skipped,
      });
    },
  };
}

/** Row at or last before a time; -1 before the first. */
export function rowAt(time: Float64Array, rows: number, t: number): number {
  let low = 0,
    high = rows;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (time[middle] <= t) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

/** A column's value at a time: interpolated for real quantities, held for all others. */
export function valueAt(recording: Recording, column: RecordingColumn, t: number): number | undefined {
  const row = rowAt(recording.time, recording.rows, t);
  if (row < 0) return undefined;
  const value = column.values[row];
  if (column.kind !== 'real' || column.isHeld || row + 1 >= recording.rows) return value;
  const [t0, t1] = [recording.time[row], recording.time[row + 1]];
  return t1 > t0 ? value + ((column.values[row + 1] - value) * (t - t0)) / (t1 - t0) : value;
}
