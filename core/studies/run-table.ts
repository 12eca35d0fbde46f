import type { Verdict } from '../verdicts/finding';
import type { Runner, RunnerQuestion, RunOutcome } from './runner';

/**
 * What many runs came to, by columns: about nine bytes for each margin of a run, so that a hundred thousand runs have room. Rows are
 * those of what was asked; a run that has not been done has `status` 0.
 */
export interface RunTable {
  readonly over: readonly string[];
  readonly units: readonly string[];
  readonly requirements: readonly { readonly id: string; readonly key: string }[];
  /** Of margins; empty until a run has told it. */
  readonly marginUnits: string[];
  readonly aims: readonly string[];
  readonly aimUnits: readonly string[];
  readonly rows: number;
  readonly values: Float64Array;
  readonly verdicts: Uint8Array;
  readonly margins: Float64Array;
  /** Since when a requirement fails. */
  readonly since: Float64Array;
  readonly told: Float64Array;
  readonly status: Uint8Array;
  /** By row, from `problems`. */
  readonly problem: Uint16Array;
  readonly problems: string[];
}

export const notRun = 0;
export const finished = 1;
export const failed = 2;
const verdictCodes: readonly Verdict[] = ['undecided', 'holds', 'fails'];

export function tableFor(
  { over, aims }: Pick<RunnerQuestion, 'over' | 'aims'>,
  { requirements, units, aimUnits }: Pick<Runner, 'requirements' | 'units' | 'aimUnits'>,
  points: readonly (readonly number[])[],
): RunTable {
  const rows = points.length;
  const values = new Float64Array(rows * over.length);
  points.forEach((p, k) => values.set(p, k * over.length));
  return {
    over,
    units,
    requirements,
    marginUnits: requirements.map(() => ''),
    aims,
    aimUnits,
    rows,
    values,
    verdicts: new Uint8Array(rows * requirements.length),
    margins: new Float64Array(rows * requirements.length).fill(NaN),
    since: new Float64Array(rows * requirements.length).fill(NaN),
    told: new Float64Array(rows * aims.length).fill(NaN),
    status: new Uint8Array(rows),
    problem: new Uint16Array(rows),
    problems: [''],
  };
}

export function putOutcome(table: RunTable, row: number, outcome: RunOutcome): void {
  const { requirements, aims, problems } = table;
  table.status[row] = outcome.status === 'finished' ? finished : failed;
  let k = problems.indexOf(outcome.problem);
  if (k < 0) k = problems.length < 65_535 ? problems.push(outcome.problem) - 1 : 65_534;
  table.problem[row] = k;
  outcome.findings.forEach((f) => {
    const j = requirements.findIndex((r) => r.id === f.id);
    if (j < 0) return;
    const at = row * requirements.length + j;
    table.verdicts[at] = Math.max(0, verdictCodes.indexOf(f.verdict));
    table.margins[at] = f.margin ?? NaN;
    table.since[at] = f.failsSince ?? NaN;
    if (f.unit !== '' && f.margin !== undefined) table.marginUnits[j] = f.unit;
  });
  outcome.aims.forEach((x, j) => (table.told[row * aims.length + j] = x ?? NaN));
}

/** Some rows of a table, to be handed over. */
export interface RunTablePart {
  readonly rows: Uint32Array;
  readonly part: RunTable;
}

export function partOf(table: RunTable, rows: readonly number[]): RunTablePart {
  const pick = <A extends Float64Array | Uint8Array | Uint16Array>(of: A, width: number): A => {
    const made = new (of.constructor as new (n: number) => A)(rows.length * width);
    rows.forEach((row, k) => made.set(of.subarray(row * width, (row + 1) * width), k * width));
    return made;
  };
  const { requirements, over, aims } = table;
  return {
    rows: Uint32Array.from(rows),
    part: {
      ...table,
      rows: rows.length,
      values: pick(table.values, over.length),
      verdicts: pick(table.verdicts, requirements.length),
      margins: pick(table.margins, requirements.length),
      since: pick(table.since, requirements.length),
      told: pick(table.told, aims.length),
      status: pick(table.status, 1),
      problem: pick(table.problem, 1),
    },
  };
}

export function putPart(table: RunTable, { rows, part }: RunTablePart): void {
  const put = (into: Float64Array | Uint8Array | Uint16Array, from: typeof into, width: number): void =>
    rows.forEach((row, k) => into.set(from.subarray(k * width, (k + 1) * width), row * width));
  const { requirements, over, aims } = table;
  put(table.values, part.values, over.length);
  put(table.verdicts, part.verdicts, requirements.length);
  put(table.margins, part.margins, requirements.length);
  put(table.since, part.since, requirements.length);
  put(table.told, part.told, aims.length);
  put(table.status, part.status, 1);
  put(table.problem, part.problem, 1);
  part.problems.forEach((p, k) => (table.problems[k] = p));
  part.marginUnits.forEach((u, k) => (table.marginUnits[k] = u || table.marginUnits[k]));
}

/** A table of which only the head is known, whose rows come from elsewhere. */
export function emptyTable({ part }: RunTablePart, rows: number): RunTable {
  const { over, requirements, aims } = part;
  return {
    ...part,
    marginUnits: [...part.marginUnits],
    problems: [...part.problems],
    rows,
    values: new Float64Array(rows * over.length).fill(NaN),
    verdicts: new Uint8Array(rows * requirements.length),
    margins: new Float64Array(rows * requirements.length).fill(NaN),
    since: new Float64Array(rows * requirements.length).fill(NaN),
    told: new Float64Array(rows * aims.length).fill(NaN),
    status: new Uint8Array(rows),
    problem: new Uint16Array(rows),
  };
}

// reading it

export const valuesOf = (t: RunTable, row: number): number[] =>
  Array.from(t.values.subarray(row * t.over.length, (row + 1) * t.over.length));
export const verdictOf = (t: RunTable, row: number, requirement: number): Verdict =>
  verdictCodes[t.verdicts[row * t.requirements.length + requirement]];
export const marginOf = (t: RunTable, row: number, requirement: number): number =>
  t.margins[row * t.requirements.length + requirement];
export const toldOf = (t: RunTable, row: number, aim: number): number => t.told[row * t.aims.length + aim];
export const problemOf = (t: RunTable, row: number): string => t.problems[t.problem[row]] ?? '';
/** Rows of runs that were done. */
export const doneRows = (t: RunTable): number[] =>
  Array.from({ length: t.rows }, (_, k) => k).filter((k) => t.status[k] !== notRun);

/** Why runs failed that did, most often first. */
export function failuresOf(t: RunTable): readonly (readonly [why: string, count: number])[] {
  const counts = new Map<string, number>();
  for (let row = 0; row < t.rows; row++)
    if (t.status[row] === failed) counts.set(problemOf(t, row), (counts.get(problemOf(t, row)) ?? 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1]);
}

/** What a run is kept in, in bytes. */
export const bytesPerRun = (over: number, requirements: number, aims: number): number =>
  8 * over + 17 * requirements + 8 * aims + 3;
