import { problem, type Problem } from '../language/diagnostics';

/** Seconds of work after which the rest can be judged, and a rest that nobody waits for without having been told. */
const judgedAfter = 3;
const longRest = 3600;

const spans: readonly (readonly [seconds: number, word: string])[] = [
  [365.25 * 86_400, 'year'],
  [86_400, 'day'],
  [3600, 'hour'],
];

/** `11 days`; undefined where there is no telling. */
function spanWords(seconds: number): string {
  if (!(seconds < 1e12)) return 'longer than anybody would wait';
  const [size, word] = spans.find(([s]) => seconds >= 2 * s) ?? spans.at(-1)!;
  const count = Math.round(seconds / size);
  return `another ${count.toLocaleString('en-GB')} ${word}${count === 1 ? '' : 's'}`;
}

/** A word on a run that goes on as fast as it can, and would go on for very long. `work` are the seconds it has computed so far. */
export function slowRun(time: number, stop: number, work: number): Problem | undefined {
  if (work < judgedAfter) return undefined;
  const rest = ((stop - time) / time) * work;
  if (rest < longRest) return undefined;
  return problem(
    'warning',
    'slow-run',
    `At this rate the run goes on for ${spanWords(rest)}: it has come to ${Number(time.toPrecision(3))} s of ${stop} s. Something in it may happen more often, or be computed in finer steps, than it was meant to`,
  );
}
