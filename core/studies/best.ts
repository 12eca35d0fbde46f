import type { Verdict } from '../verdicts/finding';
import { brokenBy, decidedBy, lookFor, spaceOf, underRequirements, type FreeRange, type Method } from './goal';
import type { Executor } from './many';
import type { Runner, RunOutcome } from './runner';

/** The values at which a formula is lowest or highest while the requirements hold, and the way there. */
export interface BestQuestion {
  readonly over: readonly FreeRange[];
  readonly sense: 'low' | 'high';
  /** Number of the aim of the runner, or the key of a requirement whose margin is meant. */
  readonly aim: number | string;
  /** Keys of the requirements that have to hold; undefined for all. */
  readonly under: readonly string[] | undefined;
  readonly runs: number;
  readonly seed: number;
  readonly method: Method;
}

export interface FoundVerdict {
  readonly id: string;
  readonly key: string;
  readonly verdict: Verdict;
  readonly margin: number | undefined;
  readonly unit: string;
}
export const verdictsOf = (outcome: RunOutcome | undefined): readonly FoundVerdict[] =>
  (outcome?.findings ?? []).map(({ id, key, verdict, margin, unit }) => ({ id, key, verdict, margin, unit }));

export interface PathPoint {
  readonly after: number;
  readonly point: readonly number[];
  readonly value: number;
  readonly isAllowed: boolean;
}

export interface BestAnswer {
  readonly over: readonly string[];
  readonly units: readonly string[];
  readonly unit: string;
  readonly point: readonly number[];
  readonly value: number;
  /** All that have to hold do. */
  readonly isAllowed: boolean;
  readonly broken: readonly string[];
  readonly verdicts: readonly FoundVerdict[];
  /** As it is designed; `value` undefined where it has none. */
  readonly design: {
    readonly point: readonly number[];
    readonly value: number | undefined;
    readonly verdicts: readonly FoundVerdict[];
  };
  /** Every better point on the way. */
  readonly path: readonly PathPoint[];
  readonly runs: number;
  readonly failed: number;
  readonly problems: readonly string[];
  readonly methods: readonly string[];
  readonly settled: boolean;
}

/** Why a requirement that is named cannot be meant. */
export const missingKey = (runner: Pick<Runner, 'requirements'>, keys: readonly string[]): string | undefined => {
  const known = runner.requirements.map((r) => r.key);
  const missing = keys.find((k) => !known.includes(k));
  return missing === undefined
    ? undefined
    : `There is no requirement ${missing}; there are ${known.join(', ') || 'none'}`;
};

export async function bestOf(
  runner: Runner,
  executor: Executor,
  question: BestQuestion,
  goOn?: (done: number, of: number) => boolean,
): Promise<BestAnswer | string> {
  const { over, sense, aim, runs, seed, method } = question;
  const keys = question.under ?? runner.requirements.map((r) => r.key);
  const missing = missingKey(runner, [...keys, ...(typeof aim === 'string' ? [aim] : [])]);
  if (missing !== undefined) return missing;
  const valueOf = (o: RunOutcome): number | undefined =>
    typeof aim === 'number' ? o.aims[aim] : o.findings.find((f) => f.key === aim)?.margin;
  const space = spaceOf(runner, over, []);
  // what the design decides has to be decided by the best as well
  const watched = new Set(keys);
  const start = space.start ?? space.bounds.low;
  const design = runner.run(space.ask(start));
  const decided = decidedBy(design);
  const sign = sense === 'low' ? 1 : -1;
  const judge = underRequirements(sign, valueOf, watched, decided);
  const report = await lookFor(executor, space.bounds, space.ask, judge, space.start, {
    runs,
    seed,
    method,
    ...(goOn && { goOn }),
  });
  const { best, outcome } = report;
  if (!best || !outcome || !Number.isFinite(best.worth.value))
    return `No run came to its end${report.problems[0] ? `: ${report.problems[0]}` : ''}`;
  return {
    over: over.map((o) => o.name),
    units: runner.units,
    unit: typeof aim === 'number' ? runner.aimUnits[aim] : (outcome.findings.find((f) => f.key === aim)?.unit ?? ''),
    point: best.point,
    value: sign * best.worth.value,
    isAllowed: best.worth.broken === 0,
    broken: brokenBy(outcome, watched, decided).map((f) => f.key),
    verdicts: verdictsOf(outcome),
    design: { point: start, value: valueOf(design), verdicts: verdictsOf(design) },
    path: best.path.map((p) => ({
      after: p.after,
      point: p.point,
      value: sign * p.worth.value,
      isAllowed: p.worth.broken === 0,
    })),
    runs: report.runs,
    failed: report.failed,
    problems: report.problems,
    methods: report.methods,
    settled: best.settled,
  };
}
