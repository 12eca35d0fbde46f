import type { Executor } from './many';
import {
  differentialEvolution,
  intoBounds,
  isBetter,
  nelderMead,
  type Best,
  type Bounds,
  type Evaluate,
  type Worth,
} from './minimise';
import type { RunAsked, RunOutcome, Runner, SentMessage } from './runner';

/** The best values under the requirements, and the values and moments that break one: both look for the lowest of many runs. */

export interface FreeRange {
  readonly name: string;
  readonly low: number;
  readonly high: number;
}
/** A message that may come, or a quantity that may be set, at any time of a span. */
export interface FreeMessage {
  readonly target: string;
  readonly value?: string;
  readonly from: number;
  readonly to: number;
}

export type Method = 'both' | 'global' | 'local';

export interface GoalOptions {
  readonly runs: number;
  readonly seed: number;
  readonly method: Method;
  readonly goOn?: (done: number, of: number) => boolean;
}

/** One run that was looked at. */
export interface Looked {
  readonly point: readonly number[];
  readonly outcome: RunOutcome;
}

export interface GoalReport {
  readonly best: Best | undefined;
  /** The run of the best point. */
  readonly outcome: RunOutcome | undefined;
  readonly runs: number;
  readonly failed: number;
  /** Why runs failed that did, most often first. */
  readonly problems: readonly string[];
  readonly methods: readonly string[];
}

/** Margins are compared by how far they are broken, each relative to the largest that was seen. */
export interface Judge {
  (outcome: RunOutcome): Worth;
}

/** What cannot run is worse than all that can. */
const unusable: Worth = { broken: 1e30, value: Infinity };

/**
 * The value of an aim under the requirements: how far they are broken is counted in their own units, together. One of `decided` that a run
 * says nothing of is not kept by it: a machine that does nothing would be the best one.
 */
export const underRequirements =
  (
    sign: 1 | -1,
    valueOf: (o: RunOutcome) => number | undefined,
    watched: ReadonlySet<string>,
    decided: ReadonlySet<string> = new Set(),
  ): Judge =>
  (outcome) => {
    if (outcome.status === 'failed') return unusable;
    const value = valueOf(outcome);
    if (value === undefined || !Number.isFinite(value)) return unusable;
    return { broken: howBroken(outcome, watched, decided), value: sign * value };
  };

/** What a run does not keep. */
export const brokenBy = (
  { findings }: RunOutcome,
  watched: ReadonlySet<string>,
  decided: ReadonlySet<string>,
): RunOutcome['findings'] =>
  findings.filter(
    (f) => watched.has(f.key) && (f.verdict === 'fails' || (f.verdict === 'undecided' && decided.has(f.key))),
  );

/** By how much, all together, each in its own unit. */
export const howBroken = (outcome: RunOutcome, watched: ReadonlySet<string>, decided: ReadonlySet<string>): number =>
  brokenBy(outcome, watched, decided).reduce(
    (sum, { verdict, margin }) => sum + (verdict === 'fails' && margin !== undefined ? Math.max(1e-12, -margin) : 1),
    0,
  );

/** What a run decides: the best has to decide it as well. */
export const decidedBy = ({ findings }: RunOutcome): ReadonlySet<string> =>
  new Set(findings.flatMap((f) => (f.verdict === 'undecided' ? [] : [f.key])));

/** The margin of one requirement; without one, whether it fails. */
export const lowestMargin =
  (key: string): Judge =>
  (outcome) => {
    if (outcome.status === 'failed') return unusable;
    const f = outcome.findings.find((x) => x.key === key);
    if (!f) return unusable;
    if (f.margin !== undefined && Number.isFinite(f.margin)) return { broken: 0, value: f.margin };
    // undecided says less than what holds by something
    return { broken: 0, value: f.verdict === 'fails' ? -1 : f.verdict === 'holds' ? 1e6 : 2e6 };
  };

/** Looks for the lowest by differential evolution, then around it with a simplex. */
export async function lookFor(
  executor: Executor,
  bounds: Bounds,
  ask: (point: readonly number[]) => RunAsked,
  judge: Judge,
  start: readonly number[] | undefined,
  options: GoalOptions,
): Promise<GoalReport> {
  const known = new Map<string, Worth>();
  const outcomes = new Map<string, RunOutcome>();
  const problems = new Map<string, number>();
  let [runs, failed] = [0, 0];
  const evaluate: Evaluate = async (points) => {
    const wanted = points.filter(
      (p, k) => !known.has(p.join()) && points.findIndex((q) => q.join() === p.join()) === k,
    );
    const found = await executor.run(wanted.map(ask), { goOn: () => options.goOn?.(runs, options.runs) ?? true });
    found.forEach((o, k) => {
      runs++;
      if (o.status === 'failed') {
        failed++;
        problems.set(o.problem, (problems.get(o.problem) ?? 0) + 1);
      }
      const key = wanted[k].join();
      known.set(key, judge(o));
      outcomes.set(key, o);
    });
    const end = points.findIndex((p) => !known.has(p.join()));
    return (end < 0 ? points : points.slice(0, end)).map((p) => known.get(p.join())!);
  };
  const isLocal = options.method === 'local';
  const most = options.runs;
  const share = options.method === 'both' ? Math.max(8, Math.floor(0.7 * most)) : most;
  const methods: string[] = [];
  let best: Best | undefined;
  if (!isLocal) {
    methods.push('differential evolution (Storn and Price 1997)');
    best = await differentialEvolution(evaluate, bounds, {
      most: share,
      seed: options.seed,
      ...(start && { start }),
      tolerance: 1e-6,
    });
  }
  if (options.method !== 'global' && runs < most) {
    methods.push('simplex (Nelder and Mead 1965)');
    const from = best?.point ?? start ?? bounds.low.map((l, k) => (l + bounds.high[k]) / 2);
    const near = await nelderMead(evaluate, bounds, {
      most: most - (best?.evaluations ?? 0),
      start: from,
      size: best ? 0.05 : 0.2,
      tolerance: 1e-6,
    });
    if (near && best) {
      const before = best;
      const better = near.path.filter((p) => isBetter(p.worth, before.worth));
      best = {
        ...(isBetter(near.worth, before.worth) ? near : before),
        path: [...before.path, ...better.map((p) => ({ ...p, after: p.after + before.evaluations }))],
        evaluations: before.evaluations + near.evaluations,
      };
    } else best ??= near;
  }
  return {
    best,
    outcome: best && outcomes.get(best.point.join()),
    runs,
    failed,
    problems: [...problems].sort((a, b) => b[1] - a[1]).map(([why]) => why),
    methods,
  };
}

/** Values, then moments of messages, as one point. */
export function spaceOf(
  runner: Runner,
  over: readonly FreeRange[],
  messages: readonly FreeMessage[],
): {
  readonly bounds: Bounds;
  readonly ask: (point: readonly number[]) => RunAsked;
  readonly start: readonly number[] | undefined;
} {
  const bounds: Bounds = {
    low: [...over.map((o) => o.low), ...messages.map((m) => m.from)],
    high: [...over.map((o) => o.high), ...messages.map((m) => m.to)],
    isWhole: [...over.map((_, k) => runner.isWhole[k]), ...messages.map(() => false)],
  };
  const nominal = over.map((o, k) => runner.nominal[k] ?? (o.low + o.high) / 2);
  return {
    bounds,
    start: intoBounds([...nominal, ...messages.map((m) => (m.from + m.to) / 2)], bounds),
    ask: (point) => ({
      values: point.slice(0, over.length),
      messages: messages.map((m, k): SentMessage => ({
        target: m.target,
        time: point[over.length + k],
        ...(m.value !== undefined && { value: m.value }),
      })),
    }),
  };
}

/** A case that fails made as plain as it can be while it still fails: values back to what they are by design, then to fewer digits. */
export async function plainest(
  executor: Executor,
  point: readonly number[],
  plain: readonly (number | undefined)[],
  ask: (point: readonly number[]) => RunAsked,
  fails: (outcome: RunOutcome) => boolean,
): Promise<{ readonly point: readonly number[]; readonly outcome: RunOutcome | undefined; readonly runs: number }> {
  let now = [...point];
  let outcome: RunOutcome | undefined;
  let runs = 0;
  const tries = async (next: readonly number[]): Promise<boolean> => {
    const [found] = await executor.run([ask(next)]);
    runs++;
    if (!found || found.status === 'failed' || !fails(found)) return false;
    now = [...next];
    outcome = found;
    return true;
  };
  for (let k = 0; k < now.length; k++) {
    const own = plain[k];
    if (own !== undefined && own !== now[k]) await tries(now.map((x, j) => (j === k ? own : x)));
  }
  for (let k = 0; k < now.length; k++) {
    if (now[k] === plain[k]) continue;
    for (const digits of [1, 2, 3]) {
      const rounded = Number(now[k].toPrecision(digits));
      if (rounded === now[k] || (await tries(now.map((x, j) => (j === k ? rounded : x))))) break;
    }
  }
  return { point: now, outcome, runs };
}
