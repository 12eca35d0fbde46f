import {
  brokenBy,
  lookFor,
  lowestMargin,
  plainest,
  spaceOf,
  underRequirements,
  type FreeMessage,
  type Method,
} from '../core/studies/goal';
import type { RunOutcome } from '../core/studies/runner';
import { complain, print } from './output';
import { startPool, usualJobs } from './pool';
import { progress, readRanges, readSetup, runnerFor } from './study-project';

interface GoalArguments {
  readonly setup?: string;
  readonly over: readonly string[];
  readonly runs?: number;
  readonly seed?: number;
  readonly method?: Method;
  readonly jobs?: number;
  readonly json?: boolean;
}
export interface BestArguments extends GoalArguments {
  readonly aim: string;
  readonly under?: string;
}
export interface SearchArguments extends GoalArguments {
  readonly requirement: string;
  readonly message: readonly string[];
}

const usualRuns = 300;
const short = (x: number): string => String(Number(x.toPrecision(6)));
const stop = (message: string): number => {
  complain(`zelvar: ${message}`);
  return 2;
};
const verdictsOf = (o: RunOutcome | undefined): object =>
  Object.fromEntries(
    (o?.findings ?? []).map((f) => [f.key, { verdict: f.verdict, margin: f.margin ?? null, unit: f.unit }]),
  );

/** `zelvar best`: 0 the best under all requirements was found, 1 nowhere do they all hold, 2 it could not be asked. */
export async function best(file: string, options: BestArguments): Promise<number> {
  const [, word, formula] = /^\s*(min|max)\w*\s+(.+?)\s*$/s.exec(options.aim) ?? [];
  if (word === undefined)
    return stop(`${options.aim}: an aim is min or max with a formula, such as "min highest(current)"`);
  const over = readRanges(options.over);
  if (typeof over === 'string') return stop(over);
  if (over.length === 0) return stop('--over names what may change, such as --over ctrl.creepSpeed=6:14');
  const found = readSetup(file, options.setup);
  if (!found) return 2;
  const own = /^margin\(\s*([^()]+?)\s*\)$/.exec(formula)?.[1];
  const question = { ...found, over: over.map((o) => o.name), aims: own === undefined ? [formula] : [] };
  const runner = runnerFor(question, options.json);
  if (!runner) return 2;
  const keys = runner.requirements.map((r) => r.key);
  const under =
    options.under
      ?.split(',')
      .map((k) => k.trim())
      .filter(Boolean) ?? keys;
  const missing = [...under, ...(own === undefined ? [] : [own])].find((k) => !keys.includes(k));
  if (missing !== undefined) return stop(`There is no requirement ${missing}; there are ${keys.join(', ') || 'none'}`);
  const valueOf = (o: RunOutcome): number | undefined =>
    own === undefined ? o.aims[0] : o.findings.find((f) => f.key === own)?.margin;
  const runs = options.runs ?? usualRuns;
  const space = spaceOf(runner, over, []);
  // what the design decides has to be decided by the best as well
  const watched = new Set(under);
  const design = runner.run(space.ask(space.start ?? space.bounds.low));
  const decided = new Set(design.findings.flatMap((f) => (f.verdict === 'undecided' ? [] : [f.key])));
  const pool = await startPool(runner, question, options.jobs ?? usualJobs(), runs);
  const watch = progress('runs');
  const sign = word === 'min' ? 1 : -1;
  const report = await lookFor(
    pool,
    space.bounds,
    space.ask,
    underRequirements(sign, valueOf, watched, decided),
    space.start,
    {
      runs,
      seed: options.seed ?? 1,
      method: options.method ?? 'both',
      goOn: (done, of) => watch.goOn(done, of),
    },
  );
  pool.close();
  const { best: point, outcome } = report;
  if (!point || !outcome || !Number.isFinite(point.worth.value))
    return stop(`No run came to its end${report.problems[0] ? `: ${report.problems[0]}` : ''}`);
  const values = Object.fromEntries(over.map((o, k) => [o.name, point.point[k]]));
  const value = sign * point.worth.value;
  const isAllowed = point.worth.broken === 0;
  const unit = own === undefined ? runner.aimUnits[0] : (outcome.findings.find((f) => f.key === own)?.unit ?? '');
  const broken = brokenBy(outcome, watched, decided).map((f) => f.key);
  if (options.json)
    print(
      JSON.stringify(
        {
          setup: found.setup.name,
          aim: options.aim,
          value,
          unit,
          values,
          units: Object.fromEntries(over.map((o, k) => [o.name, runner.units[k]])),
          allowed: isAllowed,
          broken,
          requirements: verdictsOf(outcome),
          path: point.path.map((p) => ({
            after: p.after,
            value: sign * p.worth.value,
            allowed: p.worth.broken === 0,
            values: Object.fromEntries(over.map((o, k) => [o.name, p.point[k]])),
          })),
          runs: report.runs,
          failed: report.failed,
          settled: point.settled,
          methods: report.methods,
        },
        null,
        1,
      ),
    );
  else {
    print(`${options.aim}: ${short(value)}${unit ? ` ${unit}` : ''}`);
    over.forEach((o, k) =>
      print(`  ${o.name} = ${short(point.point[k])}${runner.units[k] ? ` ${runner.units[k]}` : ''}`),
    );
    if (!isAllowed)
      print(`  nowhere among ${report.runs} runs do all requirements hold; there ${broken.join(', ')} do not`);
    print(
      `${report.runs} runs${report.failed > 0 ? `, ${report.failed} of them failed` : ''}; ${report.methods.join(', then ')}${point.settled ? '' : '; it might go on'}`,
    );
  }
  return isAllowed ? 0 : 1;
}

/** `zelvar search`: 0 nothing was found that breaks it, 1 something was, 2 it could not be asked. */
export async function search(file: string, options: SearchArguments): Promise<number> {
  const over = readRanges(options.over);
  if (typeof over === 'string') return stop(over);
  const messages: FreeMessage[] = [];
  for (const text of options.message) {
    const [, target, value, a, b] = /^\s*([^@\s=]+)\s*(?:=\s*([^@]+?))?\s*@\s*([^:]+):([^:]+)$/.exec(text) ?? [];
    const [from, to] = [Number(a), Number(b)];
    if (target === undefined || !(from >= 0) || !(to > from))
      return stop(`${text} is no message with a span: write part.message@from:to, or quantity=value@from:to`);
    messages.push({ target, from, to, ...(value !== undefined && { value }) });
  }
  if (over.length + messages.length === 0) return stop('--over or --message says what may be different');
  const found = readSetup(file, options.setup);
  if (!found) return 2;
  const question = { ...found, over: over.map((o) => o.name), aims: [] };
  const runner = runnerFor(question, options.json);
  if (!runner) return 2;
  const keys = runner.requirements.map((r) => r.key);
  for (const m of messages) {
    const refusal = runner.refusalOf({ ...m, time: m.from });
    if (refusal !== undefined) return stop(refusal);
  }
  if (!keys.includes(options.requirement))
    return stop(`There is no requirement ${options.requirement}; there are ${keys.join(', ') || 'none'}`);
  const runs = options.runs ?? usualRuns;
  const pool = await startPool(runner, question, options.jobs ?? usualJobs(), runs);
  const space = spaceOf(runner, over, messages);
  const watch = progress('runs');
  const report = await lookFor(pool, space.bounds, space.ask, lowestMargin(options.requirement), space.start, {
    runs,
    seed: options.seed ?? 1,
    method: options.method ?? 'both',
    goOn: (done, of) => watch.goOn(done, of),
  });
  const findingOf = (o: RunOutcome | undefined) => o?.findings.find((f) => f.key === options.requirement);
  const { best: lowest, outcome } = report;
  if (!lowest || !outcome || !Number.isFinite(lowest.worth.value)) {
    pool.close();
    return stop(`No run came to its end${report.problems[0] ? `: ${report.problems[0]}` : ''}`);
  }
  const isBroken = findingOf(outcome)?.verdict === 'fails';
  const simple = isBroken
    ? await plainest(
        pool,
        lowest.point,
        [...over.map((_, k) => runner.nominal[k]), ...messages.map(() => undefined)],
        space.ask,
        (o) => findingOf(o)?.verdict === 'fails',
      )
    : undefined;
  pool.close();
  const finding = findingOf(outcome)!;
  const named = (point: readonly number[]): object => ({
    values: Object.fromEntries(over.map((o, k) => [o.name, point[k]])),
    messages: messages.map((m, k) => ({
      message: m.target,
      ...(m.value !== undefined && { value: m.value }),
      at: point[over.length + k],
    })),
  });
  const plain = simple?.outcome ? findingOf(simple.outcome) : undefined;
  if (options.json)
    print(
      JSON.stringify(
        {
          setup: found.setup.name,
          requirement: options.requirement,
          verdict: finding.verdict,
          margin: finding.margin ?? null,
          unit: finding.unit,
          ...named(lowest.point),
          reason: finding.reason,
          worstAt: finding.worstAt ?? null,
          simplest: simple && { ...named(simple.point), margin: (plain ?? finding).margin ?? null },
          runs: report.runs + (simple?.runs ?? 0),
          failed: report.failed,
          methods: report.methods,
        },
        null,
        1,
      ),
    );
  else {
    const margin =
      finding.margin === undefined
        ? ''
        : ` ${finding.margin < 0 ? 'by' : 'margin'} ${short(Math.abs(finding.margin))}${finding.unit ? ` ${finding.unit}` : ''}`;
    print(
      isBroken
        ? `${options.requirement} fails${margin}:`
        : `${options.requirement} was not broken by ${report.runs} runs; the lowest${margin || ` is ${finding.verdict}`} is at`,
    );
    const shown = simple?.point ?? lowest.point;
    over.forEach((o, k) => print(`  ${o.name} = ${short(shown[k])}${runner.units[k] ? ` ${runner.units[k]}` : ''}`));
    messages.forEach((m, k) =>
      print(`  ${m.target}${m.value === undefined ? '' : ` = ${m.value}`} at ${short(shown[over.length + k])} s`),
    );
    print(`${report.runs} runs; ${report.methods.join(', then ')}`);
  }
  return isBroken ? 1 : 0;
}
