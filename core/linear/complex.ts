/** A complex number as [real part, imaginary part]. */
export type Complex = readonly [re: number, im: number];

export const magnitude = ([re, im]: Complex): number => Math.hypot(re, im);
/** Between -pi and pi. */
export const argument = ([re, im]: Complex): number => Math.atan2(im, re);
export const plus = (a: Complex, b: Complex): Complex => [a[0] + b[0], a[1] + b[1]];
export const timesComplex = (a: Complex, b: Complex): Complex => [a[0] * b[0] - a[1] * b[1], a[0] * b[1] + a[1] * b[0]];
/** By the larger part of the divisor (Smith 1962). */
export function over([a, b]: Complex, [c, d]: Complex): Complex {
  if (Math.abs(c) >= Math.abs(d)) {
    const r = d / c;
    const q = c + d * r;
    return [(a + b * r) / q, (b - a * r) / q];
  }
  const r = c / d;
  const q = c * r + d;
  return [(a * r + b) / q, (b * r - a) / q];
}
/** e^(i x) times a size. */
export const polar = (size: number, angle: number): Complex => [size * Math.cos(angle), size * Math.sin(angle)];

/** Phases in degrees that go on where they would jump by a turn. */
export function unwrapped(values: readonly Complex[]): number[] {
  let before: number | undefined;
  return values.map(([re, im]) => {
    // nothing has no phase
    if (re === 0 && im === 0) return NaN;
    let phase = (Math.atan2(im, re) * 180) / Math.PI;
    if (before !== undefined) phase += 360 * Math.round((before - phase) / 360);
    before = phase;
    return phase;
  });
}
