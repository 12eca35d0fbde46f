import { bestOf } from '../core/studies/best';
import { breaksOf, type FoundCase } from '../core/studies/breaks';
import type { FreeMessage, Method } from '../core/studies/goal';
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
  const under = options.under
    ?.split(',')
    .map((k) => k.trim())
    .filter(Boolean);
  const runs = options.runs ?? usualRuns;
  const pool = await startPool(runner, question, options.jobs ?? usualJobs(), runs);
  const watch = progress('runs');
  const answer = await bestOf(
    runner,
    pool,
    {
      over,
      sense: word === 'min' ? 'low' : 'high',
      aim: own ?? 0,
      under,
      runs,
      seed: options.seed ?? 1,
      method: options.method ?? 'both',
    },
    (done, of) => watch.goOn(done, of),
  );
  pool.close();
  if (typeof answer === 'string') return stop(answer);
  const { value, unit, point, isAllowed, broken } = answer;
  const named = (of: readonly number[]): object => Object.fromEntries(over.map((o, k) => [o.name, of[k]]));
  if (options.json)
    print(
      JSON.stringify(
        {
          setup: found.setup.name,
          aim: options.aim,
          value,
          unit,
          values: named(point),
          units: Object.fromEntries(over.map((o, k) => [o.name, runner.units[k]])),
          allowed: isAllowed,
          broken,
          requirements: Object.fromEntries(
            answer.verdicts.map((f) => [f.key, { verdict: f.verdict, margin: f.margin ?? null, unit: f.unit }]),
          ),
          path: answer.path.map((p) => ({
            after: p.after,
            value: p.value,
            allowed: p.isAllowed,
            values: named(p.point),
          })),
          runs: answer.runs,
          failed: answer.failed,
          settled: answer.settled,
          methods: answer.methods,
        },
        null,
        1,
      ),
    );
  else {
    print(`${options.aim}: ${short(value)}${unit ? ` ${unit}` : ''}`);
    over.forEach((o, k) => print(`  ${o.name} = ${short(point[k])}${runner.units[k] ? ` ${runner.units[k]}` : ''}`));
    if (!isAllowed)
      print(`  nowhere among ${answer.runs} runs do all requirements hold; there ${broken.join(', ')} do not`);
    print(
      `${answer.runs} runs${answer.failed > 0 ? `, ${answer.failed} of them failed` : ''}; ${answer.methods.join(', then ')}${answer.settled ? '' : '; it might go on'}`,
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
  const runs = options.runs ?? usualRuns;
  const pool = await startPool(runner, question, options.jobs ?? usualJobs(), runs);
  const watch = progress('runs');
  const answer = await breaksOf(
    runner,
    pool,
    {
      requirement: options.requirement,
      over,
      messages,
      runs,
      seed: options.seed ?? 1,
      method: options.method ?? 'both',
    },
    (done, of) => watch.goOn(done, of),
  );
  pool.close();
  if (typeof answer === 'string') return stop(answer);
  const { isBroken, lowest, simplest } = answer;
  const { finding } = lowest;
  const named = ({ values, times }: FoundCase): object => ({
    values: Object.fromEntries(over.map((o, k) => [o.name, values[k]])),
    messages: messages.map((m, k) => ({
      message: m.target,
      ...(m.value !== undefined && { value: m.value }),
      at: times[k],
    })),
  });
  if (options.json)
    print(
      JSON.stringify(
        {
          setup: found.setup.name,
          requirement: options.requirement,
          verdict: finding.verdict,
          margin: finding.margin ?? null,
          unit: finding.unit,
          ...named(lowest),
          reason: finding.reason,
          worstAt: finding.worstAt ?? null,
          simplest: simplest && { ...named(simplest), margin: simplest.finding.margin ?? null },
          runs: answer.runs,
          failed: answer.failed,
          methods: answer.methods,
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
        : `${options.requirement} was not broken by ${answer.runs} runs; the lowest${margin || ` is ${finding.verdict}`} is at`,
    );
    const shown = simplest ?? lowest;
    over.forEach((o, k) =>
      print(`  ${o.name} = ${short(shown.values[k])}${runner.units[k] ? ` ${runner.units[k]}` : ''}`),
    );
    messages.forEach((m, k) =>
      print(`  ${m.target}${m.value === undefined ? '' : ` = ${m.value}`} at ${short(shown.times[k])} s`),
    );
    print(`${answer.runs} runs; ${answer.methods.join(', then ')}`);
  }
  return isBroken ? 1 : 0;
}
