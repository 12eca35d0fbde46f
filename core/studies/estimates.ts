import { unitsOfValues, type Estimator } from '../signals/estimators';
import { Matrix, SingularValueDecomposition } from 'ml-matrix';
import { correlogramOf, isWhite, whiteBand } from './whiteness';

/** What an estimator knew at a moment of a recording, how certain it was, and whether its error still tells something. */
export interface EstimateFacts {
  /** Tick at or before the moment; undefined where it has not ticked by then. */
  readonly time: number | undefined;
  readonly values: readonly EstimatedValue[];
  /** Number of the value that is least certain, by deviation over size; undefined for a single one. */
  readonly leastCertain: number | undefined;
  /** Correlations of their errors, from the covariance. */
  readonly correlation: readonly (readonly number[])[];
  readonly error: ErrorFacts | undefined;
  /** What the last ticks cannot tell, in words. */
  readonly notTold: readonly string[];
}
export interface EstimatedValue {
  readonly label: string;
  /** Columns of the recording, and its unit as far as one is known. */
  readonly column: string;
  readonly deviationColumn: string;
  readonly unit: string;
  readonly value: number;
  readonly deviation: number;
}
export interface ErrorFacts {
  readonly count: number;
  readonly from: number;
  readonly rms: number;
  readonly correlogram: readonly number[];
  /** Half the width within which a correlation is nothing. */
  readonly band: number;
  /**
   * Noise; the noise of a difference, in which neighbours are opposed and nothing else; something that hangs together; or too few ticks to
   * say that of it.
   */
  readonly kind: 'white' | 'difference' | 'together' | 'few';
}

export interface ReadColumn {
  readonly values: Float64Array;
  readonly unit: string;
}

/** A recording as far as it is looked at. */
export interface ReadRecording {
  readonly rows: number;
  readonly time: Float64Array;
  column(name: string): ReadColumn | undefined;
}

/** Errors and regressors of so many ticks are looked at. */
const mostTicks = 400;
/** Fewer errors than that say nothing of whether they hang together. */
const fewest = 50;
/** The smallest direction of regressors, as a share of the largest, that still tells something apart. */
const least = 1e-3;

/** Rows just after the ticks of an estimator: at a tick its error or one of its values changes. */
export function ticksOf(recording: ReadRecording, path: string): readonly number[] {
  const followed = [
    recording.column(`${path}.error`) ?? recording.column(`${path}.error[1]`),
    recording.column(`${path}.deviation[1]`),
  ].flatMap((c) => (c ? [c.values] : []));
  const rows: number[] = [];
  for (let r = 1; r < recording.rows; r++) if (followed.some((v) => v[r] !== v[r - 1])) rows.push(r);
  return rows;
}

export const sizeOf = (recording: ReadRecording, path: string): number => {
  let n = 0;
  while (recording.column(`${path}.deviation[${n + 1}]`)) n++;
  return n;
};

/** Name of something beside an estimator. */
const fullNameOf = (path: string, name: string): string => `${path.slice(0, path.lastIndexOf('.') + 1)}${name}`;

export function estimateAt(
  recording: ReadRecording,
  path: string,
  estimator: Estimator,
  ticks: readonly number[],
  moment: number,
): EstimateFacts {
  const n = sizeOf(recording, path);
  const value = estimator.kind === 'leastSquares' ? 'theta' : 'x';
  const past = ticks.filter((r) => recording.time[r] <= moment * (1 + 1e-12) + 1e-12);
  const row = past.at(-1);
  const empty = { leastCertain: undefined, correlation: [], error: undefined, notTold: [] };
  if (row === undefined || n === 0) return { time: undefined, values: [], ...empty };
  const at = (name: string): number => recording.column(name)?.values[row] ?? NaN;
  const range = Array.from({ length: n }, (_, k) => k);
  const units =
    estimator.kind === 'leastSquares'
      ? unitsOfValues(estimator, (name) => recording.column(fullNameOf(path, name))?.unit)
      : range.map((k) => recording.column(`${path}.x[${k + 1}]`)?.unit ?? '');
  const values = range.map((k): EstimatedValue => ({
    label: estimator.label(k),
    column: `${path}.${value}[${k + 1}]`,
    deviationColumn: `${path}.deviation[${k + 1}]`,
    unit: units[k] ?? '',
    value: at(`${path}.${value}[${k + 1}]`),
    deviation: at(`${path}.deviation[${k + 1}]`),
  }));
  const P = range.map((i) => range.map((j) => at(`${path}.P[${i + 1},${j + 1}]`)));
  const correlation = P.map((p, i) =>
    p.map((x, j) => (i === j ? 1 : P[i][i] > 0 && P[j][j] > 0 ? x / Math.sqrt(P[i][i] * P[j][j]) : NaN)),
  );
  const share = values.map((v) => v.deviation / Math.abs(v.value));
  const leastCertain = n > 1 ? share.indexOf(Math.max(...share)) : undefined;
  // the very first errors are those of what it began with
  const looked = past.slice(2 * n).slice(-mostTicks);
  const error = errorOf(recording, path, looked);
  return {
    time: recording.time[row],
    values,
    leastCertain: leastCertain === -1 ? undefined : leastCertain,
    correlation,
    error,
    notTold:
      estimator.kind === 'leastSquares' && error
        ? notTold(
            recording,
            path,
            estimator,
            looked,
            values.map((v) => v.value),
            error.rms,
          )
        : [],
  };
}

function errorOf(recording: ReadRecording, path: string, rows: readonly number[]): ErrorFacts | undefined {
  const column = recording.column(`${path}.error`) ?? recording.column(`${path}.error[1]`);
  if (!column || rows.length < 8) return undefined;
  const values = rows.map((r) => column.values[r]);
  const correlogram = correlogramOf(values, 25);
  return {
    count: values.length,
    from: recording.time[rows[0]],
    rms: Math.sqrt(values.reduce((s, x) => s + x * x, 0) / values.length),
    correlogram,
    band: whiteBand(values.length),
    kind:
      values.length < fewest
        ? 'few'
        : isWhite(correlogram, values.length)
          ? 'white'
          : isOfDifference(correlogram, values.length)
            ? 'difference'
            : 'together',
  };
}

/** White noise taken as differences correlates by -1/2 with its neighbour, and with nothing farther away. */
const isOfDifference = (correlogram: readonly number[], count: number): boolean =>
  correlogram[1] < -0.25 &&
  correlogram[1] > -0.75 &&
  // variance of the farther ones after Bartlett (1946)
  correlogram.slice(2).every((r) => Math.abs(r) <= 3.3 * Math.sqrt((1 + 2 * correlogram[1] ** 2) / count));

/**
 * What the regressors of some ticks cannot tell apart: directions in which they hardly vary, each brought to length 1 before (Belsley, Kuh
 * and Welsch 1980).
 */
function notTold(
  recording: ReadRecording,
  path: string,
  estimator: Estimator,
  rows: readonly number[],
  values: readonly number[],
  rms: number,
): readonly string[] {
  const n = values.length;
  if (rows.length < 2 * n) return [];
  const columns = Array.from({ length: n }, (_, k) => recording.column(`${path}.x[${k + 1}]`));
  if (columns.some((c) => !c)) return [];
  const sizes = columns.map((c) => Math.sqrt(rows.reduce((s, r) => s + c!.values[r] ** 2, 0)));
  const words: string[] = [];
  const moving = sizes.flatMap((s, k) => (s > 0 ? [k] : []));
  for (const k of sizes.keys())
    if (!(sizes[k] > 0)) words.push(`Nothing is learnt of the value ${estimator.label(k)}: it was 0 all the time`);
  if (moving.length < 2) return words;
  const X = new Matrix(rows.map((r) => moving.map((k) => columns[k]!.values[r] / sizes[k])));
  const svd = new SingularValueDecomposition(X, { autoTranspose: true });
  const V = svd.rightSingularVectors;
  const alike = new Set<number>();
  svd.diagonal.forEach((s, j) => {
    if (s > least * svd.diagonal[0]) return;
    moving.forEach((k, i) => Math.abs(V.get(i, j)) > 0.1 && alike.add(k));
    const shared = moving.filter((_, i) => Math.abs(V.get(i, j)) > 0.1).map((k) => estimator.label(k));
    words.push(
      `The values ${shared.slice(0, -1).join(', ')} and ${shared.at(-1)} cannot be told apart here: what they are multiplied by kept one ratio over the last ${rows.length} ticks`,
    );
  });
  // what these ticks alone say of each value, with the error they have
  moving.forEach((k, i) => {
    if (alike.has(k)) return;
    const own = svd.diagonal.reduce((sum, s, j) => sum + (V.get(i, j) / s) ** 2, 0);
    const deviation = (rms * Math.sqrt(own)) / sizes[k];
    if (deviation > Math.abs(values[k]))
      words.push(
        `The last ${rows.length} ticks say hardly anything of the value ${estimator.label(k)}: alone they would leave it uncertain by ${Number(deviation.toPrecision(2))}`,
      );
  });
  return words;
}

/** How well something follows what was measured, and for how long it stays within a band around it. */
export interface Following {
  /** 100 (1 - |difference| / |measured - its mean|), in percent, over all rows. */
  readonly fit: number;
  readonly rms: number;
  /** The longest time without a larger difference than the band, and the fit in it; undefined where it is never within. */
  readonly within: { readonly from: number; readonly to: number; readonly fit: number | undefined } | undefined;
  /** Something lies outside of it before and after. */
  readonly begins: boolean;
  readonly ends: boolean;
}

export function following(
  time: readonly number[],
  measured: readonly number[],
  own: readonly number[],
  band: number,
): Following {
  const fitOf = (from: number, to: number): number | undefined => {
    if (to - from < 2) return undefined;
    const y = measured.slice(from, to);
    const mean = y.reduce((s, x) => s + x, 0) / y.length;
    let [left, whole] = [0, 0];
    y.forEach((x, k) => {
      left += (x - own[from + k]) ** 2;
      whole += (x - mean) ** 2;
    });
    return whole > 0 ? 100 * (1 - Math.sqrt(left / whole)) : undefined;
  };
  let best: readonly [number, number] | undefined;
  for (let k = 0, start = -1; k <= measured.length; k++) {
    const isIn = k < measured.length && Math.abs(measured[k] - own[k]) <= band;
    if (isIn && start < 0) start = k;
    if (isIn || start < 0) continue;
    if (!best || time[k - 1] - time[start] > time[best[1]] - time[best[0]]) best = [start, k - 1];
    start = -1;
  }
  const rms = Math.sqrt(measured.reduce((s, x, j) => s + (x - own[j]) ** 2, 0) / Math.max(1, measured.length));
  return {
    fit: fitOf(0, measured.length) ?? NaN,
    rms,
    within: best && { from: time[best[0]], to: time[best[1]], fit: fitOf(best[0], best[1] + 1) },
    begins: best !== undefined && best[0] > 0,
    ends: best !== undefined && best[1] < measured.length - 1,
  };
}

/** What a detector told around a moment at which something is known to have changed. */
export interface Detection {
  /** Alarms up to the moment: false ones, where nothing had changed before. */
  readonly before: readonly number[];
  /** It was on already at the moment: a change behind it is not told apart. */
  readonly isOn: boolean;
  /** First alarm after the moment. */
  readonly first: number | undefined;
  /** When the change began, as the detector tells at its first alarm after the moment. */
  readonly since: number | undefined;
}

export function detectionAt(
  recording: ReadRecording,
  alarm: string,
  since: string | undefined,
  moment: number,
): Detection | undefined {
  const on = recording.column(alarm)?.values;
  if (!on) return undefined;
  const began = since === undefined ? undefined : recording.column(since)?.values;
  const before: number[] = [];
  let [isOn, first] = [false, undefined as number | undefined];
  let told: number | undefined;
  for (let r = 0; r < recording.rows; r++) {
    const t = recording.time[r];
    const rises = on[r] !== 0 && (r === 0 || on[r - 1] === 0);
    if (t <= moment) isOn = on[r] !== 0;
    if (!rises) continue;
    if (t <= moment) before.push(t);
    else if (first === undefined) {
      first = t;
      // the rows of one moment are told one after the other: the last of them is what holds
      let last = r;
      while (last + 1 < recording.rows && recording.time[last + 1] === t) last++;
      told = began?.[last];
    }
  }
  return { before, isOn, first, since: told };
}
