import { readSpan } from '../core/studies/design';
import type { FreeRange } from '../core/studies/goal';
import { doneRows, type RunTable } from '../core/studies/run-table';
import { createRunner, type Runner, type RunnerQuestion } from '../core/studies/runner';
import { varied } from '../core/studies/vary';
import { compiledHere } from './compiled';
import { stopWith } from './model-text';
import { complain } from './output';
import { startPool, usualJobs } from './pool';
import { projectTexts } from './read-project';

/** What runs the setup, or the problems told. */
export function runnerFor(question: RunnerQuestion, json: boolean | undefined): Runner | undefined {
  const { value, problems } = createRunner(question, compiledHere);
  if (!value) stopWith(problems, projectTexts(question.project), json);
  return value;
}

/** Names with a range each, `path=low:high`. */
export function readRanges(texts: readonly string[]): readonly FreeRange[] | string {
  const ranges: FreeRange[] = [];
  for (const text of texts) {
    const [, name, span] = /^\s*([^=]+?)\s*=(.*)$/s.exec(text) ?? [];
    const read = name === undefined ? '' : readSpan(span);
    if (read === '' || read === 'this is no range: write low:high, such as 8:14')
      return `${text} is no range: write path=low:high`;
    if (typeof read === 'string') return `${text}: ${read}`;
    if (ranges.some((r) => r.name === name)) return `${name} has two ranges`;
    ranges.push({ name, ...read });
  }
  return ranges;
}

/** Runs at all points, spread over processes, until the end or until somebody stops it. */
export async function runTable(
  runner: Runner,
  question: RunnerQuestion,
  points: readonly (readonly number[])[],
  jobs: number | undefined,
): Promise<{ readonly table: RunTable; readonly seconds: number; readonly isStopped: boolean }> {
  const pool = await startPool(runner, question, jobs ?? usualJobs(), points.length);
  const watch = progress('runs');
  const begin = performance.now();
  const table = await varied(runner, pool, question, points, { goOn: (done, of) => watch.goOn(done, of) });
  const seconds = (performance.now() - begin) / 1000;
  pool.close();
  watch.close();
  if (watch.isStopped) complain(`zelvar: stopped after ${doneRows(table).length} of ${points.length} runs`);
  return { table, seconds, isStopped: watch.isStopped };
}

/** Exit code where somebody has stopped it. */
export const stoppedCode = 130;

export interface Progress {
  goOn(done: number, of: number): boolean;
  readonly isStopped: boolean;
  close(): void;
}

/** How far it is, on a terminal that somebody looks at, and how long it will take where that is long; Ctrl+C keeps what is there. */
export function progress(what: string, canStop = true): Progress {
  const begin = performance.now();
  let told = begin;
  let isStopped = false;
  let isWarned = false;
  const stop = (): void => {
    isStopped = true;
    complain('zelvar: stopping; what is there is kept');
  };
  if (canStop) process.once('SIGINT', stop);
  return {
    get isStopped() {
      return isStopped;
    },
    goOn(done, of) {
      const now = performance.now();
      const left = done === 0 ? 0 : ((now - begin) / done) * (of - done);
      if (!isWarned && now - begin > 3000 && done > 0) {
        isWarned = true;
        if (left > 300_000)
          complain(
            `zelvar: ${of.toLocaleString('en-GB')} ${what} will take about ${inWords(left / 1000)}; Ctrl+C ${canStop ? 'keeps what is there' : 'ends it'}`,
          );
      }
      if (process.stderr.isTTY && now - told > 200) {
        told = now;
        process.stderr.write(`\r${what}: ${done} of ${of}${done === 0 ? '' : `, ${inWords(left / 1000)} left`}   `);
      }
      return !isStopped;
    },
    close: () => void process.off('SIGINT', stop),
  };
}

const inWords = (seconds: number): string =>
  seconds < 120
    ? `${Math.ceil(seconds)} s`
    : seconds < 7200
      ? `${Math.round(seconds / 60)} min`
      : seconds < 172_800
        ? `${Math.round(seconds / 3600)} h`
        : `${Math.round(seconds / 86_400)} days`;
