import { problem, type Problem } from '../language/diagnostics';
import type { Project, Setup, StimulusRow } from '../project/project';
import { createRun, isRunnable, prepareRun } from '../run';
import { valueAt, type Recording } from '../simulate/recording';
import type { Complex } from './complex';
import { linearReport } from './linear-report';
import { rateOf } from './poles';
import { atMoment, type Answer, type LoopQuestion } from './moment';

/**
 * The frequency response as it is measured on a bench: the input swings around what it is at the moment, with one frequency after the other, and of
 * what the output comes to the part of that frequency is taken (Fourier; Ljung 1999, section 6.2). Nothing is linear about it.
 */
export interface SweepQuestion extends LoopQuestion {
  /** By how much the input swings to either side, in its unit. */
  readonly amplitude: number;
  /** In rad/s. */
  readonly low: number;
  readonly high: number;
  readonly count: number;
}

export interface Sweep {
  readonly w: readonly number[];
  readonly response: readonly Complex[];
  /** How much of what moves has other frequencies: 0 for a linear model, as a share of the amplitude. */
  readonly rest: readonly number[];
  /** Whether the last two periods agree. */
  readonly settled: readonly boolean[];
}

const samples = 64;
const mostPeriods = 4000;
const mostRows = 2_000_000;

export function sweepOf(
  project: Project,
  question: SweepQuestion,
  tell: (share: number) => void = () => undefined,
): Answer<Sweep> {
  const none = (...problems: readonly Problem[]): Answer<Sweep> => ({ value: undefined, problems });
  const { from, to, amplitude, low, high, count } = question;
  if (!(amplitude > 0)) return none(problem('error', 'amplitude', 'The input has to swing: an amplitude above zero'));
  if (!(low > 0 && high > low))
    return none(problem('error', 'range', 'The frequencies go from one above zero to a higher one'));
  if (question.open !== undefined || from === to)
    return none(
      problem('error', 'no-input', 'A response is measured from an input to an output: leave the loop closed'),
    );
  const moment = atMoment(project, question);
  if (!moment.value) return none(...moment.problems);
  const { prepared, simulation, setup } = moment.value;
  const { value: r, problems } = linearReport(prepared.program, simulation, question);
  if (!r) return none(...problems);
  const { model } = prepared;
  const input = model.variables[model.indexOf.get(from)!];
  const unit = input.unit === '' || input.unit === '1' ? '' : ` '${input.unit}'`;
  const u0 = simulation.state.memory.v[model.indexOf.get(from)!];
  const begin = question.rest ? simulation.time : question.at;
  const before = courseOf(setup, from, unit, () => model.variables[model.indexOf.get(from)!].start);
  const slow = Math.max(
    0,
    ...r.poles
      .map((p) => rateOf(p, r.every))
      .flatMap((rate) => (rate > 1e-9 && Number.isFinite(rate) ? [1 / rate] : [])),
  );
  const offset = r.every === undefined ? 0 : simulation.machine.sampleTimes(0).start;
  const found: { w: number; response: Complex; rest: number; settled: boolean }[] = [];
  for (let k = 0; k < count; k++) {
    const wanted = low * (high / low) ** (count === 1 ? 0 : k / (count - 1));
    const ticks = r.every === undefined ? undefined : Math.max(3, Math.round((2 * Math.PI) / wanted / r.every));
    const period = ticks === undefined ? (2 * Math.PI) / wanted : ticks * r.every!;
    const w = (2 * Math.PI) / period;
    if (found.at(-1)?.w === w) continue;
    const settle = Math.max(2, Math.ceil((14 * slow) / period));
    if (settle > mostPeriods) {
      return none(
        problem(
          'error',
          'too-slow',
          `At ${Number(w.toPrecision(3))} rad/s it takes ${settle} periods until what is slow has died away: begin at a lower frequency, or end at one`,
        ),
      );
    }
    const every = period / (ticks ?? samples);
    // it begins on a row, or at a tick
    const start = offset + Math.ceil((begin - offset) / every - 1e-9) * every;
    const stop = start + (settle + 2) * period;
    if (stop / every > mostRows)
      return none(
        problem(
          'error',
          'too-late',
          'So late a moment would take too many rows: choose an earlier one, or lower frequencies',
        ),
      );
    const phase =
      ticks === undefined
        ? `(time - ${start} 's')`
        : `(${every} 's'*floor((time - ${start} 's')/(${every} 's') + 1e-6))`;
    const row: StimulusRow = {
      id: 'sweep',
      time: 0,
      kind: 'follow',
      target: from,
      value: `if time < ${begin} 's' then ${before} elseif time < ${start} 's' then ${u0}${unit} else ${u0}${unit} + ${amplitude}${unit}*sin(${w} 'rad/s'*${phase})`,
    };
    const stimulus = [
      ...setup.stimulus.filter((x) => !(x.target === from && x.kind !== 'send') && x.time <= begin),
      row,
    ];
    const run = measured(project, { ...setup, stimulus, stop, recordEvery: every, record: [to] });
    if (!('recording' in run)) return none(...run.problems);
    const part = (first: number): { Y: Complex; mean: number; size: number } =>
      fourier(run.recording, to, start + first * period, period, ticks ?? samples);
    const [last, one] = [part(settle + 1), part(settle)];
    const size = Math.hypot(...last.Y);
    const [re, im] = last.Y;
    found.push({
      w,
      // a sin(w t) is the real part of -i a e^(i w t)
      response: [-im / amplitude, re / amplitude],
      rest: size > 0 ? Math.sqrt(Math.max(0, 2 * last.size - size ** 2)) / size : 0,
      settled: Math.hypot(last.Y[0] - one.Y[0], last.Y[1] - one.Y[1]) <= 5e-3 * size,
    });
    tell((k + 1) / count);
  }
  return {
    value: {
      w: found.map((x) => x.w),
      response: found.map((x) => x.response),
      rest: found.map((x) => x.rest),
      settled: found.map((x) => x.settled),
    },
    problems: [],
  };
}

function measured(project: Project, setup: Setup): { recording: Recording } | { problems: readonly Problem[] } {
  const prepared = prepareRun(project, setup);
  if (!isRunnable(prepared)) return { problems: prepared.problems };
  const run = createRun(prepared);
  run.simulation.advance(Infinity);
  return run.simulation.problem ? { problems: [run.simulation.problem] } : { recording: run.recorder.take() };
}

/** What an input follows up to the moment, as a formula: what the setup sets or lets it follow, from its start value on. */
function courseOf(setup: Setup, target: string, unit: string, start: () => unknown): string {
  const rows = setup.stimulus.filter((x) => x.target === target && x.kind !== 'send');
  const follows = rows.find((x) => x.kind === 'follow');
  if (follows) return `(${follows.value})`;
  const first = start() as { readonly op?: string; readonly value?: number } | undefined;
  let text = `${first?.op === 'const' ? first.value : 0}${unit}`;
  for (const x of [...rows].sort((a, b) => a.time - b.time))
    text = `(if time < ${x.time} 's' then ${text} else ${x.value})`;
  return text;
}

/** Of one period the part of its frequency, as a complex amplitude, and the mean square around the mean. */
function fourier(
  recording: Recording,
  name: string,
  from: number,
  period: number,
  n: number,
): { Y: Complex; mean: number; size: number } {
  const column = recording.columns.find((c) => c.name === name)!;
  const y = Array.from(
    { length: n },
    (_, k) => valueAt(recording, column, from + (k * period) / n + 1e-9 * period) ?? NaN,
  );
  const mean = y.reduce((sum, x) => sum + x, 0) / n;
  let [re, im] = [0, 0];
  y.forEach((x, k) => {
    const angle = (2 * Math.PI * k) / n;
    re += (2 / n) * (x - mean) * Math.cos(angle);
    im -= (2 / n) * (x - mean) * Math.sin(angle);
  });
  return { Y: [re, im], mean, size: y.reduce((sum, x) => sum + (x - mean) ** 2, 0) / n };
}
