/** Whether what is left over hangs together in time (Box and Jenkins 1970; Ljung 1999, section 16.6). */

/** Of values that lie so many apart, from 0 on, up to a quarter of them and at most `most`. */
export function correlogramOf(values: readonly number[], most = 40): readonly number[] {
  const n = values.length;
  const mean = values.reduce((s, x) => s + x, 0) / Math.max(1, n);
  const at = (lag: number): number => {
    let sum = 0;
    for (let k = lag; k < n; k++) sum += (values[k] - mean) * (values[k - lag] - mean);
    return sum;
  };
  const whole = at(0);
  return Array.from({ length: Math.min(most, Math.floor(n / 4)) + 1 }, (_, lag) =>
    whole > 0 ? at(lag) / whole : Number(lag === 0),
  );
}

/** Half the width of the band that holds 19 of 20 of them where nothing hangs together. */
export const whiteBand = (count: number): number => 1.96 / Math.sqrt(Math.max(1, count));

/**
 * The statistic of Ljung and Box (1978) over some lags against the chi-square value that 1 of 100 white series exceeds (Wilson and Hilferty
 * 1931).
 */
export function isWhite(correlogram: readonly number[], count: number): boolean {
  const lags = correlogram.length - 1;
  if (lags < 1) return true;
  let q = 0;
  for (let k = 1; k <= lags; k++) q += correlogram[k] ** 2 / (count - k);
  const least = lags * (1 - 2 / (9 * lags) + 2.326 * Math.sqrt(2 / (9 * lags))) ** 3;
  return count * (count + 2) * q <= least;
}
