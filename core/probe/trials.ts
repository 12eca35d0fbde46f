import type { ProbeInput } from './input';
import { randomFrom } from './input';
import type { PropertyName, Trial } from './properties';

/** The inputs a box is tried with: a fixed set from the plain to the lively, and random changes of the best of them. */

export interface TrialSpace {
  readonly stop: number;
  /** Angular frequencies at which something of the box is, in rad/s. */
  readonly frequencies: readonly number[];
  /** How large inputs are tried. */
  readonly sizes: readonly number[];
  readonly seed: number;
}

const nothing: ProbeInput = { steps: [], waves: [] };
/** Moments a little off the grid of rows, as shares of the run. */
const early = 0.0837,
  middle = 0.3337,
  late = 0.5837;

/** Kinds of inputs of size 1, from the plain to the lively. */
function kinds({ stop, frequencies, seed }: TrialSpace): readonly ProbeInput[] {
  const at = (share: number): number => share * stop;
  const step: ProbeInput = { steps: [{ at: at(early), by: 1 }], waves: [] };
  const pulse: ProbeInput = {
    steps: [
      { at: at(early), by: 1 },
      { at: at(middle), by: -1 },
    ],
    waves: [],
  };
  const both: ProbeInput = {
    steps: [
      { at: at(early), by: 1 },
      { at: at(middle), by: -2 },
      { at: at(late), by: 1.5 },
    ],
    waves: [],
  };
  const wave = (w: number, rate = 0): ProbeInput => ({
    steps: [],
    waves: [{ at: at(early), amplitude: 1, w, rate, slope: 0 }],
  });
  const ramp: ProbeInput = {
    steps: [],
    waves: [{ at: at(early), amplitude: 0, w: 0, rate: 0, slope: 1 / (0.6 * stop) }],
  };
  const random = randomFrom(seed);
  const noise = (levels: number): ProbeInput => {
    let level = 0;
    const steps = Array.from({ length: levels }, (_, k) => {
      const next = 2 * random() - 1;
      const by = next - level;
      level = next;
      return { at: at(early + ((0.85 - early) * (k + 0.137)) / levels), by };
    });
    return { steps, waves: [] };
  };
  const low = frequencies[0] ?? 6 / stop;
  const high = frequencies.at(-1) ?? 60 / stop;
  return [
    step,
    wave(low),
    pulse,
    ramp,
    both,
    wave(low, (2 * (high - low)) / stop + 20 / (stop * stop)),
    noise(12),
    ...frequencies.slice(1).map((w) => wave(w)),
    noise(30),
  ];
}

const sized = (u: ProbeInput, a: number): ProbeInput => ({
  steps: u.steps.map((s) => ({ ...s, by: a * s.by })),
  waves: u.waves.map((w) => ({ ...w, amplitude: a * w.amplitude, slope: a * w.slope })),
});

/** The fixed set of a property, as many as are asked for. */
export function fixedTrials(property: PropertyName, space: TrialSpace, most: number): readonly Trial[] {
  const all = kinds(space);
  const { stop, sizes } = space;
  const factors = [2, -1, 0.5, 10, -3, 0.1];
  const trials: Trial[] = [];
  const bumps = [
    { begin: early * stop, end: middle * stop, share: 1 },
    { begin: 0.2137 * stop, end: 0.2437 * stop, share: 2 },
    { begin: 0.1337 * stop, end: 0.9037 * stop, share: 0.03 },
    { begin: early * stop, end: 0.8037 * stop, share: 0.5 },
  ];
  const shifts = [0.3137 * stop, stop, 0.0511 * stop, 2.7183 * stop];
  const trial = (u: ProbeInput, j: number, a: number): Trial => {
    const other = all[(j + 1) % all.length];
    const bump = bumps[j % bumps.length];
    return {
      u,
      v: sized(other, j % 2 === 0 ? a : -a / 2),
      k: factors[j % factors.length],
      shift: shifts[j % shifts.length],
      bump: { begin: bump.begin, end: bump.end, by: a * bump.share },
    };
  };
  // what does nothing already tells of offsets and starts
  trials.push({ ...trial(nothing, 0, 1), v: property === 'additive' ? nothing : all[0] });
  for (let round = 0; trials.length < most && round < sizes.length; round++)
    all.forEach((u, j) => {
      if (trials.length < most) trials.push(trial(sized(u, sizes[round]), j + round, sizes[round]));
    });
  // then once more, with other factors, shifts and others to be added
  for (let round = 0; trials.length < most && round < 4 * sizes.length; round++)
    all.forEach((u, j) => {
      const a = sizes[round % sizes.length];
      if (trials.length < most) trials.push(trial(sized(u, (round % 2 === 0 ? -1 : 1.37) * a), j + round + 1, a));
    });
  return trials;
}

/** A trial a little, or a lot, different from one that did well. */
export function changedTrial(t: Trial, space: TrialSpace, random: () => number): Trial {
  const { stop } = space;
  const factor = (): number => (random() < 0.3 ? 10 ** (2 * random() - 1) : 1 + 0.5 * (2 * random() - 1));
  const change = (u: ProbeInput): ProbeInput => {
    const what = random();
    const a = factor();
    if (what < 0.4) return sized(u, a);
    if (what < 0.6)
      return {
        ...u,
        waves: u.waves.map((w) => ({ ...w, w: w.w * a, rate: w.rate * a })),
        steps: u.steps.map((s) => ({ ...s, at: Math.min(0.95 * stop, s.at * (0.7 + 0.6 * random())) })),
      };
    if (what < 0.8 && u.steps.length > 0) {
      const k = Math.floor(random() * u.steps.length);
      return { ...u, steps: u.steps.map((s, j) => (j === k ? { ...s, by: s.by * a * (random() < 0.2 ? -1 : 1) } : s)) };
    }
    const size = Math.max(1e-6, ...u.steps.map((s) => Math.abs(s.by)), ...u.waves.map((w) => Math.abs(w.amplitude)));
    const steps = [...u.steps, { at: (0.05 + 0.85 * random()) * stop, by: (2 * random() - 1) * size }];
    return { ...u, steps: steps.sort((x, y) => x.at - y.at) };
  };
  const what = random();
  if (what < 0.5) return { ...t, u: change(t.u) };
  if (what < 0.75) return { ...t, v: change(t.v), bump: { ...t.bump, by: t.bump.by * factor() } };
  return {
    ...t,
    k: random() < 0.3 ? -t.k : t.k * factor(),
    shift: t.shift * factor(),
    bump: { ...t.bump, by: t.bump.by * factor() },
  };
}

/** Plainer trials than one, the plainest first: what still shows the difference is easier to see. */
export function plainerTrials(t: Trial, stop: number): readonly Trial[] {
  const found: Trial[] = [];
  const rounded = (x: number): number => (x === 0 ? 0 : Number(x.toPrecision(1)));
  const inputs = (u: ProbeInput): ProbeInput[] => {
    const size = Math.max(
      0,
      ...u.steps.map((s) => Math.abs(s.by)),
      ...u.waves.map((w) => Math.max(Math.abs(w.amplitude), Math.abs(w.slope) * stop)),
    );
    const list: ProbeInput[] = [];
    if (u.steps.length + u.waves.length === 0) return list;
    list.push(nothing);
    if (size > 0) {
      for (const by of [1, -1, rounded(size), size, -size]) list.push({ steps: [{ at: early * stop, by }], waves: [] });
      list.push({
        steps: [
          { at: early * stop, by: size },
          { at: middle * stop, by: -size },
        ],
        waves: [],
      });
    }
    u.waves.forEach((w, k) => {
      list.push({ ...u, waves: u.waves.filter((_, j) => j !== k) });
      if (w.rate !== 0) list.push({ ...u, waves: u.waves.map((x, j) => (j === k ? { ...x, rate: 0 } : x)) });
    });
    u.steps.forEach((_, k) => u.steps.length > 1 && list.push({ ...u, steps: u.steps.filter((__, j) => j !== k) }));
    return list;
  };
  for (const u of inputs(t.u)) found.push({ ...t, u });
  for (const v of inputs(t.v)) found.push({ ...t, v });
  for (const k of [2, -1, rounded(t.k)]) if (k !== t.k) found.push({ ...t, k });
  for (const shift of [1, rounded(t.shift)]) if (shift !== t.shift) found.push({ ...t, shift });
  for (const by of [1, -1, rounded(t.bump.by)]) if (by !== t.bump.by) found.push({ ...t, bump: { ...t.bump, by } });
  return found;
}

/** How much there is to a trial: fewer pieces and rounder numbers are plainer. */
export function plainness(t: Trial): number {
  const digits = (x: number): number => String(Number(x.toPrecision(4))).replace(/[-.0]/g, '').length;
  const of = (u: ProbeInput): number =>
    u.steps.reduce((s, x) => s + 4 + digits(x.by) + (x.by < 0 ? 1 : 0), 0) +
    u.waves.reduce((s, w) => s + 8 + digits(w.amplitude) + (w.rate === 0 ? 0 : 4), 0);
  // twice the input is the plainest, then the opposite one
  const factor = t.k === 2 ? 0 : t.k === -1 ? 1 : 2 + digits(t.k);
  return of(t.u) + of(t.v) + factor + digits(t.shift) + digits(t.bump.by) + (t.bump.by < 0 ? 1 : 0);
}
