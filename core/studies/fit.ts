import type { Between, Course, Simulated } from './fit-model';
import { certaintyOf, jacobianAt, leastSquares, type LeastSquares, type Residuals, type Slopes } from './least-squares';
import { correlogramOf, isWhite } from './whiteness';
import { nelderMead } from './minimise';
import { sobolPoint } from './sobol';
import { studentQuantile } from './statistics';

/**
 * Values of a model found from what was measured: the least sum of squared residuals, each column weighted by how much its own residuals
 * vary, from several starts, with how certain each value is (Seber and Wild 1989, chapters 2 and 5) and what the data do not decide.
 */
export interface FreeValue {
  readonly name: string;
  readonly low: number;
  readonly high: number;
  /** Where the model has it; one of the starts. */
  readonly nominal: number | undefined;
}

export interface FittedValue {
  readonly name: string;
  readonly value: number;
  /** Interval of 95 %; the whole range where the data do not decide it. */
  readonly low: number;
  readonly high: number;
  readonly deviation: number;
  readonly isDecided: boolean;
  /** It stands at the edge of its range. */
  readonly isAtEdge: boolean;
}

export interface FitReport {
  readonly values: readonly FittedValue[];
  /** Where the model has them. */
  readonly nominal: readonly (number | undefined)[];
  /** Root of the mean square of the residuals; of several columns each by its own size. */
  readonly residual: number;
  readonly columns: readonly FittedColumn[];
  /** By values. */
  readonly correlation: readonly (readonly number[])[];
  /** Values that the data do not decide: each alone, or together with others. */
  readonly notDecided: readonly { readonly names: readonly string[]; readonly why: string }[];
  readonly runs: number;
  /** How many of the starts came to this point. */
  readonly starts: { readonly tried: number; readonly here: number };
  readonly settled: boolean;
  /** Slopes were integrated along with the states; else they are differences of runs. */
  readonly isAlong: boolean;
}

export interface FittedColumn {
  readonly quantity: string;
  readonly unit: string;
  /** Root of the mean square of the residuals, of what was fitted and of what was held back; before it with the values as they were. */
  readonly rms: number;
  readonly heldBack: number | undefined;
  readonly before: number | undefined;
  /** Of neighbouring residuals; those of noise have none. */
  readonly autocorrelation: number;
  readonly isWhite: boolean;
  readonly time: readonly number[];
  readonly measured: readonly number[];
  readonly fitted: readonly number[];
  /** With the values as they were; undefined where these do not run. */
  readonly designed: readonly number[] | undefined;
  /** Of residuals that lie so many rows apart, from 0 on; up to a quarter of them. */
  readonly correlogram: readonly number[];
}

export interface FitOptions {
  /** Last part of the time that is only looked at afterwards. */
  readonly holdBack: number;
  readonly seed: number;
  /** Only from the values as they are. */
  readonly isNear?: boolean;
  readonly goOn?: (runs: number) => boolean;
}

/** For so long runs follow each other, in ms, before anything else is listened to. */
const restEvery = 40;

const logarithmic = ({ low, high }: FreeValue): boolean => low > 0 && high / low >= 30;
/** From the unit cube: evenly, or over decades where the range spans more than one. */
const fromCube = (v: FreeValue, z: number): number =>
  logarithmic(v) ? v.low * (v.high / v.low) ** z : v.low + z * (v.high - v.low);
const toCube = (v: FreeValue, x: number): number => {
  const z = logarithmic(v) ? Math.log(x / v.low) / Math.log(v.high / v.low) : (x - v.low) / (v.high - v.low);
  return Math.min(1, Math.max(0, z));
};
/** How much a value changes with its place in the cube. */
const slopeOf = (v: FreeValue, x: number): number => (logarithmic(v) ? x * Math.log(v.high / v.low) : v.high - v.low);

const sizeOf = (r: Float64Array): number => Math.sqrt(r.reduce((s, x) => s + x * x, 0));
const rmsOf = (r: readonly number[]): number => Math.sqrt(r.reduce((s, x) => s + x * x, 0) / Math.max(1, r.length));

export async function fit(
  simulate: Simulated,
  outputs: readonly Course[],
  free: readonly FreeValue[],
  options: FitOptions,
): Promise<FitReport | undefined> {
  const n = free.length;
  let runs = 0;
  let goesOn = true;
  // each is held back by its own time
  const used = outputs.map(({ time }) => {
    const until = time.at(-1)! - options.holdBack * (time.at(-1)! - time[0]);
    return time.map((t) => Number(t <= until));
  });
  const counts = used.map((u) => u.reduce((s, x) => s + x, 0));
  const total = counts.reduce((s, x) => s + x, 0);
  const weights = outputs.map((o) => {
    const spread = spreadOf(o.values);
    return 1 / (spread || Math.abs(o.values[0]) || 1);
  });
  let rested = performance.now();
  /** Whether another run is begun. */
  const isNext = (): boolean => {
    if (goesOn && options.goOn && !options.goOn(runs + 1)) goesOn = false;
    if (goesOn) runs++;
    return goesOn;
  };
  const valuesAt = (z: readonly number[]): readonly number[] => free.map((v, k) => fromCube(v, z[k]));
  /** Here, one after the other; who wants to stop it is listened to in between. */
  const run = async <T>(z: readonly number[], read: (values: readonly number[]) => T | undefined) => {
    if (performance.now() - rested > restEvery) {
      await new Promise((resolve) => setTimeout(resolve));
      rested = performance.now();
    }
    return isNext() ? read(valuesAt(z)) : undefined;
  };
  /** Of each row that is fitted, one column after the other. */
  const rows = (of: readonly Float64Array[], value: (y: number, c: number, j: number) => number): Float64Array => {
    const r = new Float64Array(total);
    let k = 0;
    of.forEach((f, c) =>
      f.forEach((y, j) => {
        if (used[c][j] === 1) r[k++] = value(y, c, j) * weights[c];
      }),
    );
    return r;
  };
  const residuals: Residuals = async (points) => {
    const found: (readonly Float64Array[] | undefined)[] = [];
    while (found.length < points.length) {
      const left = points.slice(found.length);
      const elsewhere = simulate.spread?.(left.map(valuesAt), isNext);
      if (elsewhere) found.push(...(await elsewhere));
      else found.push(await run(left[0], (values) => simulate.at(values)));
    }
    return found.map((f) => f && rows(f, (y, c, j) => y - outputs[c].values[j]));
  };
  let isAlong = simulate.slopesAt !== undefined;
  const along: Slopes = async (z) => {
    const found = isAlong ? await run(z, (values) => simulate.slopesAt?.(values)) : undefined;
    return found?.map((f, j) => {
      const factor = slopeOf(free[j], fromCube(free[j], z[j]));
      return rows(f, (y) => y * factor);
    });
  };
  /** Slopes that are integrated along have to be those of runs side by side; where they are not, these are taken from then on. */
  const checked = async (z: readonly number[], here: Float64Array): Promise<readonly Float64Array[] | undefined> => {
    const beside = await jacobianAt(residuals, z, here, 1e-4);
    const J = await along(z);
    const largest = Math.max(0, ...(J ?? []).map(sizeOf));
    isAlong &&=
      J !== undefined &&
      beside !== undefined &&
      J.every((c, j) => sizeOf(c.map((x, k) => x - beside[j][k])) <= 1e-3 * sizeOf(c) + 1e-5 * largest);
    return isAlong ? J : beside;
  };
  const costOf = (r: Float64Array | undefined): number => r?.reduce((s, x) => s + x * x, 0) ?? Infinity;

  // --- where to start: as it is, the middle, and points that fill the ranges
  const starts: number[][] = [
    ...(free.every((v) => v.nominal !== undefined && v.nominal >= v.low && v.nominal <= v.high)
      ? [free.map((v) => toCube(v, v.nominal!))]
      : []),
    ...(options.isNear ? [] : [free.map(() => 0.5)]),
    ...Array.from({ length: options.isNear ? 0 : Math.min(60, 8 + 8 * n) }, (_, k) =>
      sobolPoint(k + 1 + 97 * (options.seed - 1), n),
    ),
  ];
  const tried = await residuals(starts);
  const ranked = starts
    .flatMap((z, k) => {
      const here = tried[k];
      return here && Number.isFinite(costOf(here)) ? [{ z, here, cost: costOf(here) }] : [];
    })
    .sort((a, b) => a.cost - b.cost);
  if (ranked.length === 0) return undefined;
  const chosen: typeof ranked = [];
  for (const s of ranked)
    if (chosen.length < 4 && chosen.every((c) => Math.max(...c.z.map((x, k) => Math.abs(x - s.z[k]))) > 0.08))
      chosen.push(s);
  if (isAlong) await checked(chosen[0].z, chosen[0].here);
  const descend = ({ z, here }: (typeof ranked)[number]): Promise<LeastSquares | undefined> =>
    leastSquares(residuals, z, { here, slopes: along, goOn: () => goesOn });
  const reached: (LeastSquares | undefined)[] = [];
  // side by side where there is somebody to do the runs; here one way is gone to its end before the next
  if (simulate.spread?.([], isNext)) reached.push(...(await Promise.all(chosen.map(descend))));
  else for (const start of chosen) reached.push(await descend(start));
  const ends = reached.filter((e) => e !== undefined);
  if (ends.length === 0) return undefined;
  let best = ends.reduce((a, b) => (b.cost < a.cost ? b : a));
  const here = ends.filter((e) => e.cost <= best.cost * 1.02 + 1e-20).length;

  // --- events make steps in the sum: a simplex looks over them
  if (goesOn && (!best.settled || ends.length > here)) {
    const cube = { low: free.map(() => 0), high: free.map(() => 1), isWhole: free.map(() => false) };
    const found = await nelderMead(
      async (points) => (await residuals(points)).map((r) => ({ broken: 0, value: costOf(r) })),
      cube,
      { most: 25 * n, start: best.z, size: 0.05, tolerance: 1e-5 },
    );
    if (found && found.worth.value < 0.999 * best.cost)
      best = (await leastSquares(residuals, found.point, { slopes: along, goOn: () => goesOn })) ?? best;
  }

  // --- each column counts by how much its own residuals vary
  const split = (r: Float64Array): number[][] => {
    let k = 0;
    return counts.map((c, j) => Array.from(r.subarray(k, (k += c)), (x) => x / weights[j]));
  };
  const floor = weights.map((w) => 1e-6 / w);
  for (let round = 0; outputs.length > 1 && round < 4 && goesOn; round++) {
    const own = split(best.residuals).map(rmsOf);
    const before = [...best.z];
    own.forEach((s, c) => (weights[c] = 1 / Math.max(s, floor[c])));
    best = (await leastSquares(residuals, best.z, { slopes: along, goOn: () => goesOn })) ?? best;
    if (Math.max(...best.z.map((x, k) => Math.abs(x - before[k]))) < 1e-6) break;
  }

  // --- how certain it is
  const J = goesOn ? await checked(best.z, best.residuals) : undefined;
  // that takes as many runs again: who stops it does not want to wait for them
  const isStopped = !goesOn;
  const parts = split(best.residuals);
  const follows = parts.map(autocorrelationOf);
  const spread = Math.sqrt(best.cost / Math.max(1, total - n));
  const certainty = J && certaintyOf(J, spread, 0.35);
  // residuals that hang together count for fewer
  const inflate = Math.max(
    1,
    ...follows.map(({ r, follows: hangs }) =>
      hangs ? Math.sqrt((1 + Math.min(r, 0.995)) / (1 - Math.min(r, 0.995))) : 1,
    ),
  );
  const quantile = studentQuantile(0.975, Math.max(1, total - n));
  const open = certainty?.open ?? free.map((_, j) => free.map((__, k) => Number(j === k)));
  const isOpen = free.map((_, j) => open.some((v) => v[j] > 0.1));
  const values = free.map((v, j): FittedValue => {
    const value = fromCube(v, best.z[j]);
    const deviation = spread * inflate * Math.sqrt(Math.max(0, certainty?.inverse[j]?.[j] ?? 0)) * slopeOf(v, value);
    return {
      name: v.name,
      value,
      low: isOpen[j] ? v.low : Math.max(v.low, value - quantile * deviation),
      high: isOpen[j] ? v.high : Math.min(v.high, value + quantile * deviation),
      deviation: isOpen[j] ? Infinity : deviation,
      isDecided: !isOpen[j],
      isAtEdge: best.z[j] <= 1e-9 || best.z[j] >= 1 - 1e-9,
    };
  });
  const inverse = certainty?.inverse ?? [];
  const correlation = free.map((_, i) =>
    free.map((__, j) => {
      const size = Math.sqrt((inverse[i]?.[i] ?? 0) * (inverse[j]?.[j] ?? 0));
      return i === j ? 1 : size > 0 ? (inverse[i][j] ?? 0) / size : 0;
    }),
  );
  const last = simulate.at(free.map((v, k) => fromCube(v, best.z[k]))) ?? [];
  const nominal = free.every((v) => v.nominal !== undefined) ? simulate.at(free.map((v) => v.nominal!)) : undefined;
  const columns = outputs.map((o, c): FittedColumn => {
    const fitted = Array.from(last[c] ?? []);
    const behind = fitted.flatMap((y, k) => (used[c][k] === 0 ? [y - o.values[k]] : []));
    return {
      quantity: o.quantity,
      unit: o.unit,
      rms: rmsOf(parts[c]),
      heldBack: behind.length > 0 ? rmsOf(behind) : undefined,
      before: nominal && rmsOf(Array.from(nominal[c], (y, k) => y - o.values[k])),
      autocorrelation: follows[c].r,
      isWhite: follows[c].isWhite,
      time: [...o.time],
      measured: [...o.values],
      fitted,
      designed: nominal && Array.from(nominal[c]),
      correlogram: correlogramOf(parts[c], 60),
    };
  });
  return {
    values,
    nominal: free.map((v) => v.nominal),
    residual: outputs.length === 1 ? columns[0].rms : rmsOf([...best.residuals]),
    columns,
    correlation,
    notDecided: isStopped
      ? [{ names: free.map((v) => v.name), why: 'It was stopped before it was known how certain the values are' }]
      : toldOpen(
          open,
          free.map((v) => v.name),
          J,
        ),
    runs,
    starts: { tried: ends.length, here },
    settled: best.settled && goesOn,
    isAlong,
  };
}

/**
 * Where inputs jump between two rows these do not tell when; what was measured does. The other ways are tried from where the first fit has
 * come to, and the one that explains most is taken.
 */
export async function fitBetween(
  simulated: (between: Between) => Simulated | undefined,
  outputs: readonly Course[],
  free: readonly FreeValue[],
  options: FitOptions,
): Promise<(FitReport & { readonly between: Between }) | undefined> {
  const straight = simulated('straight');
  let best = straight && (await fit(straight, outputs, free, options));
  let between: Between = 'straight';
  for (const other of ['held', 'ahead'] as const) {
    const way = best && simulated(other);
    if (!best || !way) continue;
    const near = free.map((f, k) => ({ ...f, nominal: best!.values[k].value }));
    const next = await fit(way, outputs, near, { ...options, isNear: true });
    if (!next || squaresOf(next) >= squaresOf(best)) continue;
    const { starts, columns, runs, nominal } = best;
    // what was before is that of the design
    best = {
      ...next,
      nominal,
      starts,
      runs: runs + next.runs,
      columns: next.columns.map((c, k) => ({ ...c, before: columns[k].before, designed: columns[k].designed })),
    };
    between = other;
  }
  return best && { ...best, between };
}

/** Of all residuals, each column relative to how much was measured of it varies. */
const squaresOf = (r: FitReport): number =>
  r.columns.reduce((s, c) => s + (c.rms / (spreadOf(c.measured) || 1)) ** 2, 0);
const spreadOf = (values: ArrayLike<number> & Iterable<number>): number => {
  const all = [...values];
  const mean = all.reduce((a, x) => a + x, 0) / all.length;
  return Math.sqrt(all.reduce((a, x) => a + (x - mean) ** 2, 0) / all.length);
};

/** What is not decided, in words: a value alone, or several that only together count. */
function toldOpen(
  open: readonly (readonly number[])[],
  names: readonly string[],
  J: readonly Float64Array[] | undefined,
): FitReport['notDecided'] {
  // directions that share a value are told together
  const groups: Set<number>[] = [];
  for (const v of open) {
    const own = new Set(v.flatMap((x, j) => (x > 0.1 ? [j] : [])));
    const shared = groups.filter((g) => [...own].some((j) => g.has(j)));
    for (const g of shared) {
      for (const j of g) own.add(j);
      groups.splice(groups.indexOf(g), 1);
    }
    groups.push(own);
  }
  const size = J ? Math.max(...J.map((c) => Math.sqrt(c.reduce((s, x) => s + x * x, 0)))) : 0;
  return groups.map((g) => {
    const own = [...g].sort((a, b) => a - b).map((j) => names[j]);
    const [j] = g;
    const isIdle = J !== undefined && Math.sqrt(J[j].reduce((s, x) => s + x * x, 0)) <= 1e-9 * (size || 1);
    return {
      names: own,
      why:
        own.length > 1
          ? `${own.slice(0, -1).join(', ')} and ${own.at(-1)} cannot be told apart by these data`
          : isIdle
            ? `Nothing that was measured depends on ${own[0]}`
            : `These data do not decide ${own[0]}`,
    };
  });
}

interface Following {
  /** Of neighbouring residuals. */
  readonly r: number;
  /** Neighbours go together: noise has less than 3 / sqrt(n) of that (Bartlett 1946). */
  readonly follows: boolean;
  readonly isWhite: boolean;
}

function autocorrelationOf(residuals: readonly number[]): Following {
  const correlogram = correlogramOf(residuals, 25);
  const r = correlogram[1] ?? 0;
  const count = Math.max(1, residuals.length);
  return { r, follows: r > 3 / Math.sqrt(count), isWhite: isWhite(correlogram, count) };
}
