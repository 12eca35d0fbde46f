/** What a box is driven with: levels that are held, waves and slopes that begin at a moment. Everything is zero before. */
export interface ProbeInput {
  /** From a time on this is added, and held. */
  readonly steps: readonly { readonly at: number; readonly by: number }[];
  /** At most two of them. */
  readonly waves: readonly Wave[];
}

/** amplitude * sin(w s + rate s^2/2) + slope s, with s the time since it began. */
export interface Wave {
  readonly at: number;
  readonly amplitude: number;
  /** Angular frequency in rad/s at its beginning, and how it grows, in rad/s^2. */
  readonly w: number;
  readonly rate: number;
  readonly slope: number;
}

export const mostWaves = 2;

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

export function valueOf(u: ProbeInput, t: number): number {
  let sum = 0;
  for (const { at, by } of u.steps) if (t >= at) sum += by;
  for (const { at, amplitude, w, rate, slope } of u.waves) {
    const s = t - at;
    if (s >= 0) sum += amplitude * Math.sin(w * s + (rate * s * s) / 2) + slope * s;
  }
  return sum;
}

const short = (x: number): string => String(Number(x.toPrecision(4)));

/** An input in words. */
export function inputText(u: ProbeInput): string {
  const parts = [
    ...u.steps.map(({ at, by }, k) => `${k === 0 && by === 0 ? 'no' : 'a'} step by ${short(by)} at ${short(at)} s`),
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
