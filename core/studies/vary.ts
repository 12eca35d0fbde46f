import Papa from 'papaparse';
import type { Verdict } from '../verdicts/finding';
import type { Executor, RunWatch } from './many';
import {
  doneRows,
  failed,
  marginOf,
  notRun,
  problemOf,
  putOutcome,
  tableFor,
  toldOf,
  valuesOf,
  verdictOf,
  type RunTable,
} from './run-table';
import type { RunnerQuestion, RunOutcome, Runner } from './runner';
import { wilson } from './statistics';

/** What runs with other values came to: shares that hold, where verdicts change, and the table as text. */

/** Runs at all points, into a table. */
export async function varied(
  runner: Runner,
  executor: Executor,
  question: Pick<RunnerQuestion, 'over' | 'aims'>,
  points: readonly (readonly number[])[],
  watch: RunWatch & { readonly begun?: (table: RunTable) => void } = {},
): Promise<RunTable> {
  const table = tableFor(question, runner, points);
  watch.begun?.(table);
  await executor.run(
    points.map((values) => ({ values })),
    {
      ...watch,
      isTaken: true,
      each: (k, outcome) => {
        putOutcome(table, k, outcome);
        watch.each?.(k, outcome);
      },
    },
  );
  return table;
}

export interface ShareThatHolds {
  readonly key: string;
  readonly holds: number;
  readonly fails: number;
  /** Neither the one nor the other, or no run. */
  readonly undecided: number;
  /** Of those that are decided, with its interval of 95 % (Wilson 1927). */
  readonly share: number;
  readonly low: number;
  readonly high: number;
  /** The least margin, and its row; NaN and -1 where no run has one. */
  readonly least: number;
  readonly leastRow: number;
  /** The largest margin. */
  readonly most: number;
}

export function sharesOf(table: RunTable): readonly ShareThatHolds[] {
  const rows = doneRows(table);
  return table.requirements.map(({ key }, j) => {
    let [holds, fails, least, leastRow, most] = [0, 0, NaN, -1, NaN];
    for (const row of rows) {
      const verdict = verdictOf(table, row, j);
      if (verdict === 'holds') holds++;
      else if (verdict === 'fails') fails++;
      const margin = marginOf(table, row, j);
      if (!Number.isFinite(margin)) continue;
      if (!(margin >= least)) [least, leastRow] = [margin, row];
      if (!(margin <= most)) most = margin;
    }
    const decided = holds + fails;
    const [low, high] = wilson(holds, decided);
    return {
      key,
      holds,
      fails,
      undecided: rows.length - decided,
      share: decided === 0 ? NaN : holds / decided,
      low,
      high,
      least,
      leastRow,
      most,
    };
  });
}

/** A row per run: its values, then verdict and margin of each requirement, then what is told. */
export function csvOf(table: RunTable): string {
  const unit = (name: string, u: string): string => (u === '' || u === '1' ? name : `${name} [${u}]`);
  const head = [
    'run',
    ...table.over.map((name, k) => unit(name, table.units[k])),
    ...table.requirements.flatMap(({ key }, j) => [`${key} verdict`, unit(`${key} margin`, table.marginUnits[j])]),
    ...table.aims.map((text, k) => unit(text, table.aimUnits[k])),
    'status',
    'problem',
  ];
  const cell = (x: number): string => (Number.isFinite(x) ? String(x) : '');
  const rows = doneRows(table).map((row) => [
    String(row + 1),
    ...valuesOf(table, row).map(cell),
    ...table.requirements.flatMap((_, j) => [verdictOf(table, row, j), cell(marginOf(table, row, j))]),
    ...table.aims.map((_, k) => cell(toldOf(table, row, k))),
    table.status[row] === failed ? 'failed' : 'finished',
    problemOf(table, row),
  ]);
  return `${Papa.unparse([head, ...rows], { newline: '\n' })}\n`;
}

/** Where a requirement begins or ceases to hold along one value, to so many digits of the range: by halving (Bolzano 1817). */
export async function crossingBetween(
  margin: (value: number) => Promise<boolean | undefined>,
  from: number,
  to: number,
  isHoldingAtFrom: boolean,
  steps = 20,
  isWhole = false,
): Promise<{ readonly holdsAt: number; readonly failsAt: number } | undefined> {
  let [a, b] = [from, to];
  for (let k = 0; k < steps; k++) {
    const middle = isWhole ? Math.round((a + b) / 2) : (a + b) / 2;
    if (middle === a || middle === b) break;
    const holds = await margin(middle);
    if (holds === undefined) return undefined;
    if (holds === isHoldingAtFrom) a = middle;
    else b = middle;
  }
  return isHoldingAtFrom ? { holdsAt: a, failsAt: b } : { holdsAt: b, failsAt: a };
}

export interface Crossing {
  readonly key: string;
  /** It holds at this value and not at that one. */
  readonly holdsAt: number;
  readonly failsAt: number;
  /** What is told there, on the side that holds. */
  readonly told: readonly (number | undefined)[];
}

/** Every value of one quantity, in order, at which a requirement begins or ceases to hold between two that were run. */
export async function crossingsOf(
  executor: Executor,
  runner: Pick<Runner, 'isWhole'>,
  table: RunTable,
  watch: RunWatch = {},
): Promise<readonly Crossing[]> {
  const sorted = doneRows(table).sort((a, b) => table.values[a] - table.values[b]);
  const decided = (verdict: Verdict | undefined): boolean | undefined =>
    verdict === undefined || verdict === 'undecided' ? undefined : verdict === 'holds';
  const ofRow = (row: number, j: number): boolean | undefined =>
    table.status[row] === notRun || table.status[row] === failed ? undefined : decided(verdictOf(table, row, j));
  const found: Crossing[] = [];
  for (const [j, { key }] of table.requirements.entries())
    for (let k = 1; k < sorted.length; k++) {
      const [before, after] = [ofRow(sorted[k - 1], j), ofRow(sorted[k], j)];
      if (before === undefined || after === undefined || before === after) continue;
      let told: RunOutcome['aims'] = table.aims.map((_, a) => toldOf(table, sorted[before ? k - 1 : k], a));
      const holds = async (value: number): Promise<boolean | undefined> => {
        const [o] = await executor.run([{ values: [value] }], watch);
        if (o?.status !== 'finished') return undefined;
        const verdict = decided(o.findings.find((f) => f.key === key)?.verdict);
        if (verdict === true) told = o.aims;
        return verdict;
      };
      const [from, to] = [table.values[sorted[k - 1]], table.values[sorted[k]]];
      const at = await crossingBetween(holds, from, to, before, 20, runner.isWhole[0]);
      if (at) found.push({ key, ...at, told });
    }
  return found;
}
