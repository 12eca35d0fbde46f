import { writeFileSync } from 'node:fs';
import { pointsOf, readVariation, type Correlation, type Drawing, type Variation } from '../core/studies/design';
import { inThisThread } from '../core/studies/many';
import { crossingsOf, sharesOf, tableOf } from '../core/studies/vary';
import { complain, print } from './output';
import { readSetup, runnerFor, runPoints, stoppedCode } from './study-project';

export interface VaryArguments {
  readonly setup?: string;
  readonly vary: readonly string[];
  readonly correlate: readonly string[];
  readonly tell: readonly string[];
  readonly runs?: number;
  readonly seed?: number;
  readonly drawing?: Drawing;
  readonly crossings?: boolean;
  readonly jobs?: number;
  readonly out?: string;
  readonly json?: boolean;
}

const usualRuns = 100;

/** `zelvar vary`: 0 there is a table of what came out, 2 nothing could be run. */
export async function vary(file: string, options: VaryArguments): Promise<number> {
  const stop = (message: string): number => {
    complain(`zelvar: ${message}`);
    return 2;
  };
  const variations: Variation[] = [];
  for (const text of options.vary) {
    const { value, problem } = readVariation(text);
    if (!value) return stop(problem!.message);
    variations.push(value);
  }
  const correlations: Correlation[] = [];
  for (const text of options.correlate) {
    const [, a, b, r] = /^\s*([^,=]+?)\s*,\s*([^,=]+?)\s*=\s*(.+)$/.exec(text) ?? [];
    if (a === undefined || !Number.isFinite(Number(r))) return stop(`${text} is no correlation: write a,b=0.8`);
    correlations.push({ a, b, r: Number(r) });
  }
  const design = {
    variations,
    runs: options.runs ?? usualRuns,
    seed: options.seed ?? 1,
    drawing: options.drawing ?? 'slices',
    correlations,
  };
  if (options.crossings === true && variations.length !== 1)
    return stop('--crossings: where verdicts change is looked for along one value');
  const { value: points, problem } = pointsOf(design);
  if (!points) return stop(problem!.message);
  const found = readSetup(file, options.setup);
  if (!found) return 2;
  const question = { ...found, over: variations.map((v) => v.name), aims: options.tell };
  const runner = runnerFor(question, options.json);
  if (!runner) return 2;
  const whole = variations.find((_, k) => runner.isWhole[k] && points.some((p) => !Number.isInteger(p[k])));
  if (whole) return stop(`${whole.name} takes whole numbers only`);
  const { outcomes, seconds, isStopped } = await runPoints(runner, question, points, options.jobs);
  const runs = outcomes.map((outcome, k) => ({ values: points[k], outcome }));
  if (options.out !== undefined)
    try {
      writeFileSync(options.out, tableOf(question, runner, runs));
    } catch (error) {
      return stop(`${options.out} cannot be written: ${error instanceof Error ? error.message : String(error)}`);
    }
  const crossings =
    options.crossings === true && !isStopped ? await crossingsOf(inThisThread(runner), runner, runs) : [];
  const shares = sharesOf(runner, runs);
  const failed = runs.filter((r) => r.outcome.status === 'failed');
  if (options.json)
    print(
      JSON.stringify(
        {
          setup: found.setup.name,
          over: question.over,
          units: runner.units,
          seed: design.seed,
          runs: runs.map(({ values, outcome }) => ({
            values: Object.fromEntries(question.over.map((name, k) => [name, values[k]])),
            status: outcome.status,
            problem: outcome.problem,
            requirements: Object.fromEntries(
              outcome.findings.map((f) => [f.key, { verdict: f.verdict, margin: f.margin ?? null, unit: f.unit }]),
            ),
            ...(question.aims.length > 0 && {
              told: Object.fromEntries(question.aims.map((text, k) => [text, outcome.aims[k] ?? null])),
            }),
          })),
          shares: shares.map((s) => ({ ...s, share: Number.isFinite(s.share) ? s.share : null })),
          failed: failed.length,
          ...(options.crossings === true && { crossings }),
          seconds,
        },
        null,
        1,
      ),
    );
  else {
    for (const s of shares) {
      const percent = (x: number): string => `${(100 * x).toFixed(1)} %`;
      const decided = s.holds + s.fails;
      print(
        decided === 0
          ? `${s.key.padEnd(8)} undecided in all runs`
          : `${s.key.padEnd(8)} holds in ${s.holds} of ${decided} (${percent(s.share)}, between ${percent(s.low)} and ${percent(s.high)})${s.undecided > 0 ? `, undecided in ${s.undecided}` : ''}`,
      );
    }
    for (const c of crossings)
      print(
        `${c.key} ${c.failsAt > c.holdsAt ? 'fails from' : 'holds from'} ${question.over[0]} = ${Number(Math.max(c.failsAt, c.holdsAt).toPrecision(6))} ${runner.units[0]} on`,
      );
    for (const [why, n] of countedBy(failed.map((r) => r.outcome.problem))) print(`${n} could not run: ${why}`);
    print(`${found.setup.name}: ${runs.length} runs in ${seconds.toFixed(1)} s`);
  }
  if (isStopped) return stoppedCode;
  return failed.length === runs.length ? 2 : 0;
}

function countedBy(all: readonly string[]): readonly (readonly [string, number])[] {
  const counts = new Map<string, number>();
  for (const x of all) counts.set(x, (counts.get(x) ?? 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1]).slice(0, 5);
}
