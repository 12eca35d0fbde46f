import type { Complex } from '../linear/complex';
import type { Box } from './box';
import { admitted, inputText, onto, type ProbeInput } from './input';
import { kindsOf, meanings } from './properties';
import { isSpent, quantityOf, short, type Asking, type Culprit, type PropertyAnswer } from './report';
import { isDying, polesAtStart } from './poles-at-start';

/** Whether bounded inputs give bounded outputs: by the poles where the box is linear, otherwise by whether the output goes on growing. */
export function boundedness(asking: Asking): PropertyAnswer {
  const { box, structure, space, effort } = asking;
  const { stop } = space;
  const poles =
    structure.isLinear && !structure.takesRate && structure.clock === 'none' && !structure.memory.includes('a delay')
      ? polesAtStart(box)
      : undefined;
  const tried = { inputs: 0, runs: 0, failed: 0, seed: space.seed };
  const base = {
    property: 'bounded' as const,
    meaning: meanings.bounded,
    counterexample: undefined,
    difference: 0,
    culprit: undefined,
  };
  if (poles && isDying(poles))
    return {
      ...base,
      holds: true,
      because:
        poles.length === 0
          ? 'it is a constant gain'
          : `it is linear, and all its poles lie left of zero: ${poles.map(pole).join(', ')} rad/s`,
      tried,
    };
  const at = 0.0837 * stop;
  const step = (by: number): ProbeInput => ({ steps: [{ at, by }], waves: [] });
  const sine = (w: number, amplitude: number): ProbeInput => ({
    steps: [],
    waves: [{ at, amplitude, w, rate: 0, slope: 0 }],
  });
  const square = (period: number, by: number): ProbeInput => ({
    steps: Array.from({ length: 40 }, (_, k) => ({
      at: at + (k * period) / 2,
      by: (k === 0 ? 1 : 2) * (k % 2 === 0 ? by : -by),
    })),
    waves: [],
  });
  const own = (poles ?? []).filter(([re, im]) => re > -1e-6 && im > 0).map(([, im]) => im);
  const sizes = space.sizes.slice(0, Math.max(2, Math.ceil(effort / 25)));
  const kinds = kindsOf(box);
  const alone = sizes.flatMap((a) => [
    step(a),
    ...own.map((w) => sine(w, a)),
    step(-a),
    ...space.frequencies.map((w) => sine(w, a)),
    // what may not jump would need too many rises
    ...(structure.takesRate ? [] : space.frequencies.slice(0, 3).map((w) => square((2 * Math.PI) / w, a))),
  ]);
  const inputs = everyWay(alone, kinds.length)
    .map((u) => admitted(u, kinds, stop))
    .filter((u) => u.steps.length + u.waves.length > 0);
  let most = 0;
  for (const input of inputs.slice(0, effort)) {
    if (isSpent(asking) || !asking.more(tried.inputs / inputs.length)) break;
    tried.inputs++;
    const peaks: number[] = [];
    let last: { time: Float64Array; y: Float64Array } | undefined;
    for (const times of [1, 2, 4]) {
      tried.runs++;
      const trace = box.run(input, { stop: times * stop, rows: 240 * times });
      const finite = trace.y.every(Number.isFinite);
      if (trace.problem && peaks.length === 0 && trace.y.length < 3) break;
      // from halfway on, so that what happens once at the start does not count
      const half = trace.time.findIndex((t) => t >= (times * stop) / 2);
      const peak = finite ? trace.y.slice(Math.max(0, half)).reduce((x, y) => Math.max(x, Math.abs(y)), 0) : Infinity;
      // what ends because a value goes beyond all bounds has none
      const before = Math.abs(trace.y[Math.floor(trace.y.length / 2)] ?? 0);
      const escapes = trace.problem !== undefined && Math.abs(trace.y.at(-1) ?? 0) > 1e3 * before;
      if (escapes && peaks.length === 0) peaks.push(before);
      peaks.push(escapes ? Infinity : peak);
      last = trace;
      if (trace.problem || !finite) break;
    }
    if (peaks.length < 3 && !peaks.includes(Infinity)) {
      tried.failed++;
      continue;
    }
    const [a, b, c] = [peaks[0], peaks[1] ?? Infinity, peaks[2] ?? Infinity];
    const growth = Math.min(b / a, c / b);
    most = Math.max(most, Number.isFinite(growth) ? growth : 0);
    // growing in proportion to the time, or faster, and not slowing down
    const grows = (x: number, y: number): boolean => y === Infinity || y / x > 1.6;
    if (!(a > 0) || !grows(a, b) || !grows(b, c)) continue;
    const end = last!.y.length - 1;
    return {
      ...base,
      holds: false,
      because: `for ${inputText(input, box.inputs)} the output goes on growing: up to ${short(a)} within ${short(stop)} s, ${short(b)} within ${short(2 * stop)} s, ${short(c)} within ${short(4 * stop)} s`,
      counterexample: {
        inputs: [{ label: 'the input', input, text: inputText(input, box.inputs), shift: 0 }],
        at: last!.time[end],
        leftText: 'output',
        rightText: 'nothing',
        left: last!.y[end],
        right: 0,
        traces: { time: [...last!.time], left: [...last!.y], right: [...last!.y].map(() => 0) },
      },
      difference: Number.isFinite(c / a) ? c / a : 1e300,
      culprit: blameGrowth(box, structure.memory, structure.equations, input, stop),
      tried,
    };
  }
  return {
    ...base,
    holds: 'not refuted',
    because: `for none of ${tried.inputs} inputs the output went on growing`,
    difference: most,
    tried,
  };
}

/** Of several inputs all at once first, then each alone. */
const everyWay = (all: readonly ProbeInput[], count: number): readonly ProbeInput[] =>
  count === 1
    ? all
    : all.flatMap((u) => {
        const each = Array.from({ length: count }, (_, of) => onto(u, of));
        return [{ steps: each.flatMap((x) => x.steps), waves: each.flatMap((x) => x.waves) }, ...each];
      });

const pole = ([re, im]: Complex): string =>
  im === 0 ? short(re) : `${short(re)} ${im < 0 ? '-' : '+'} ${short(Math.abs(im))}i`;

/** The first state that grows: what comes behind it only follows. */
function blameGrowth(
  box: Box,
  memory: readonly string[],
  equations: Asking['structure']['equations'],
  input: ProbeInput,
  stop: number,
): Culprit | undefined {
  const [short_, long] = [
    box.run(input, { stop, rows: 120, all: true }),
    box.run(input, { stop: 2 * stop, rows: 240, all: true }),
  ];
  const grows = (k: number): boolean => {
    const peak = (t: typeof long): number => t.all.reduce((a, v) => Math.max(a, Math.abs(v[k])), 0);
    return peak(long) > 1.6 * peak(short_);
  };
  const growing = memory.filter((n) => {
    const k = box.model.indexOf.get(n);
    return k !== undefined && grows(k);
  });
  // states that others rest on come last in the way back from the output
  const name = growing.at(-1);
  if (name === undefined) return undefined;
  const k = box.model.indexOf.get(name)!;
  const equation =
    equations.find((e) => e.left.op === 'der' && e.left.index === k) ??
    equations.find((e) => quantityOf(box, e) === name);
  return {
    quantity: name,
    equation: equation?.origin.text ?? name,
    place: equation?.origin.place ?? box.model.variables[k].place,
    part: equation?.origin.part ?? '',
    piece: name,
    without:
      growing.length === 1
        ? `${name} grows without end, and nothing else in it does`
        : `${growing.join(', ')} grow without end`,
  };
}
