import { indicesOf, mattersPoints, mostMattering, slopesAt } from '../core/studies/matters';
import { inThisThread } from '../core/studies/many';
import type { RunOutcome } from '../core/studies/runner';
import { complain, print } from './output';
import { readRanges, readSetup, runnerFor, runPoints } from './study-project';

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
  if (over.length > mostMattering) return stop(`At most ${mostMattering} values can be told apart at once`);
  const found = readSetup(file, options.setup);
  if (!found) return 2;
  const question = { ...found, over: over.map((o) => o.name), aims: options.tell };
  const runner = runnerFor(question, options.json);
  if (!runner) return 2;
  const whole = over.find((_, k) => runner.isWhole[k]);
  if (whole) return stop(`${whole.name} takes whole numbers: it has no share over a range`);
  const base = Math.max(8, Math.floor((options.runs ?? usualRuns) / (over.length + 2)));
  const points = mattersPoints(over, base);
  const { outcomes } = await runPoints(runner, question, points, options.jobs);
  const results: { name: string; unit: string; of: (o: RunOutcome) => number | undefined }[] = [
    ...runner.requirements.map(({ key }) => ({
      name: key,
      unit: outcomes.map((o) => o.findings.find((f) => f.key === key)?.unit).find((u) => u !== undefined) ?? '',
      of: (o: RunOutcome) => o.findings.find((f) => f.key === key)?.margin,
    })),
    ...options.tell.map((text, k) => ({ name: text, unit: runner.aimUnits[k], of: (o: RunOutcome) => o.aims[k] })),
  ];
  const slopes = await slopesAt(
    inThisThread(runner),
    runner,
    over,
    results.map((r) => r.of),
  );
  const told = [];
  for (const [j, { name, unit, of }] of results.entries()) {
    const values = outcomes.map((o) => (o.status === 'finished' ? of(o) : undefined));
    const { values: indices, variance, used, leftOut } = indicesOf(over, values);
    // a margin that no run has, or that is the same in all, has no shares
    if (used < 8 || !(variance > 0)) continue;
    told.push({
      name,
      unit,
      deviation: Math.sqrt(variance),
      used,
      leftOut,
      values: indices.map((v, k) => ({ ...v, slope: slopes[j][k] ?? null })),
    });
  }
  if (told.length === 0) return stop('No margin and no formula changes with these values');
  if (options.json) print(JSON.stringify({ setup: found.setup.name, runs: outcomes.length, results: told }, null, 1));
  else {
    for (const r of told) {
      print(
        `${r.name}: varies by ${Number(r.deviation.toPrecision(3))}${r.unit ? ` ${r.unit}` : ''}${r.leftOut > 0 ? ` (${r.leftOut} of ${r.used + r.leftOut} points have none)` : ''}`,
      );
      for (const v of [...r.values].sort((a, b) => b.total - a.total))
        print(
          `  ${v.name.padEnd(24)} alone ${(100 * v.first).toFixed(0).padStart(3)} % (${(100 * v.firstError).toFixed(0)}), in all ${(100 * v.total).toFixed(0).padStart(3)} % (${(100 * v.totalError).toFixed(0)})${v.slope === null ? '' : `, ${Number(v.slope.toPrecision(3))} per unit at the design`}`,
        );
    }
    print(`${outcomes.length} runs`);
  }
  return 0;
}
