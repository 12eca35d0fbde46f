/** Quantiles and intervals that studies tell. */

/** Inverse of the normal distribution (Wichura 1988, algorithm AS 241; relative error below 1e-15). */
export function normalQuantile(p: number): number {
  const q = p - 0.5;
  const rational = (r: number, top: readonly number[], bottom: readonly number[]): number =>
    top.reduceRight((s, a) => s * r + a, 0) / bottom.reduceRight((s, b) => s * r + b, 0);
  if (Math.abs(q) <= 0.425)
    return (
      q *
      rational(
        0.180625 - q * q,
        [
          3.387132872796366608, 133.14166789178437745, 1971.5909503065514427, 13731.693765509461125,
          45921.953931549871457, 67265.770927008700853, 33430.575583588128105, 2509.0809287301226727,
        ],
        [
          1, 42.313330701600911252, 687.1870074920579083, 5394.1960214247511077, 21213.794301586595867,
          39307.89580009271061, 28729.085735721942674, 5226.495278852545925,
        ],
      )
    );
  const r = Math.sqrt(-Math.log(q < 0 ? p : 1 - p));
  const x =
    r <= 5
      ? rational(
          r - 1.6,
          [
            1.42343711074968357734, 4.6303378461565452959, 5.7694972214606914055, 3.64784832476320460504,
            1.27045825245236838258, 0.24178072517745061177, 0.0227238449892691845833, 7.7454501427834140764e-4,
          ],
          [
            1, 2.05319162663775882187, 1.6763848301838038494, 0.68976733498510000455, 0.14810397642748007459,
            0.0151986665636164571966, 5.475938084995344946e-4, 1.05075007164441684324e-9,
          ],
        )
      : rational(
          r - 5,
          [
            6.6579046435011037772, 5.4637849111641143699, 1.7848265399172913358, 0.29656057182850489123,
            0.026532189526576123093, 0.0012426609473880784386, 2.71155556874348757815e-5, 2.01033439929228813265e-7,
          ],
          [
            1, 0.59983220655588793769, 0.13692988092273580531, 0.0148753612908506148525, 7.868691311456132591e-4,
            1.8463183175100546818e-5, 1.4215117583164458887e-7, 2.04426310338993978564e-15,
          ],
        );
  return q < 0 ? -x : x;
}

/** Quantile of the distribution of Student (1908) with so many degrees of freedom (Hill 1970, algorithm 396). */
export function studentQuantile(p: number, n: number): number {
  if (p < 0.5) return -studentQuantile(1 - p, n);
  const both = 2 * (1 - p);
  if (n < 1) return Infinity;
  if (n === 2) return Math.sqrt(2 / (both * (2 - both)) - 2);
  if (n === 1) return Math.cos((both * Math.PI) / 2) / Math.sin((both * Math.PI) / 2);
  const a = 1 / (n - 0.5);
  const b = 48 / (a * a);
  let c = (((20700 * a) / b - 98) * a - 16) * a + 96.36;
  const d = ((94.5 / (b + c) - 3) / b + 1) * Math.sqrt((a * Math.PI) / 2) * n;
  let x = d * both;
  let y = x ** (2 / n);
  if (y > 0.05 + a) {
    x = normalQuantile(both / 2);
    y = x * x;
    if (n < 5) c += 0.3 * (n - 4.5) * (x + 0.6);
    c += (((0.05 * d * x - 5) * x - 7) * x - 2) * x + b;
    y = (((((0.4 * y + 6.3) * y + 36) * y + 94.5) / c - y - 3) / b + 1) * x;
    y = a * y * y;
    y = y > 0.002 ? Math.exp(y) - 1 : 0.5 * y * y + y;
  } else
    y =
      ((1 / (((n + 6) / (n * y) - 0.089 * d - 0.822) * (n + 2) * 3) + 0.5 / (n + 4)) * y - 1) * ((n + 1) / (n + 2)) +
      1 / y;
  return Math.sqrt(n * y);
}

/** Between which shares the true one lies, where `hits` of `of` were hit (Wilson 1927). */
export function wilson(hits: number, of: number, confidence = 0.95): readonly [low: number, high: number] {
  if (of === 0) return [0, 1];
  const z = normalQuantile(0.5 + confidence / 2);
  const p = hits / of;
  const middle = p + (z * z) / (2 * of);
  const half = z * Math.sqrt((p * (1 - p)) / of + (z * z) / (4 * of * of));
  const scale = 1 + (z * z) / of;
  return [Math.max(0, (middle - half) / scale), Math.min(1, (middle + half) / scale)];
}
