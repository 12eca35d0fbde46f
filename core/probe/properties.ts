import type { Box, Trace } from './box';
import { added, admitted, scaled, type InputKind, type ProbeInput } from './input';

/** What theory assumes of boxes, each as two sides that are the same for every input where it holds. */

export const propertyNames = [
  'homogeneous',
  'additive',
  'timeInvariant',
  'memoryless',
  'causal',
  'bounded',
  'odd',
  'monotone',
] as const;
export type PropertyName = (typeof propertyNames)[number];

export const meanings: Readonly<Record<PropertyName, string>> = {
  homogeneous: 'k times the input gives k times the output',
  additive: 'two inputs together give the sum of what each gives alone',
  timeInvariant: 'it does the same whenever it is started',
  memoryless: 'the output rests on the input of the same moment only',
  causal: 'the output does not rest on the input of the same moment (no algebraic passage)',
  bounded: 'inputs that stay within bounds give outputs that do',
  odd: 'the opposite input gives the opposite output',
  monotone: 'an input that is never smaller gives an output that is never smaller (or never greater)',
};

/** One try: what a box is driven with. */
export interface Trial {
  readonly u: ProbeInput;
  /** The other input, of what is added. */
  readonly v: ProbeInput;
  readonly k: number;
  readonly shift: number;
  /** From `begin` to `end` the input of the one side is greater by `by`. */
  readonly bump: {
    readonly begin: number;
    readonly end: number;
    readonly by: number;
    /** How long each of its sides takes, where the input may not jump. */
    readonly within?: number;
    /** Which of several inputs. */
    readonly of?: number;
  };
}

export interface RunAs {
  readonly input: ProbeInput;
  readonly shift?: number;
  readonly label: string;
}

/** How the two sides of a property are made of runs. */
export interface Sides {
  runs(t: Trial): readonly RunAs[];
  left(traces: readonly Trace[], k: number): Float64Array;
  right(traces: readonly Trace[], k: number): Float64Array;
  /** From which time on they are compared. */
  from(t: Trial): number;
  readonly leftText: (t: Trial) => string;
  readonly rightText: (t: Trial) => string;
}

const output = (traces: readonly Trace[], k: number): Float64Array => traces[k].y;
const atOnce = (): number => -1;
const withBump = ({ u, bump: { begin, end, by, within, of } }: Trial): ProbeInput => {
  const more = { ...(within !== undefined && { within }), ...(of !== undefined && { of }) };
  return added(u, {
    steps: [
      { at: begin, by, ...more },
      { at: end, by: -by, ...more },
    ],
    waves: [],
  });
};
const short = (x: number): string => String(Number(x.toPrecision(4)));

export const sidesOf: Readonly<Partial<Record<PropertyName, Sides>>> = {
  homogeneous: {
    runs: ({ u, k }) => [
      { input: scaled(u, k), label: `${short(k)} times the input` },
      { input: u, label: 'the input' },
    ],
    left: (x) => output(x, 0),
    right: (x, k) => output(x, 1).map((y) => k * y),
    from: atOnce,
    leftText: ({ k }) => `output for ${short(k)} times the input`,
    rightText: ({ k }) => `${short(k)} times the output`,
  },
  additive: {
    runs: ({ u, v }) => [
      { input: added(u, v), label: 'both together' },
      { input: u, label: 'the first alone' },
      { input: v, label: 'the second alone' },
    ],
    left: (x) => output(x, 0),
    right: (x) => output(x, 1).map((y, j) => y + x[2].y[j]),
    from: atOnce,
    leftText: () => 'output for both together',
    rightText: () => 'sum of the outputs for each alone',
  },
  odd: {
    runs: ({ u }) => [
      { input: scaled(u, -1), label: 'the opposite input' },
      { input: u, label: 'the input' },
    ],
    left: (x) => output(x, 0),
    right: (x) => output(x, 1).map((y) => -y),
    from: atOnce,
    leftText: () => 'output for the opposite input',
    rightText: () => 'opposite of the output',
  },
  timeInvariant: {
    runs: ({ u, shift }) => [
      { input: u, shift, label: `started ${short(shift)} s later` },
      { input: u, label: 'started at once' },
    ],
    left: (x) => output(x, 0),
    right: (x) => output(x, 1),
    from: atOnce,
    leftText: ({ shift }) => `output where it is started ${short(shift)} s later`,
    rightText: () => 'output where it is started at once',
  },
  memoryless: {
    runs: (t) => [
      { input: withBump(t), label: 'with another past' },
      { input: t.u, label: 'the input' },
    ],
    left: (x) => output(x, 0),
    right: (x) => output(x, 1),
    from: ({ bump }) => bump.end + (bump.within ?? 0),
    leftText: ({ bump }) => `output where the input was greater by ${short(bump.by)} until ${short(bump.end)} s`,
    rightText: () => 'output without that past',
  },
  monotone: {
    runs: (t) => [
      { input: withBump(t), label: 'the greater input' },
      { input: t.u, label: 'the input' },
    ],
    left: (x) => output(x, 0),
    right: (x) => output(x, 1),
    from: atOnce,
    leftText: ({ bump }) =>
      `output where the input is greater by ${short(bump.by)} from ${short(bump.begin)} to ${short(bump.end)} s`,
    rightText: () => 'output for the input',
  },
};

export const kindsOf = (box: Box): readonly InputKind[] => box.inputs.map((x) => x.kind);

export interface Compared {
  /** Relative to the larger side; the largest that lasts. */
  readonly difference: number;
  readonly row: number;
  /** How much the left side is above, and below, the right one, relatively. */
  readonly above: number;
  readonly below: number;
  readonly aboveRow: number;
  readonly belowRow: number;
  readonly scale: number;
  readonly time: Float64Array;
  readonly left: Float64Array;
  readonly right: Float64Array;
}

export interface Driven {
  readonly traces: readonly Trace[];
  readonly compared: Compared;
}

/** Drives both sides of a property and compares them; undefined where a run could not be carried out. */
export function drive(
  box: Box,
  sides: Sides,
  trial: Trial,
  options: { readonly stop: number; readonly rows: number; readonly all?: boolean; readonly exact?: boolean },
): Driven | undefined {
  const traces: Trace[] = [];
  for (const r of sides.runs(trial)) {
    const input = admitted(r.input, kindsOf(box), options.stop);
    const trace = box.run(input, { ...options, ...(r.shift !== undefined && { shift: r.shift }) });
    if (trace.problem || trace.y.length < 3 || !trace.y.every(Number.isFinite)) return undefined;
    traces.push(trace);
  }
  const [left, right] = [sides.left(traces, trial.k), sides.right(traces, trial.k)];
  return { traces, compared: compare(traces[0].time, left, right, sides.from(trial)) };
}

export function compare(time: Float64Array, left: Float64Array, right: Float64Array, from: number): Compared {
  const n = Math.min(time.length, left.length, right.length);
  // differences are relative to how large the sides have been until then; near zero, to how large they mostly are
  const sizes = Float64Array.from({ length: n }, (_, k) => Math.max(Math.abs(left[k]), Math.abs(right[k])));
  const usual = Float64Array.from(sizes).sort()[Math.floor(0.8 * (n - 1))] ?? 0;
  const gap = (k: number): number => (k < 0 || k >= n || time[k] <= from ? 0 : left[k] - right[k]);
  let [best, row, above, below, scale] = [0, 0, 0, 0, 1e-5 * usual];
  let [aboveRow, belowRow] = [0, 0];
  for (let k = 0; k < n; k++) {
    scale = Math.max(scale, sizes[k]);
    const d = gap(k);
    if (d === 0 || scale === 0) continue;
    // moments of switching may lie a little apart: what differs has to last for two rows
    const beside = [gap(k - 1), gap(k + 1)].reduce(
      (a, b) => (Math.sign(b) === Math.sign(d) ? Math.max(a, Math.abs(b)) : a),
      0,
    );
    const lasting = Math.min(Math.abs(d), beside) / scale;
    if (lasting > best * (1 + 1e-9)) [best, row] = [lasting, k];
    if (d > 0 && lasting > above) [above, aboveRow] = [lasting, k];
    if (d < 0 && lasting > below) [below, belowRow] = [lasting, k];
  }
  return { difference: best, row, above, below, aboveRow, belowRow, scale, time: time.slice(0, n), left, right };
}
