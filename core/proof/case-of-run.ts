import { newCase, newVector, type Setup, type TestCase, type Vector } from '../project/project';
import type { OutsideAction } from '../run/protocol';
import { valueAt, type Recording, type RecordingColumn } from '../simulate/recording';

/** A run that was made: of a setup, with what somebody did by hand. */
export interface RanRun {
  readonly setup: Setup;
  readonly actions: readonly OutsideAction[];
  readonly recording: Recording;
}

/** Of the largest value of a quantity. */
const usualTolerance = 1e-3;
/** Moments at which it is looked at, if nobody says otherwise. */
const usualMoments = 8;

/**
 * A test case of a run as it went: what was done by hand is given again, and what came then is expected. `names`: quantities and charts, as
 * they were recorded. `idOf`: new ids, one after the other.
 */
export function caseOfRun(
  name: string,
  { setup, actions, recording }: RanRun,
  names: readonly string[],
  idOf: () => string,
  moments = usualMoments,
): TestCase {
  const end = recording.rows > 0 ? recording.time[recording.rows - 1] : 0;
  const late = rounded(end / 500);
  const vectors: Vector[] = [];
  const rows = new Map<number, { column: string; value: string }[]>();
  const put = (time: number, column: string, value: string): void => {
    const there = rows.get(time) ?? [];
    rows.set(time, [...there.filter((c) => c.column !== column), { column, value }]);
  };
  const columnOf = new Map<string, string>();
  const columnFor = (way: Vector['way'], target: string, more: Partial<Vector> = {}): string => {
    const key = `${way} ${target}`;
    let id = columnOf.get(key);
    if (id === undefined) {
      id = idOf();
      columnOf.set(key, id);
      vectors.push({ ...newVector(id, way, target), relative: 0, ...more });
    }
    return id;
  };
  const columns = new Map(recording.columns.map((c) => [c.name, c]));
  for (const { kind, target, time, value, args } of actions) {
    if (kind === 'send') {
      const brought = Object.entries(args ?? {}).map(([n, x]) => `${n} = ${x}`);
      put(time, columnFor('send', target), brought.length > 0 ? brought.join(', ') : 'x');
    } else put(time, columnFor('set', target), written(value, columns.get(target)));
  }
  const times = Array.from({ length: moments }, (_, k) => rounded(((k + 1) * end) / moments));
  for (const n of names) {
    const column = columns.get(n);
    if (!column || column.values.length === 0) continue;
    if (column.kind === 'states') {
      for (const path of statesSeen(column, recording, times)) {
        const id = columnFor('expect', `in(${n}.${path})`, { late });
        for (const t of times) put(t, id, String(isIn(column, valueAt(recording, column, t) ?? 0, path)));
      }
      continue;
    }
    let most = 0;
    for (let k = 0; k < recording.rows; k++) most = Math.max(most, Math.abs(column.values[k]) || 0);
    const id = columnFor('expect', n, { late, absolute: column.kind === 'real' ? rounded(usualTolerance * most) : 0 });
    for (const t of times) {
      const value = valueAt(recording, column, t);
      // what is no number is expected of nobody
      if (value !== undefined && Number.isFinite(value)) put(t, id, written(value, column));
    }
  }
  return {
    ...newCase('', name),
    note: `What ${setup.name} did, taken over from a run`,
    setup: setup.id,
    stop: rounded(end + 2 * late),
    vectors,
    rows: [...rows].sort(([a], [b]) => a - b).map(([time, cells]) => ({ time, cells })),
  };
}

const rounded = (x: number): number => Number(x.toPrecision(9));

/** A value as a cell of a table says it. */
function written(value: number, column: RecordingColumn | undefined): string {
  if (column?.kind === 'boolean') return String(value !== 0);
  if (column?.kind === 'literal') return column.literals[value - 1] ?? String(value);
  return String(rounded(value));
}

/** Whether a chart is in a state, or in one inside it. */
function isIn({ literals, configurations }: RecordingColumn, value: number, path: string): boolean {
  return (configurations?.[value] ?? []).some(
    (leaf) => literals[leaf] === path || literals[leaf]?.startsWith(`${path}.`),
  );
}

/** The innermost states it is in at some moments. */
function statesSeen(column: RecordingColumn, recording: Recording, times: readonly number[]): readonly string[] {
  const seen = new Set<string>();
  for (const t of times)
    for (const leaf of column.configurations?.[valueAt(recording, column, t) ?? 0] ?? [])
      seen.add(column.literals[leaf]);
  return [...seen];
}
