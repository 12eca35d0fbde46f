/** What a box is driven with: levels that are held, waves and slopes that begin at a moment. Everything is zero before. */
export interface ProbeInput {
  readonly steps: readonly Step[];
  /** At most two of them for each input. */
  readonly waves: readonly Wave[];
}

/** From a time on something is added, and held. */
export interface Step {
  readonly at: number;
  readonly by: number;
  /** How long it takes, smoothly, in seconds; at once where it is left out. */
  readonly within?: number;
  /** Which of several inputs is meant; the first where it is left out. */
  readonly of?: number;
}

/** amplitude * sin(w s + rate s^2/2) + slope s, with s the time since it began. */
export interface Wave {
  readonly at: number;
  readonly amplitude: number;
  /** Angular frequency in rad/s at its beginning, and how it grows, in rad/s^2. */
  readonly w: number;
  readonly rate: number;
  readonly slope: number;
  readonly of?: number;
}

export const mostWaves = 2;
/** How many smooth steps an input can have. */
export const mostRises = 8;

/** What an input can be: a number that may jump, one that may not, a whole number, or true and false (1 and 0). */
export type InputKind = 'jumps' | 'smooth' | 'whole' | 'truth';

/** What one of several inputs is driven with. */
export const ofInput = <T extends { readonly of?: number }>(all: readonly T[], of: number): T[] =>
  all.filter((x) => (x.of ?? 0) === of);

/** An input as inputs of these kinds can take it: no jumps where a derivative is taken, levels only where numbers are whole or truths. */
export function admitted(u: ProbeInput, kinds: readonly InputKind[], stop: number): ProbeInput {
  if (kinds.every((k) => k === 'jumps')) return u;
  const steps: Step[] = [];
  const waves: Wave[] = [];
  kinds.forEach((kind, of) => {
    const own = ofInput(u.steps, of);
    if (kind === 'jumps' || kind === 'smooth') waves.push(...ofInput(u.waves, of));
    if (kind === 'jumps') return void steps.push(...own);
    if (kind === 'smooth') return void steps.push(...own.map((s) => gently(s, stop)));
    let [sum, level] = [0, 0];
    for (const s of own) {
      sum += s.by;
      const next = kind === 'truth' ? Number(sum > 0) : Math.round(sum);
      if (next !== level) steps.push({ ...s, by: next - level });
      level = next;
    }
  });
  return { steps: steps.sort((a, b) => a.at - b.at), waves };
}
export const gently = (s: Step, stop: number): Step => ({ ...s, within: s.within ?? 0.04 * stop });

/** The same for another one of several inputs. */
export const onto = (u: ProbeInput, of: number): ProbeInput =>
  of === 0 ? u : { steps: u.steps.map((s) => ({ ...s, of })), waves: u.waves.map((w) => ({ ...w, of })) };

export const scaled = (u: ProbeInput, k: number): ProbeInput => ({
  steps: u.steps.map((s) => ({ ...s, by: k * s.by })),
  waves: u.waves.map((w) => ({ ...w, amplitude: k * w.amplitude, slope: k * w.slope })),
});

export const added = (a: ProbeInput, b: ProbeInput): ProbeInput => ({
  steps: [...a.steps, ...b.steps].sort((x, y) => x.at - y.at),
  waves: [...a.waves, ...b.waves],
});

export const delayed = (u: ProbeInput, by: number): ProbeInput => ({
  steps: u.steps.map((s) => ({ ...s, at: s.at + by })),
  waves: u.waves.map((w) => ({ ...w, at: w.at + by })),
});

export function valueOf(u: ProbeInput, t: number, of = 0): number {
  let sum = 0;
  for (const { at, by, within = 0 } of ofInput(u.steps, of))
    if (t >= at) sum += within > 0 ? by * rise((t - at) / within) : by;
  for (const { at, amplitude, w, rate, slope } of ofInput(u.waves, of)) {
    const s = t - at;
    if (s >= 0) sum += amplitude * Math.sin(w * s + (rate * s * s) / 2) + slope * s;
  }
  return sum;
}

/** From 0 to 1 with two derivatives that are zero at both ends. */
const rise = (s: number): number => (s >= 1 ? 1 : s * s * s * (10 + s * (6 * s - 15)));

const short = (x: number): string => String(Number(x.toPrecision(4)));

/** An input in words; of several, with their names. */
export function inputText(u: ProbeInput, inputs: readonly InputNamed[] = []): string {
  if (inputs.length > 1) {
    const texts = inputs.flatMap((x, of) => {
      const own = { steps: ofInput(u.steps, of), waves: ofInput(u.waves, of) };
      const isNothing = own.steps.length + own.waves.length === 0;
      return isNothing ? [] : [`${x.name}: ${textOfOne(own, x.kind)}`];
    });
    return texts.length === 0 ? 'nothing' : texts.join('; ');
  }
  return textOfOne(u, inputs[0]?.kind ?? 'jumps');
}
export interface InputNamed {
  readonly name: string;
  readonly kind: InputKind;
}

function textOfOne(u: ProbeInput, kind: InputKind): string {
  if (kind === 'truth') {
    const turns = u.steps.map(({ at, by }) => `${by > 0 ? 'true' : 'false'} from ${short(at)} s on`);
    return turns.length === 0 ? 'false' : turns.join(', ');
  }
  const parts = [
    ...u.steps.map(
      ({ at, by, within }) =>
        `a step by ${short(by)} at ${short(at)} s${within === undefined ? '' : `, smoothly within ${short(within)} s`}`,
    ),
    ...u.waves.map(({ at, amplitude, w, rate, slope }) =>
      [
        amplitude === 0
          ? ''
          : `a ${rate === 0 ? 'sine' : 'chirp'} of ${short(amplitude)} ${rate === 0 ? `with ${short(w)} rad/s` : `from ${short(w)} rad/s on`}`,
        slope === 0 ? '' : `a ramp of ${short(slope)} per s`,
      ]
        .filter(Boolean)
        .join(' and ')
        .concat(` from ${short(at)} s on`),
    ),
  ];
  return parts.length === 0 ? 'nothing' : parts.join(', ');
}

/** Numbers that look random and are the same for the same seed (Park and Miller 1988), in [0, 1). */
export function randomFrom(seed: number): () => number {
  let x = (Math.abs(Math.trunc(seed)) % 2147483646) + 1;
  return () => {
    x = (16807 * x) % 2147483647;
    return (x - 1) / 2147483646;
  };
}
