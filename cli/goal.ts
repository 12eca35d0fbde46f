import { bestOf } from '../core/studies/best';
import { breaksOf, type FoundCase } from '../core/studies/breaks';
import { borderOfStudy } from '../core/studies/answer-border';
import type { FreeMessage, FreeRange, Method } from '../core/studies/goal';
import type { Runner, RunnerQuestion } from '../core/studies/runner';
import type { StudyQuestion } from '../core/studies/study';
import { complain, print } from './output';
import { startPool, usualJobs } from './pool';
import { readSetup } from './read-project';
import { progress, readRanges, runnerFor } from './study-project';

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
  readonly aim: readonly string[];
  readonly under?: string;
}
export interface SearchArguments extends GoalArguments {
  readonly requirement: string;
  readonly message: readonly string[];
}

type Aim = Extract<StudyQuestion, { kind: 'best' }>['aims'][number];

const usualRuns = 300;
const short = (x: number): string => String(Number(x.toPrecision(6)));
const stop = (message: string): number => {
  complain(`zelvar: ${message}`);
  return 2;
};
/** `zelvar best`: 0 the best under all requirements was found, 1 nowhere do they all hold, 2 it could not be asked. */
export async function best(file: string, options: BestArguments): Promise<number> {
  const aims: Aim[] = [];
  for (const text of options.aim) {
    const [, word, formula] = /^\s*(min|max)\w*\s+(.+?)\s*$/s.exec(text) ?? [];
    if (word === undefined) return stop(`${text}: an aim is min or max with a formula, such as "min highest(current)"`);
    const key = /^margin\(\s*([^()]+?)\s*\)$/.exec(formula)?.[1];
    const of = key ?? aims.filter((a) => typeof a.of === 'number').length;
    aims.push({ sense: word === 'min' ? 'low' : 'high', formula, of });
  }
  if (aims.length === 0)
    return stop('--aim says what is to be least or greatest, such as --aim "min highest(current)"');
  if (aims.length > 2) return stop('One aim, or two for the border of what can be had; there are more');
  if (aims.length === 2 && options.under !== undefined)
    return stop('With two aims all requirements have to hold: leave --under away');
  const over = readRanges(options.over);
  if (typeof over === 'string') return stop(over);
  if (over.length === 0) return stop('--over names what may change, such as --over ctrl.creepSpeed=6:14');
  const found = readSetup(file, options.setup);
  if (!found) return 2;
  const formulas = aims.flatMap((a) => (typeof a.of === 'number' ? [a.formula] : []));
  const question = { ...found, over: over.map((o) => o.name), aims: formulas };
  const runner = runnerFor(question, options.json);
  if (!runner) return 2;
  if (aims.length === 2) return border(options, found.setup.name, over, aims, question, runner);
  const [aim] = aims;
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
      sense: aim.sense,
      aim: aim.of,
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
          aim: options.aim[0],
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
    print(`${options.aim[0]}: ${short(value)}${unit ? ` ${unit}` : ''}`);
    over.forEach((o, k) => print(`  ${o.name} = ${short(point[k])}${runner.units[k] ? ` ${runner.units[k]}` : ''}`));
    if (!isAllowed)
      print(`  nowhere among ${answer.runs} runs do all requirements hold; there ${broken.join(', ')} do not`);
    print(
      `${answer.runs} runs${answer.failed > 0 ? `, ${answer.failed} of them failed` : ''}; ${answer.methods.join(', then ')}${answer.settled ? '' : '; it might go on'}`,
    );
  }
  return isAllowed ? 0 : 1;
}

/** Two aims: 0 there are points at which all requirements hold, 1 there are none. */
async function border(
  options: BestArguments,
  setup: string,
  over: readonly FreeRange[],
  aims: readonly Aim[],
  question: RunnerQuestion,
  runner: Runner,
): Promise<number> {
  const runs = options.runs ?? usualRuns;
  const pool = await startPool(runner, question, options.jobs ?? usualJobs(), runs);
  const watch = progress('runs');
  const asked = { kind: 'best' as const, over, aims, runs, seed: options.seed ?? 1, method: 'global' as const };
  const answer = await borderOfStudy(asked, runner, pool, (done) => watch.goOn(done, runs));
  pool.close();
  if (typeof answer === 'string') return stop(answer);
  const { points, design, failed } = answer;
  const named = (of: readonly number[]): object => Object.fromEntries(over.map((o, k) => [o.name, of[k]]));
  const found = points.some((p) => p.isAllowed);
  if (options.json)
    print(
      JSON.stringify(
        {
          setup,
          aims: answer.aims.map((a, k) => ({ aim: options.aim[k], unit: a.unit })),
          units: Object.fromEntries(over.map((o, k) => [o.name, runner.units[k]])),
          border: points.map((p) => ({
            values: named(p.point),
            aims: p.aims,
            allowed: p.isAllowed,
            broken: p.broken,
          })),
          design: { values: named(design.point), aims: design.aims.map((x) => x ?? null) },
          runs: answer.runs,
          failed,
        },
        null,
        1,
      ),
    );
  else {
    print([...options.aim, ...over.map((o) => o.name)].join('   '));
    for (const p of points) print([...p.aims, ...p.point].map(short).join('   '));
    if (!found) print(`nowhere among ${answer.runs} runs do all requirements hold`);
    print(`${points.length} points of ${answer.runs} runs${failed > 0 ? `, ${failed} of them failed` : ''}`);
  }
  return found ? 0 : 1;
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
