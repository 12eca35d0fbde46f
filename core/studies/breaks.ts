import type { RequirementFinding } from '../verdicts/finding';
import { missingKey, type PathPoint } from './best';
import { lookFor, lowestMargin, plainest, spaceOf, type FreeMessage, type FreeRange, type Method } from './goal';
import type { Executor } from './many';
import type { Runner, RunOutcome } from './runner';

/** The values and moments at which the margin of a requirement is lowest; where it fails, made as plain as it can be. */
export interface BreaksQuestion {
  /** Its key. */
  readonly requirement: string;
  readonly over: readonly FreeRange[];
  readonly messages: readonly FreeMessage[];
  readonly runs: number;
  readonly seed: number;
  readonly method: Method;
}

/** One case: values, then moments of messages. */
export interface FoundCase {
  readonly values: readonly number[];
  readonly times: readonly number[];
  readonly finding: Pick<RequirementFinding, 'verdict' | 'margin' | 'unit' | 'reason' | 'worstAt' | 'failsSince'>;
}

export interface BreaksAnswer {
  readonly key: string;
  readonly over: readonly string[];
  readonly units: readonly string[];
  /** What is nothing special: values as designed. */
  readonly nominal: readonly (number | undefined)[];
  readonly ranges: readonly FreeRange[];
  readonly messages: readonly FreeMessage[];
  readonly isBroken: boolean;
  readonly lowest: FoundCase;
  readonly simplest: FoundCase | undefined;
  readonly path: readonly PathPoint[];
  readonly runs: number;
  readonly failed: number;
  readonly problems: readonly string[];
  readonly methods: readonly string[];
}

export async function breaksOf(
  runner: Runner,
  executor: Executor,
  { requirement, over, messages, runs, seed, method }: BreaksQuestion,
  goOn?: (done: number, of: number) => boolean,
): Promise<BreaksAnswer | string> {
  for (const m of messages) {
    const refusal = runner.refusalOf({ ...m, time: m.from });
    if (refusal !== undefined) return refusal;
  }
  const missing = missingKey(runner, [requirement]);
  if (missing !== undefined) return missing;
  const space = spaceOf(runner, over, messages);
  const report = await lookFor(executor, space.bounds, space.ask, lowestMargin(requirement), space.start, {
    runs,
    seed,
    method,
    ...(goOn && { goOn }),
  });
  const { best, outcome } = report;
  const findingOf = (o: RunOutcome): RequirementFinding | undefined => o.findings.find((f) => f.key === requirement);
  const lowest = outcome && findingOf(outcome);
  if (!best || !lowest || !Number.isFinite(best.worth.value))
    return `No run came to its end${report.problems[0] ? `: ${report.problems[0]}` : ''}`;
  const isBroken = lowest.verdict === 'fails';
  const nominal = over.map((_, k) => runner.nominal[k]);
  const plain = isBroken
    ? await plainest(
        executor,
        best.point,
        [...nominal, ...messages.map(() => undefined)],
        space.ask,
        (o) => findingOf(o)?.verdict === 'fails',
      )
    : undefined;
  const caseOf = (point: readonly number[], f: RequirementFinding): FoundCase => {
    const { verdict, margin, unit, reason, worstAt, failsSince } = f;
    return {
      values: point.slice(0, over.length),
      times: point.slice(over.length),
      finding: { verdict, margin, unit, reason, worstAt, failsSince },
    };
  };
  return {
    key: requirement,
    over: over.map((o) => o.name),
    units: runner.units,
    nominal,
    ranges: over,
    messages,
    isBroken,
    lowest: caseOf(best.point, lowest),
    // where nothing could be made plainer it is the case itself
    simplest: plain && caseOf(plain.point, (plain.outcome && findingOf(plain.outcome)) ?? lowest),
    path: best.path.map((p) => ({ after: p.after, point: p.point, value: p.worth.value, isAllowed: true })),
    runs: report.runs + (plain?.runs ?? 0),
    failed: report.failed,
    problems: report.problems,
    methods: report.methods,
  };
}
