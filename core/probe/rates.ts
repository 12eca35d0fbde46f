import { gently, inputText, onto, type ProbeInput } from './input';
import { kindsOf, meanings, type PropertyName } from './properties';
import { quantityOf, rows, short, tolerance, type Asking, type Culprit, type PropertyAnswer } from './report';
import { walk } from '../flatten/flat-expression';
import type { FlatEquation } from '../flatten/flat-model';

/**
 * Boxes that take the derivative of their input: nothing they are given may jump. What the output rests on at once, and how far it goes, is
 * seen from slopes that begin, rises that are quick, and sines that are faster and faster.
 */

type Refuted = Pick<Required<PropertyAnswer>, 'because' | 'counterexample' | 'difference'>;

const wave = (at: number, amplitude: number, w: number, slope = 0): ProbeInput => ({
  steps: [],
  waves: [{ at, amplitude, w, rate: 0, slope }],
});
const nothing: ProbeInput = { steps: [], waves: [] };

function refuted(property: PropertyName, asking: Asking, runs: number, found: Refuted): PropertyAnswer {
  return {
    property,
    holds: false,
    meaning: meanings[property],
    ...found,
    culprit: blameRate(asking),
    tried: { inputs: runs, runs: 2 * runs, failed: 0, seed: asking.space.seed },
  };
}

/** Inputs that may not jump, by their numbers. */
const smoothOnes = ({ box }: Asking): readonly number[] =>
  kindsOf(box).flatMap((kind, of) => (kind === 'smooth' ? [of] : []));

/** The same value with another slope gives another output: the slope is something of before. */
export function slopeRemembered(asking: Asking): PropertyAnswer | undefined {
  const { box, space } = asking;
  const { stop } = space;
  const every = stop / rows;
  const [begin, half] = [20, 50];
  let tried = 0;
  for (const a of space.sizes)
    for (const of of smoothOnes(asking)) {
      const input = onto(wave(begin * every, a, Math.PI / (half * every)), of);
      const [moving, resting] = [box.run(input, { stop, rows }), box.run(nothing, { stop, rows })];
      tried++;
      const row = begin + half;
      if (moving.y.length <= row || resting.y.length <= row) continue;
      const scale = moving.y.slice(0, row + 1).reduce((x, y) => Math.max(x, Math.abs(y)), Math.abs(resting.y[row]));
      const difference = Math.abs(moving.y[row] - resting.y[row]) / scale;
      if (!(difference > tolerance)) continue;
      return refuted('memoryless', asking, tried, {
        because: `at ${short(row * every)} s both inputs are zero, and the outputs ${short(moving.y[row])} and ${short(resting.y[row])}: the one input is just falling`,
        difference,
        counterexample: {
          inputs: [
            { label: 'an input that is falling there', input, text: inputText(input, box.inputs), shift: 0 },
            { label: 'one that rests', input: nothing, text: 'nothing', shift: 0 },
          ],
          at: row * every,
          leftText: 'output for the falling input',
          rightText: 'output for the resting one',
          left: moving.y[row],
          right: resting.y[row],
          traces: { time: [...moving.time], left: [...moving.y], right: [...resting.y] },
        },
      });
    }
  return undefined;
}

/** Whether the output jumps where a slope begins, or goes along with a rise however quick it is. */
export function slopePassed(asking: Asking): PropertyAnswer {
  const { box, space } = asking;
  const at = 0.0837 * space.stop;
  let [inputs, failed] = [0, 0];
  for (const a of space.sizes)
    for (const of of smoothOnes(asking)) {
      const slope = onto(wave(at, 0, 0, a), of);
      const window = { stop: at + 1e-6 * space.stop, rows: 8 };
      const [run, still] = [box.run(slope, window), box.run(nothing, window)];
      inputs++;
      if (run.problem || still.problem) {
        failed++;
        continue;
      }
      const jump = run.events.findLast((e) => Math.abs(e.time - at) < 1e-9 * Math.max(1, at));
      if (
        jump &&
        Math.abs(jump.after - jump.before) > tolerance * Math.max(Math.abs(jump.after), Math.abs(jump.before))
      )
        return refuted('causal', asking, inputs, {
          because: `at ${short(at)} s the input begins to rise by ${short(a)} per s, and the output jumps at the same moment from ${short(jump.before)} to ${short(jump.after)}`,
          difference: 1,
          counterexample: {
            inputs: [{ label: 'a slope that begins', input: slope, text: inputText(slope, box.inputs), shift: 0 }],
            at,
            leftText: 'output just after the slope has begun',
            rightText: 'output just before',
            left: jump.after,
            right: jump.before,
            traces: {
              time: [0, at, at],
              left: [jump.before, jump.before, jump.after],
              right: [jump.before, jump.before, jump.before],
            },
          },
        });
      // as much of a rise that is ten times as quick is no matter of time
      const changes = [1e-5, 1e-6].map((share) => {
        const within = share * space.stop;
        const rise = onto({ steps: [gently({ at, by: a, within }, space.stop)], waves: [] }, of);
        const options = { stop: at + within, rows: 60 };
        const [x, y] = [box.run(rise, options), box.run(nothing, options)];
        const change = (x.y.at(-1) ?? NaN) - (y.y.at(-1) ?? NaN);
        return { change, rise, left: x.y.at(-1) ?? NaN, right: y.y.at(-1) ?? NaN };
      });
      const [slow, quick] = changes;
      const size = Math.max(Math.abs(slow.change), Math.abs(quick.change));
      const isSame = Math.abs(slow.change - quick.change) < 0.05 * size;
      if (!(size > 1e-3 * Math.max(Math.abs(a) * 1e-3, Math.abs(quick.right))) || !isSame) continue;
      const end = at + 1e-6 * space.stop;
      return refuted('causal', asking, inputs, {
        because: `the input rises by ${short(a)} within ${short(1e-6 * space.stop)} s, and the output changes by ${short(quick.change)} meanwhile, as much as within ten times that time`,
        difference: size,
        counterexample: {
          inputs: [{ label: 'a quick rise', input: quick.rise, text: inputText(quick.rise, box.inputs), shift: 0 }],
          at: end,
          leftText: 'output after the rise',
          rightText: 'output without it',
          left: quick.left,
          right: quick.right,
          traces: {
            time: [0, at, end],
            left: [quick.right, quick.right, quick.left],
            right: [0, 1, 2].map(() => quick.right),
          },
        },
      });
    }
  return {
    property: 'causal',
    holds: 'not refuted',
    meaning: meanings.causal,
    because: `none of ${inputs} slopes and rises of the input showed at the same moment`,
    counterexample: undefined,
    difference: 0,
    culprit: undefined,
    tried: { inputs, runs: 6 * inputs, failed, seed: space.seed },
  };
}

/** Sines of one size that give more and more the faster they are. */
export function slopeUnbounded(asking: Asking): PropertyAnswer | undefined {
  const { box, space } = asking;
  let tried = 0;
  for (const a of space.sizes.slice(0, 4))
    for (const of of smoothOnes(asking)) {
      const w0 = Math.max(...space.frequencies, 2 * Math.PI);
      const speeds = [w0, 4 * w0, 16 * w0, 64 * w0];
      const runs = speeds.map((w) => {
        const at = 2 / w;
        const input = onto(wave(at, a, w), of);
        const trace = box.run(input, { stop: at + 20 / w, rows });
        return { w, input, trace, peak: trace.y.reduce((x, y) => Math.max(x, Math.abs(y)), 0) };
      });
      tried++;
      if (runs.some((r) => r.trace.problem !== undefined || !Number.isFinite(r.peak) || r.peak === 0)) continue;
      if (!runs.every((r, k) => k === 0 || r.peak > 1.6 * runs[k - 1].peak)) continue;
      const last = runs.at(-1)!;
      const row = last.trace.y.findIndex((y) => Math.abs(y) === last.peak);
      return refuted('bounded', asking, tried, {
        because: `for sines of ${short(a)} with ${speeds.map(short).join(', ')} rad/s the output goes up to ${runs.map((r) => short(r.peak)).join(', ')}: the faster, the more`,
        difference: last.peak / runs[0].peak,
        counterexample: {
          inputs: runs.map((r, k) => ({
            label: k === 0 ? 'a sine' : 'a faster one',
            input: r.input,
            text: inputText(r.input, box.inputs),
            shift: 0,
          })),
          at: last.trace.time[row],
          leftText: 'output for the fastest',
          rightText: 'nothing',
          left: last.trace.y[row],
          right: 0,
          traces: { time: [...last.trace.time], left: [...last.trace.y], right: [...last.trace.y].map(() => 0) },
        },
      });
    }
  return undefined;
}

/** The equation that takes the derivative of an input. */
function blameRate({ box }: Asking): Culprit | undefined {
  const driven = new Set(box.inputs.map((x) => x.index));
  const takes = (e: FlatEquation): boolean => {
    let found = false;
    for (const side of [e.left, e.right]) walk(side, (x) => void (found ||= x.op === 'der' && driven.has(x.index)));
    return found;
  };
  const equation = box.model.equations.find(takes);
  if (!equation) return undefined;
  const quantity = quantityOf(box, equation);
  return {
    quantity,
    equation: equation.origin.text,
    place: equation.origin.place,
    part: equation.origin.part,
    piece: 'der',
    without: `it takes the derivative of its input in ${quantity}`,
  };
}
