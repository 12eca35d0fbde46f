import { borderOf, type Worths } from './border';
import { brokenBy, decidedBy, howBroken, spaceOf } from './goal';
import type { Executor } from './many';
import type { Runner, RunOutcome } from './runner';
import type { AimOf, StudyQuestion } from './study';

/** Two aims of a study: what can be had of both under the requirements. */
export interface BorderAnswer {
  readonly over: readonly string[];
  readonly units: readonly string[];
  readonly aims: readonly { readonly formula: string; readonly sense: 'low' | 'high'; readonly unit: string }[];
  readonly points: readonly {
    readonly point: readonly number[];
    readonly aims: readonly number[];
    readonly isAllowed: boolean;
    readonly broken: readonly string[];
  }[];
  readonly design: { readonly point: readonly number[]; readonly aims: readonly (number | undefined)[] };
  readonly runs: number;
  readonly failed: number;
}

/** Two aims: the border of what can be had under the requirements. */
export async function borderOfStudy(
  question: Extract<StudyQuestion, { kind: 'best' }>,
  runner: Runner,
  executor: Executor,
  goOn: (done: number, of: number) => boolean,
): Promise<BorderAnswer | string> {
  const space = spaceOf(runner, question.over, []);
  const read = (of: AimOf, o: RunOutcome): number | undefined =>
    typeof of === 'number' ? o.aims[of] : o.findings.find((f) => f.key === of)?.margin;
  const keys = new Set(runner.requirements.map((r) => r.key));
  const missing = question.aims.find((a) => typeof a.of === 'string' && !keys.has(a.of));
  if (missing) return `There is no requirement ${missing.of}; there are ${[...keys].join(', ') || 'none'}`;
  const start = space.start ?? space.bounds.low;
  const design = runner.run(space.ask(start));
  const decided = decidedBy(design);
  const outcomes = new Map<string, RunOutcome>();
  let [runs, failed] = [0, 0];
  const worthOf = (o: RunOutcome): Worths => {
    const values = question.aims.map((a) => read(a.of, o));
    if (o.status === 'failed' || values.some((x) => x === undefined || !Number.isFinite(x)))
      return { broken: 1e30, aims: question.aims.map(() => Infinity) };
    return {
      broken: howBroken(o, keys, decided),
      aims: values.map((x, k) => (question.aims[k].sense === 'low' ? x! : -x!)),
    };
  };
  const found = await borderOf(
    async (points) => {
      const done = await executor.run(points.map(space.ask), { goOn: () => goOn(runs, question.runs) });
      return done.map((o, k) => {
        runs++;
        if (o.status === 'failed') failed++;
        outcomes.set(points[k].join(), o);
        return worthOf(o);
      });
    },
    space.bounds,
    { most: question.runs, seed: question.seed, start },
  );
  const points = found.points.filter((p) => p.worth.broken < 1e30);
  if (points.length === 0) return 'No run came to its end';
  const unitOf = (of: AimOf): string =>
    typeof of === 'number'
      ? runner.aimUnits[of]
      : ([...outcomes.values()].map((o) => o.findings.find((f) => f.key === of)?.unit).find(Boolean) ?? '');
  return {
    over: question.over.map((o) => o.name),
    units: runner.units,
    aims: question.aims.map(({ formula, sense, of }) => ({ formula, sense, unit: unitOf(of) })),
    points: points.map(({ point, worth }) => ({
      point,
      aims: worth.aims.map((x, k) => (question.aims[k].sense === 'low' ? x : -x)),
      isAllowed: worth.broken === 0,
      broken: brokenBy(outcomes.get(point.join())!, keys, decided).map((f) => f.key),
    })),
    design: { point: start, aims: question.aims.map((a) => read(a.of, design)) },
    runs,
    failed,
  };
}
