import { newSignalLine, newSignalSheet, newType } from '../project/project';
import { estimatorsOf } from '../signals/estimators';
import { detectionAt, estimateAt, following, ticksOf, type ReadRecording } from './estimates';
import { correlogramOf, isWhite, whiteBand } from './whiteness';

/** What recordings say of estimators, and whether an error is noise. */

/** Park and Miller 1988, evenly between -1 and 1. */
function randomOf(seed: number): () => number {
  let x = seed;
  return () => (2 * (x = (x * 16807) % 2147483647)) / 2147483647 - 1;
}
const series = (n: number, seed: number, next: (noise: number, before: readonly number[]) => number): number[] => {
  const random = randomOf(seed);
  const all: number[] = [];
  for (let k = 0; k < n; k++) all.push(next(random(), all));
  return all;
};

describe('whiteness', () => {
  test('noise is taken for white in about 99 of 100 cases, what hangs together is not', () => {
    let white = 0;
    for (let seed = 1; seed <= 200; seed++)
      if (
        isWhite(
          correlogramOf(
            series(300, 977 * seed, (e) => e),
            25,
          ),
          300,
        )
      )
        white++;
    expect(white).toBeGreaterThanOrEqual(192);
    const ar = series(300, 5, (e, before) => e + 0.5 * (before.at(-1) ?? 0));
    expect(isWhite(correlogramOf(ar, 25), 300)).toBe(false);
  });
  test('the correlogram of an autoregression falls by its factor', () => {
    const r = correlogramOf(
      series(20_000, 11, (e, before) => e + 0.7 * (before.at(-1) ?? 0)),
      5,
    );
    r.forEach((x, lag) => expect(Math.abs(x - 0.7 ** lag)).toBeLessThan(0.03));
    expect(r).toHaveLength(6);
    expect(whiteBand(400)).toBeCloseTo(0.098, 6);
  });
  test('of something that never changes nothing hangs together', () => {
    expect(correlogramOf([1, 1, 1, 1, 1, 1, 1, 1], 2)).toEqual([1, 0, 0]);
  });
});

const estimator = estimatorsOf({
  ...newType('a', 'A'),
  signals: [{ ...newSignalSheet('s', 'S'), every: '1', lines: [newSignalLine('z', 'e = leastSquares(y, {a, b})')] }],
})[0];

/** A recording with a row before and one after each tick. */
function recording(columns: Readonly<Record<string, readonly number[]>>): ReadRecording {
  const n = Object.values(columns)[0].length;
  const twice = (v: readonly number[]): Float64Array =>
    Float64Array.from({ length: 2 * n }, (_, r) => v[Math.max(0, Math.floor((r - 1) / 2))]);
  const made = new Map(Object.entries(columns).map(([name, v]) => [name, { values: twice(v), unit: '' }]));
  return {
    rows: 2 * n,
    time: Float64Array.from({ length: 2 * n }, (_, r) => Math.floor(r / 2)),
    column: (name) => made.get(name),
  };
}
const constant = (n: number, x: number): number[] => Array.from({ length: n }, () => x);
const whole = (n: number, more: Readonly<Record<string, readonly number[]>>) =>
  recording({
    'p.e.theta[1]': constant(n, 2),
    'p.e.theta[2]': constant(n, -4),
    'p.e.deviation[1]': constant(n, 0.1),
    'p.e.deviation[2]': constant(n, 0.1),
    'p.e.P[1,1]': constant(n, 0.01),
    'p.e.P[1,2]': constant(n, -0.005),
    'p.e.P[2,1]': constant(n, -0.005),
    'p.e.P[2,2]': constant(n, 0.01),
    'p.e.error': series(n, 3, (e) => 0.1 * e),
    'p.e.x[1]': series(n, 4, (e) => e),
    'p.e.x[2]': series(n, 5, (e) => e),
    ...more,
  });
const factsOf = (r: ReadRecording, at: number) => estimateAt(r, 'p.e', estimator, ticksOf(r, 'p.e'), at);

test('values, correlation and the least certain one, at the tick before the moment', () => {
  const r = whole(100, { 'p.e.theta[1]': Array.from({ length: 100 }, (_, k) => k) });
  const facts = factsOf(r, 40.5);
  expect(facts.values.map((v) => v.value)).toEqual([40, -4]);
  expect(facts.time).toBe(40);
  expect(facts.correlation).toEqual([
    [1, -0.5],
    [-0.5, 1],
  ]);
  expect(factsOf(whole(100, {}), 40.5).leastCertain).toBe(0);
  expect(factsOf(r, 0)).toMatchObject({ time: undefined, values: [] });
});

test('regressors that keep one ratio, that are nothing, and that say too little are told', () => {
  const x = series(100, 9, (e) => e);
  expect(factsOf(whole(100, {}), 99).notTold).toEqual([]);
  expect(factsOf(whole(100, { 'p.e.x[1]': x, 'p.e.x[2]': x.map((v) => 3 * v) }), 99).notTold).toEqual([
    expect.stringMatching(/^The values of a and of b cannot be told apart here/),
  ]);
  const nearly = x.map((v, k) => 3 * v + 1e-4 * Math.sin(k));
  expect(factsOf(whole(100, { 'p.e.x[1]': x, 'p.e.x[2]': nearly }), 99).notTold).toHaveLength(1);
  expect(factsOf(whole(100, { 'p.e.x[2]': constant(100, 0) }), 99).notTold).toEqual([
    'Nothing is learnt of the value of b: it was 0 all the time',
  ]);
  expect(factsOf(whole(100, { 'p.e.x[2]': x.map((v) => 1e-4 * v) }), 99).notTold).toEqual([
    expect.stringMatching(/say hardly anything of the value of b/),
  ]);
});

test('of few ticks nothing is said of whether the error hangs together', () => {
  expect(factsOf(whole(100, {}), 40).error!.kind).toBe('few');
  expect(factsOf(whole(100, {}), 99).error!.kind).toBe('white');
});

test('noise of a difference is told from what hangs together', () => {
  const random = series(400, 21, (e) => e);
  const differences = random.map((e, k) => e - (random[k - 1] ?? 0));
  const kindOf = (error: readonly number[]) => factsOf(whole(400, { 'p.e.error': error }), 399).error!.kind;
  expect(kindOf(random)).toBe('white');
  expect(kindOf(differences)).toBe('difference');
  expect(kindOf(series(400, 22, (e, b) => e - 0.5 * (b.at(-1) ?? 0) - 0.4 * (b.at(-2) ?? 0)))).toBe('together');
  expect(kindOf(series(400, 23, (e, b) => e + 0.9 * (b.at(-1) ?? 0)))).toBe('together');
});

test('how long something follows: the longest time within the band', () => {
  const time = Array.from({ length: 11 }, (_, k) => k);
  const y = time.map((t) => Math.sin(t));
  const off = [1, 1, 0, 0.1, -0.1, 0, 0, 1, 0, 0, 1];
  const said = following(
    time,
    y,
    y.map((v, k) => v + off[k]),
    0.2,
  );
  expect(said.within).toMatchObject({ from: 2, to: 6 });
  expect(said).toMatchObject({ begins: true, ends: true });
  const part = y.slice(2, 7);
  const mean = part.reduce((s, x) => s + x, 0) / 5;
  const spread = Math.sqrt(part.reduce((s, x) => s + (x - mean) ** 2, 0));
  expect(said.within!.fit).toBeCloseTo(100 * (1 - Math.sqrt(0.02) / spread), 9);
  expect(said.rms).toBeCloseTo(Math.sqrt(4.02 / 11), 9);
  expect(following(time, y, y, 0.1)).toMatchObject({
    fit: 100,
    within: { from: 0, to: 10 },
    begins: false,
    ends: false,
  });
  expect(
    following(
      time,
      y,
      y.map((v) => v + 5),
      0.1,
    ).within,
  ).toBeUndefined();
});

test('what a detector told: false alarms before a moment, how long it took after it, since when it says', () => {
  const of = (alarm: readonly number[], time: readonly number[], since?: readonly number[]): ReadRecording => ({
    rows: time.length,
    time: Float64Array.from(time),
    column: (name) => {
      const values = name === 'a' ? alarm : name === 's' ? since : undefined;
      return values && { values: Float64Array.from(values), unit: '' };
    },
  });
  const time = [0, 1, 2, 3, 3, 4, 5, 6];
  // off, a false one at 1 s that is taken back, and one at 5 s
  const one = of([0, 1, 0, 0, 0, 0, 1, 1], time, [0, 0.5, 0.5, 0.5, 0.5, 0.5, 3.5, 3.5]);
  expect(detectionAt(one, 'a', 's', 3)).toEqual({ before: [1], isOn: false, first: 5, since: 3.5 });
  expect(detectionAt(one, 'a', undefined, 0)).toEqual({ before: [], isOn: false, first: 1, since: undefined });
  expect(detectionAt(one, 'a', 's', 5)).toEqual({ before: [1, 5], isOn: true, first: undefined, since: undefined });
  // on from the start; and at a moment of two rows what the last of them says
  expect(detectionAt(of([1, 1, 1, 1, 1, 1, 1, 1], time), 'a', undefined, 2)?.before).toEqual([0]);
  expect(detectionAt(of([0, 0, 0, 1, 1, 1, 1, 1], time, [0, 0, 0, 0, 2.5, 0, 0, 0]), 'a', 's', 2)).toMatchObject({
    ...{ first: 3, since: 2.5 },
  });
  expect(detectionAt(one, 'b', undefined, 0)).toBeUndefined();
});
