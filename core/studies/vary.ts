import Papa from 'papaparse';
import type { Executor } from './many';
import type { RunnerQuestion, RunOutcome, Runner } from './runner';
import { wilson } from './statistics';

/** What runs with other values came to, as a table. */

export interface VariedRun {
  readonly values: readonly number[];
  readonly outcome: RunOutcome;
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
}

export function sharesOf(runner: Pick<Runner, 'requirements'>, runs: readonly VariedRun[]): readonly ShareThatHolds[] {
  return runner.requirements.map(({ key }) => {
    let [holds, fails] = [0, 0];
    for (const { outcome } of runs) {
      const verdict = outcome.findings.find((f) => f.key === key)?.verdict;
      if (verdict === 'holds') holds++;
      else if (verdict === 'fails') fails++;
    }
    const decided = holds + fails;
    const [low, high] = wilson(holds, decided);
    return {
      key,
      holds,
      fails,
      undecided: runs.length - decided,
      share: decided === 0 ? NaN : holds / decided,
      low,
      high,
    };
  });
}

/** A row per run: its values, then verdict and margin of each requirement, then the aims. */
export function tableOf(
  question: Pick<RunnerQuestion, 'over' | 'aims'>,
  runner: Runner,
  runs: readonly VariedRun[],
): string {
  const unit = (name: string, u: string): string => (u === '' || u === '1' ? name : `${name} [${u}]`);
  const unitOf = (key: string): string =>
    runs.map((r) => r.outcome.findings.find((f) => f.key === key)?.unit).find((u) => u !== undefined && u !== '') ?? '';
  const head = [
    'run',
    ...question.over.map((name, k) => unit(name, runner.units[k])),
    ...runner.requirements.flatMap(({ key }) => [`${key} verdict`, unit(`${key} margin`, unitOf(key))]),
    ...question.aims.map((text, k) => unit(text, runner.aimUnits[k])),
    'status',
    'problem',
  ];
  const cell = (x: number | undefined): string => (x === undefined || !Number.isFinite(x) ? '' : String(x));
  const rows = runs.map(({ values, outcome }, k) => [
    String(k + 1),
    ...values.map(cell),
    ...runner.requirements.flatMap(({ key }) => {
      const f = outcome.findings.find((x) => x.key === key);
      return [f?.verdict ?? 'undecided', cell(f?.margin)];
    }),
    ...outcome.aims.map(cell),
    outcome.status,
    outcome.problem,
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
}

/** Every value of one quantity, in order, at which a requirement begins or ceases to hold between two that were run. */
export async function crossingsOf(
  executor: Executor,
  runner: Pick<Runner, 'requirements' | 'isWhole'>,
  runs: readonly VariedRun[],
): Promise<readonly Crossing[]> {
  const sorted = [...runs].sort((a, b) => a.values[0] - b.values[0]);
  const verdictOf = (o: RunOutcome | undefined, key: string): boolean | undefined => {
    const verdict = o?.status === 'finished' ? o.findings.find((f) => f.key === key)?.verdict : undefined;
    return verdict === undefined || verdict === 'undecided' ? undefined : verdict === 'holds';
  };
  const found: Crossing[] = [];
  for (const { key } of runner.requirements)
    for (let k = 1; k < sorted.length; k++) {
      const [before, after] = [verdictOf(sorted[k - 1].outcome, key), verdictOf(sorted[k].outcome, key)];
      if (before === undefined || after === undefined || before === after) continue;
      const holds = async (value: number): Promise<boolean | undefined> =>
        verdictOf((await executor.run([{ values: [value] }]))[0], key);
      const [from, to] = [sorted[k - 1].values[0], sorted[k].values[0]];
      const at = await crossingBetween(holds, from, to, before, 20, runner.isWhole[0]);
      if (at) found.push({ key, ...at });
    }
  return found;
}
