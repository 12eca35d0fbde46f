import { writeFileSync } from 'node:fs';
import { pointsOf, readVariation, type Correlation, type Drawing, type Variation } from '../core/studies/design';
import { inThisThread } from '../core/studies/many';
import { failuresOf, marginOf, problemOf, toldOf, valuesOf, verdictOf, doneRows } from '../core/studies/run-table';
import { crossingsOf, csvOf, sharesOf } from '../core/studies/vary';
import { complain, print } from './output';
import { readSetup } from './read-project';
import { runnerFor, runTable, stoppedCode } from './study-project';

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
  const { table, seconds, isStopped } = await runTable(runner, question, points, options.jobs);
  if (options.out !== undefined)
    try {
      writeFileSync(options.out, csvOf(table));
    } catch (error) {
      return stop(`${options.out} cannot be written: ${error instanceof Error ? error.message : String(error)}`);
    }
  const crossings =
    options.crossings === true && !isStopped ? await crossingsOf(inThisThread(runner), runner, table) : [];
  const shares = sharesOf(table);
  const rows = doneRows(table);
  const failures = failuresOf(table);
  const failed = failures.reduce((n, [, count]) => n + count, 0);
  const finite = (x: number): number | null => (Number.isFinite(x) ? x : null);
  if (options.json)
    print(
      JSON.stringify(
        {
          setup: found.setup.name,
          over: question.over,
          units: runner.units,
          seed: design.seed,
          runs: rows.map((row) => ({
            values: Object.fromEntries(question.over.map((name, k) => [name, valuesOf(table, row)[k]])),
            status: table.status[row] === 2 ? 'failed' : 'finished',
            problem: problemOf(table, row),
            requirements: Object.fromEntries(
              table.requirements.map(({ key }, k) => [
                key,
                {
                  verdict: verdictOf(table, row, k),
                  margin: finite(marginOf(table, row, k)),
                  unit: table.marginUnits[k],
                },
              ]),
            ),
            ...(question.aims.length > 0 && {
              told: Object.fromEntries(question.aims.map((text, k) => [text, finite(toldOf(table, row, k))])),
            }),
          })),
          shares: shares.map(({ key, holds, fails, undecided, share, low, high }) => ({
            key,
            holds,
            fails,
            undecided,
            share: finite(share),
            low,
            high,
          })),
          failed,
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
    for (const [why, n] of failures.slice(0, 5)) print(`${n} could not run: ${why}`);
    print(`${found.setup.name}: ${rows.length} runs in ${seconds.toFixed(1)} s`);
  }
  if (isStopped) return stoppedCode;
  return failed === rows.length ? 2 : 0;
}
