import { admitted, mostRises, onto, randomFrom, type InputNamed, type ProbeInput } from './input';
import type { PropertyName, Trial } from './properties';

/** The inputs a box is tried with: a fixed set from the plain to the lively, and random changes of the best of them. */

export interface TrialSpace {
  readonly inputs: readonly InputNamed[];
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

const together = (all: readonly ProbeInput[]): ProbeInput => ({
  steps: all.flatMap((u) => u.steps).sort((a, b) => a.at - b.at),
  waves: all.flatMap((u) => u.waves),
});

/** A trial as the inputs can take it. */
function admittedTrial(t: Trial, { inputs, stop }: TrialSpace): Trial {
  const kinds = inputs.map((x) => x.kind);
  if (kinds.every((k) => k === 'jumps')) return t;
  const take = (u: ProbeInput): ProbeInput => {
    const all = admitted(u, kinds, stop);
    // as many as there is room for when two are added
    const few = kinds.flatMap((kind, of) => {
      const own = all.steps.filter((s) => (s.of ?? 0) === of);
      return kind === 'smooth' ? own.slice(0, mostRises / 2 - 1) : own;
    });
    return { ...all, steps: few.sort((a, b) => a.at - b.at) };
  };
  const isWhole = kinds.some((k) => k === 'whole' || k === 'truth');
  const whole = (x: number): number => (x < 0 ? Math.min(-1, Math.round(x)) : Math.max(1, Math.round(x)));
  const of = kinds[t.bump.of ?? 0];
  const bump = {
    ...t.bump,
    by: of === 'truth' ? Math.sign(t.bump.by) || 1 : of === 'whole' ? whole(t.bump.by) : t.bump.by,
    ...(of === 'smooth' && { within: 0.04 * stop }),
  };
  const k = isWhole && whole(t.k) === 1 ? 2 : isWhole ? whole(t.k) : t.k;
  return { ...t, u: take(t.u), v: take(t.v), k, bump };
}

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
  const count = space.inputs.length;
  /** One of several inputs alone, or all of them, each with something else. */
  const spread = (j: number, way: number): ProbeInput => {
    if (count === 1) return all[j % all.length];
    const one = way % (count + 1);
    if (one > 0) return onto(all[j % all.length], one - 1);
    return together(space.inputs.map((_, of) => onto(all[(j + of) % all.length], of)));
  };
  const trial = (u: ProbeInput, j: number, way: number, a: number): Trial => {
    const bump = bumps[j % bumps.length];
    const of = way % count;
    return admittedTrial(
      {
        u,
        v: sized(spread(j + 1, way + 1 + (j % count)), j % 2 === 0 ? a : -a / 2),
        k: factors[j % factors.length],
        shift: shifts[j % shifts.length],
        bump: { begin: bump.begin, end: bump.end, by: a * bump.share, ...(of > 0 && { of }) },
      },
      space,
    );
  };
  // what does nothing already tells of offsets and starts
  const begin = trial(nothing, 0, 0, 1);
  trials.push(property === 'additive' ? { ...begin, v: nothing } : begin);
  for (let round = 0; trials.length < most && round < sizes.length; round++)
    all.forEach((_, j) => {
      const a = sizes[round];
      if (trials.length < most) trials.push(trial(sized(spread(j, j + round), a), j + round, j + round, a));
    });
  // then once more, with other factors, shifts and others to be added
  for (let round = 0; trials.length < most && round < 4 * sizes.length; round++)
    all.forEach((_, j) => {
      const a = sizes[round % sizes.length];
      const u = sized(spread(j, j + round + 1), (round % 2 === 0 ? -1 : 1.37) * a);
      if (trials.length < most) trials.push(trial(u, j + round + 1, j + round + 1, a));
    });
  return trials;
}

/** A trial a little, or a lot, different from one that did well. */
export const changedTrial = (t: Trial, space: TrialSpace, random: () => number): Trial =>
  admittedTrial(changed(t, space, random), space);

function changed(t: Trial, space: TrialSpace, random: () => number): Trial {
  const { stop, inputs } = space;
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
    const of = inputs.length > 1 ? Math.floor(random() * inputs.length) : 0;
    const own = { at: (0.05 + 0.85 * random()) * stop, by: (2 * random() - 1) * size };
    const steps = [...u.steps, of === 0 ? own : { ...own, of }];
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
export const plainerTrials = (t: Trial, space: TrialSpace): readonly Trial[] =>
  plainer(t, space).map((x) => admittedTrial(x, space));

function plainer(t: Trial, { stop, inputs: all }: TrialSpace): readonly Trial[] {
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
      const ways = all.map((_, of) => (x: ProbeInput) => onto(x, of));
      if (all.length > 1) ways.push((x) => together(all.map((_, of) => onto(x, of))));
      for (const way of ways)
        for (const by of [1, -1, rounded(size), size, -size])
          list.push(way({ steps: [{ at: early * stop, by }], waves: [] }));
      for (const way of ways)
        list.push(
          way({
            steps: [
              { at: early * stop, by: size },
              { at: middle * stop, by: -size },
            ],
            waves: [],
          }),
        );
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
