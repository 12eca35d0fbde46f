import { mattersOf, mattersRuns } from '../core/studies/matters';
import { complain, print } from './output';
import { startPool, usualJobs } from './pool';
import { readSetup } from './read-project';
import { progress, readRanges, runnerFor } from './study-project';

export interface MattersArguments {
  readonly setup?: string;
  readonly over: readonly string[];
  readonly tell: readonly string[];
  readonly runs?: number;
  readonly jobs?: number;
  readonly json?: boolean;
}

const usualRuns = 600;

/** `zelvar matters`: 0 there is a table of what matters, 2 it could not be asked. */
export async function matters(file: string, options: MattersArguments): Promise<number> {
  const stop = (message: string): number => {
    complain(`zelvar: ${message}`);
    return 2;
  };
  const over = readRanges(options.over);
  if (typeof over === 'string') return stop(over);
  if (over.length === 0) return stop('--over names the values in question, such as --over ctrl.creepSpeed=8:14');
  const found = readSetup(file, options.setup);
  if (!found) return 2;
  const question = { ...found, over: over.map((o) => o.name), aims: options.tell };
  const runner = runnerFor(question, options.json);
  if (!runner) return 2;
  const runs = options.runs ?? usualRuns;
  const pool = await startPool(runner, question, options.jobs ?? usualJobs(), mattersRuns(runs, over.length));
  const watch = progress('runs');
  const answer = await mattersOf(
    runner,
    pool,
    { over, aims: options.tell, runs },
    { goOn: (done, of) => watch.goOn(done, of) },
  );
  pool.close();
  watch.close();
  if (typeof answer === 'string') return stop(answer);
  const { results: told } = answer;
  if (options.json)
    print(
      JSON.stringify({ setup: found.setup.name, runs: answer.runs, results: told }, (_, x: unknown) => x ?? null, 1),
    );
  else {
    for (const r of told) {
      print(
        `${r.name}: varies by ${Number(r.deviation.toPrecision(3))}${r.unit ? ` ${r.unit}` : ''}${r.leftOut > 0 ? ` (${r.leftOut} of ${r.used + r.leftOut} points have none)` : ''}`,
      );
      for (const v of [...r.values].sort((a, b) => b.total - a.total))
        print(
          `  ${v.name.padEnd(24)} alone ${(100 * v.first).toFixed(0).padStart(3)} % (${(100 * v.firstError).toFixed(0)}), in all ${(100 * v.total).toFixed(0).padStart(3)} % (${(100 * v.totalError).toFixed(0)})${v.slope === undefined ? '' : `, ${Number(v.slope.toPrecision(3))} per unit at the design`}`,
        );
    }
    print(`${answer.runs} runs`);
  }
  return 0;
}
