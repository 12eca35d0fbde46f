import fc from 'fast-check';
import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseExpressionText, parseFile } from '../language/parse';
import { compile } from '../simulate/compile';
import { valuesAtStart } from '../simulate/start-values';
import { fit, type FreeValue, type FitReport } from './fit';
import { coursesOf, fittable, followText, simulatedAt, type Course, type Fitted, type Simulated } from './fit-model';
import { certaintyOf, leastSquares, type LeastSquares } from './least-squares';
import { readMeasured, type Measured } from './measured';
import { uniformAt } from '../numbers/random';
import { normalQuantile } from './statistics';

const free = (name: string, low: number, high: number, nominal?: number): FreeValue => ({ name, low, high, nominal });
const times = (n: number, end: number): Float64Array => Float64Array.from({ length: n }, (_, k) => (end * k) / (n - 1));
const noise = (seed: number, k: number, size: number): number => size * normalQuantile(uniformAt(seed, k, 7));
const course = (time: Float64Array, f: (t: number) => number, seed: number, size: number, name = 'y'): Course => ({
  quantity: name,
  column: name,
  unit: '',
  time,
  values: Float64Array.from(time, (t, k) => f(t) + noise(seed, k, size)),
});
/** A model written out, as the simulation would give it. */
const model = (courses: readonly Course[], ...f: ((p: readonly number[], t: number) => number)[]): Simulated => ({
  at: (p) => courses.map((c, j) => Float64Array.from(c.time, (t) => f[j](p, t))),
});
const options = { holdBack: 0, seed: 1 };
const run = (
  courses: readonly Course[],
  f: ((p: readonly number[], t: number) => number)[],
  ranges: readonly FreeValue[],
  more: Partial<typeof options> = {},
): Promise<FitReport> => fit(model(courses, ...f), courses, ranges, { ...options, ...more }).then((r) => r!);

/** A sum of squares of one point at a time. */
const least = async (
  of: (z: readonly number[]) => Float64Array,
  start: readonly number[],
  more: Parameters<typeof leastSquares>[2] = {},
): Promise<LeastSquares> => (await leastSquares((points) => Promise.resolve(points.map(of)), start, more))!;

describe('least squares', () => {
  test('a straight line, as the normal equations have it', async () => {
    const t = [0, 1, 2, 3, 4];
    const y = [1.1, 2.9, 5.2, 6.8, 9.1];
    const found = await least(([a, b]) => Float64Array.from(t, (x, k) => 10 * a + 10 * b * x - y[k]), [0.5, 0.5]);
    const n = t.length;
    const [sx, sy] = [t, y].map((v) => v.reduce((s, x) => s + x, 0));
    const slope =
      (n * t.reduce((s, x, k) => s + x * y[k], 0) - sx * sy) / (n * t.reduce((s, x) => s + x * x, 0) - sx * sx);
    expect(10 * found.z[1]).toBeCloseTo(slope, 8);
    expect(10 * found.z[0]).toBeCloseTo((sy - slope * sx) / n, 8);
    expect(found.settled).toBe(true);
  });
  test('the valley of Rosenbrock, and a least point on an edge', async () => {
    // x, y in -2 .. 2
    const of = (z: number): number => 4 * z - 2;
    const found = await least(([a, b]) => Float64Array.from([10 * (of(b) - of(a) ** 2), 1 - of(a)]), [0.2, 0.75], {
      most: 200,
      step: 1e-6,
    });
    expect(found.z.map((z) => Number(of(z).toFixed(5)))).toEqual([1, 1]);
    const edge = await least(([a, b]) => Float64Array.from([a + 0.5, b - 0.3]), [0.5, 0.5]);
    expect(edge.z[0]).toBe(0);
    expect(edge.z[1]).toBeCloseTo(0.3, 8);
    // what stands at the edge does not hold up the others, however much both do the same
    const both = await least(([a, b]) => Float64Array.from([10 * (a + b - 0.5), 0.5 * (a + 1), 0.3 * b]), [0.4, 0.4]);
    expect([both.z[0], both.settled]).toEqual([0, true]);
    expect(both.z[1]).toBeCloseTo(50 / 100.09, 7);
    expect(both.evaluations).toBeLessThan(40);
  });
  test('directions that nothing is decided in', () => {
    const J = [Float64Array.from([1, 2, 3]), Float64Array.from([2, 4, 6]), Float64Array.from([1, 0, 0])];
    const { open } = certaintyOf(J, 1e-6, 0.3);
    expect(open).toHaveLength(1);
    expect(open[0][2]).toBeLessThan(1e-9);
    expect(open[0][0] / open[0][1]).toBeCloseTo(2, 9);
    expect(certaintyOf([Float64Array.from([0, 0])], 1, 0.3).open).toEqual([[1]]);
  });
});

const decay = ([a, tau, c]: readonly number[], t: number): number => a * Math.exp(-t / tau) + c;
const ranges = [free('a', 0, 10), free('tau', 0.05, 10), free('c', -2, 2)];

test('intervals of 95 % hold the true value in about 95 % of 200 fits with noise', async () => {
  const hits = [0, 0, 0];
  const truth = [3, 0.8, 0.5];
  const time = times(60, 4);
  for (let seed = 1; seed <= 200; seed++) {
    const { values } = await run([course(time, (t) => decay(truth, t), seed, 0.1)], [decay], ranges);
    values.forEach((v, k) => (hits[k] += Number(v.low <= truth[k] && truth[k] <= v.high)));
  }
  // 95 % of 200 within three standard deviations
  for (const h of hits) expect([h, h >= 181 && h <= 199]).toEqual([h, true]);
});
test('without noise the values are exact, and the intervals narrow', async () => {
  const { values, residual, notDecided, settled } = await run(
    [course(times(80, 4), (t) => decay([3, 0.8, 0.5], t), 1, 0)],
    [decay],
    ranges,
  );
  expect(values.map((v) => Number(v.value.toFixed(6)))).toEqual([3, 0.8, 0.5]);
  expect(residual).toBeLessThan(1e-7);
  expect(values.every((v) => v.high - v.low < 1e-4)).toBe(true);
  expect([notDecided, settled]).toEqual([[], true]);
});
test('what the data do not decide is named: alone, together, and never as a number with a narrow interval', async () => {
  const product = ([a, b]: readonly number[], t: number): number => a * b * Math.sin(t);
  const y = course(times(100, 6), (t) => 6 * Math.sin(t), 3, 0.05);
  const both = await run([y], [product], [free('a', 0.5, 5), free('b', 0.5, 9)]);
  expect(both.notDecided).toEqual([{ names: ['a', 'b'], why: 'a and b cannot be told apart by these data' }]);
  expect(both.values.map((v) => [v.low, v.high, v.isDecided])).toEqual([
    [0.5, 5, false],
    [0.5, 9, false],
  ]);
  expect(both.values[0].value * both.values[1].value).toBeCloseTo(6, 1);
  const idle = await run([y], [([a], t) => a * Math.sin(t)], [free('a', 1, 9), free('z', 0, 1)]);
  expect(idle.notDecided).toEqual([{ names: ['z'], why: 'Nothing that was measured depends on z' }]);
  expect(idle.values[0].isDecided).toBe(true);
  // so little of it that noise hides it
  const faint = await run([y], [([a, d], t) => a * Math.sin(t) + 0.001 * d * t], [free('a', 1, 9), free('d', -1, 1)]);
  expect(faint.notDecided.map((g) => g.names)).toEqual([['d']]);
});
test('a frequency is found among many low points, a range over decades is searched evenly', async () => {
  const y = course(times(300, 10), (t) => Math.sin(7.3 * t), 5, 0.2);
  const { values, starts } = await run([y], [([w], t) => Math.sin(w * t)], [free('w', 1, 20)]);
  expect(values[0].value).toBeCloseTo(7.3, 1);
  expect(starts.tried).toBeGreaterThan(1);
  const small = await run(
    [course(times(200, 0.05), (t) => Math.exp(-t / 0.003), 1, 0.01)],
    [([tau], t) => Math.exp(-t / tau)],
    [free('tau', 1e-5, 10)],
  );
  expect(small.values[0].value).toBeCloseTo(0.003, 3);
});
test('columns count by how much their own residuals vary', async () => {
  const time = times(400, 5);
  const f = [([a]: readonly number[], t: number) => a * t, ([a]: readonly number[], t: number) => a * t];
  // the second says the same, a thousand times less exactly, and is off by something
  const ys = [
    course(time, (t) => 2 * t, 1, 0.001, 'fine'),
    course(time, (t) => 2 * t + 0.5 * Math.sign(t - 1), 2, 1, 'rough'),
  ];
  const { values, columns } = await run(ys, f, [free('a', 0, 5)]);
  expect(Math.abs(values[0].value - 2)).toBeLessThan(2e-4);
  expect(columns[0].rms).toBeCloseTo(0.001, 3);
  expect(columns[1].rms).toBeGreaterThan(0.9);
});
test('residuals that hang together are told, and widen the interval', async () => {
  const time = times(400, 5);
  const wrong = await run(
    [course(time, (t) => 2 * t + 0.3 * Math.sin(2 * t), 1, 0.02)],
    [([a], t) => a * t],
    [free('a', 0, 5)],
  );
  expect(wrong.columns[0].isWhite).toBe(false);
  const right = await run([course(time, (t) => 2 * t, 1, 0.2)], [([a], t) => a * t], [free('a', 0, 5)]);
  expect(right.columns[0].isWhite).toBe(true);
  expect(wrong.values[0].high - wrong.values[0].low).toBeGreaterThan(2 * (right.values[0].high - right.values[0].low));
});
test('what is held back is not fitted, only looked at; a value outside its range stands at the edge', async () => {
  const time = times(100, 10);
  const y = course(time, (t) => (t < 8 ? 2 * t : 0), 1, 0.01);
  const { values, columns } = await run([y], [([a], t) => a * t], [free('a', 0, 5)], { holdBack: 0.25 });
  expect(values[0].value).toBeCloseTo(2, 3);
  expect(columns[0].rms).toBeLessThan(0.02);
  expect(columns[0].heldBack).toBeGreaterThan(5);
  const edge = await run([course(time, (t) => 2 * t, 1, 0.01)], [([a], t) => a * t], [free('a', 3, 5)]);
  expect(edge.values[0]).toMatchObject({ value: 3, isAtEdge: true });
});
test('random decays are found again', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.double({ min: 0.5, max: 9, noNaN: true }),
      fc.double({ min: 0.2, max: 3, noNaN: true }),
      fc.double({ min: -1.5, max: 1.5, noNaN: true }),
      async (a, tau, c) => {
        const { values } = await run([course(times(120, 6), (t) => decay([a, tau, c], t), 11, 0.01)], [decay], ranges);
        values.forEach((v, k) =>
          expect(Math.abs(v.value - [a, tau, c][k])).toBeLessThan(0.05 * Math.max(1, [a, tau, c][k])),
        );
      },
    ),
    { numRuns: 15 },
  );
});

// ------------------------------------------------------------------------------------------------------------- models
const fitted = (text: string, signals: readonly Course[] = []): Fitted => {
  const parsed = parseFile(text);
  if (parsed.problems.length > 0) throw new Error(parsed.problems[0].message);
  const made = flatten(libraryOfFile(parsed.value, 'f'), 'M', {
    signals: signals.map((s) => ({ target: s.quantity, expr: parseExpressionText(followText(s)).value, place: 'd' })),
  }).model;
  const { program, problems } = compile(made);
  if (!program) throw new Error(problems[0].message);
  return {
    program,
    model: made,
    options: {
      stop: 1,
      solver: 'auto',
      relative: 1e-8,
      absolute: 1e-11,
      step: 1e-3,
      recordEvery: 1e-3,
      values: new Map(),
      stimulus: [],
    },
  };
};
const fitOf = async (of: Fitted, outputs: readonly Course[], asked: readonly FreeValue[]): Promise<FitReport> => {
  const { value: indices, problem } = fittable(
    of,
    asked.map((r) => r.name),
  );
  if (!indices) throw new Error(problem!.message);
  const nominal = valuesAtStart(of.program, of.options, indices)!;
  return (await fit(
    simulatedAt(of, indices, outputs),
    outputs,
    asked.map((r, k) => ({ ...r, nominal: nominal[k] })),
    options,
  ))!;
};

test('who stops it is listened to while it goes on, and has the best values so far, without how certain they are', async () => {
  const time = times(60, 3);
  const y = course(time, (t) => 2 * Math.exp(-0.7 * t), 3, 0.01);
  const asked = [free('a', 0.1, 10), free('d', 0.01, 5)];
  let wanted = true;
  const slow: Simulated = {
    at(p) {
      // a thread that never listens would not hear of this
      setTimeout(() => (wanted = false), 0);
      const end = performance.now() + 15;
      while (performance.now() < end);
      return model([y], ([a, d], t) => a * Math.exp(-d * t)).at(p);
    },
  };
  const stopped = (await fit(slow, [y], asked, { ...options, goOn: () => wanted }))!;
  expect(stopped.runs).toBeLessThan(20);
  expect(stopped.settled).toBe(false);
  expect(stopped.values.map((v) => [v.isDecided, v.low, v.high])).toEqual([
    [false, 0.1, 10],
    [false, 0.01, 5],
  ]);
  expect(stopped.notDecided).toEqual([
    { names: ['a', 'd'], why: 'It was stopped before it was known how certain the values are' },
  ]);
  expect(stopped.columns[0].fitted).toHaveLength(60);
  const plain = model([y], ([a, d], t) => a * Math.exp(-d * t));
  const whole = (await fit(plain, [y], asked, options))!;
  expect(stopped.columns[0].rms).toBeGreaterThan(whole.columns[0].rms);
  // stopped in the middle of its steps it is nearer than where it began
  const half = (await fit(plain, [y], asked, { ...options, goOn: (runs) => runs < 60 }))!;
  expect(half.columns[0].rms).toBeLessThan(stopped.columns[0].rms);
  expect(await fit(plain, [y], asked, { ...options, goOn: () => false })).toBeUndefined();
});

test('a model with an input that follows what was measured: damping and start against the closed form', async () => {
  // x' = -d x + u, u = 1: x = 1/d + (x0 - 1/d) exp(-d t)
  const time = times(200, 4);
  const u: Course = { quantity: 'u', column: 'u', unit: '', time, values: time.map(() => 1) };
  const y = course(time, (t) => 1 / 1.7 + (0.2 - 1 / 1.7) * Math.exp(-1.7 * t), 4, 0.002, 'x');
  const of = fitted(
    'model M input Real u; parameter Real d = 1; Real x(start = 0, fixed = true); equation der(x) = u - d*x; end M;',
    [u],
  );
  const { values, columns, isAlong } = await fitOf(of, [y], [free('d', 0.1, 5), free('x', -1, 1)]);
  expect(values[0].low).toBeLessThan(1.7);
  expect(values[0].high).toBeGreaterThan(1.7);
  expect(values[0].value).toBeCloseTo(1.7, 1);
  expect(values[1].value).toBeCloseTo(0.2, 2);
  expect(columns[0].before).toBeGreaterThan(10 * columns[0].rms);
  expect(isAlong).toBe(true);
});
test('slopes that are integrated along are taken where they are those of runs side by side, and only there', async () => {
  const time = times(80, 4);
  const y = course(time, (t) => decay([3, 0.8, 0.5], t), 11, 0.02);
  const by: readonly ((p: readonly number[], t: number) => number)[] = [
    ([, tau], t) => Math.exp(-t / tau),
    ([a, tau], t) => (a * Math.exp(-t / tau) * t) / tau ** 2,
    () => 1,
  ];
  const withSlopes = (wrong: number): Simulated => ({
    ...model([y], decay),
    slopesAt: (p) => by.map((f, j) => [Float64Array.from(time, (t) => (j === 1 ? wrong : 1) * f(p, t))]),
  });
  const [plain, right, wrong, least] = await Promise.all(
    [model([y], decay), withSlopes(1), withSlopes(1.3), withSlopes(1.01)].map((m) => fit(m, [y], ranges, options)),
  );
  expect([plain, right, wrong, least].map((f) => f!.isAlong)).toEqual([false, true, false, false]);
  expect(right!.runs).toBeLessThan(0.8 * plain!.runs);
  for (const found of [right, wrong, least])
    found!.values.forEach((v, k) => {
      const { value, deviation } = plain!.values[k];
      expect(Math.abs(v.value - value)).toBeLessThan(1e-3 * deviation);
      expect(v.deviation / deviation).toBeCloseTo(1, 3);
    });
});
test('a ball that bounces: events in the model do not keep the values from being found', async () => {
  const text = `model M parameter Real e = 0.5; parameter Real g = 9; Real h(start = 1, fixed = true); Real v(start = 0, fixed = true);
    equation der(h) = v; der(v) = -g; when h < 0 then reinit(v, -e*pre(v)); end when; end M;`;
  const of = fitted(text);
  const time = times(300, 1.5);
  const truth = simulatedAt(of, fittable(of, ['e', 'g']).value!, [course(time, () => 0, 1, 0, 'h')]).at([0.8, 9.81])!;
  const y = { ...course(time, () => 0, 1, 0, 'h'), values: truth[0].map((x, k) => x + noise(9, k, 0.004)) };
  const { values, isAlong } = await fitOf(of, [y], [free('e', 0.3, 0.95), free('g', 5, 15)]);
  expect(values.map((v) => Number(v.value.toFixed(2)))).toEqual([0.8, 9.81]);
  expect(isAlong).toBe(false);
});
test('what cannot be found is told', () => {
  const of = fitted(
    'model M parameter Integer n = 2; constant Real c = 1; parameter Real p = 1; Real x(start = 0, fixed = true), y; equation der(x) = c*n - p*x; y = 2*x; end M;',
  );
  const told = (name: string): string | undefined => fittable(of, [name]).problem?.message;
  expect(told('n')).toContain('no real number');
  expect(told('c')).toContain('is a constant');
  expect(told('y')).toContain('follows from the equations');
  expect(told('q')).toContain('has no q');
  expect(told('p')).toBeUndefined();
  expect(told('x')).toBeUndefined();
  // a start that something else decides changes nothing
  const given = fitted(
    'model M parameter Real p = 1; Real x; Real z; Real w(start = 2, fixed = true); initial equation x = 3; equation der(x) = -p*x; z = -w; der(w) = -w; end M;',
  );
  const why = (name: string): string | undefined => fittable(given, [name]).problem?.message;
  expect(why('x')).toContain('x begins with 3 whatever it is given');
  expect(why('z')).toContain('z has to begin with -2');
  expect(why('w')).toBeUndefined();
  const values = ['x', 'z', 'w'].map((name) => given.model.indexOf.get(name)!);
  expect(valuesAtStart(given.program, given.options, values)).toEqual([3, -2, 2]);
});

// --------------------------------------------------------------------------------------------------------------- data
const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const read = (text: string): Measured => {
  const { value, problem } = readMeasured(bytes(text));
  if (!value) throw new Error(problem!.message);
  return value;
};
describe('files of measured values', () => {
  test('names, units, gaps, words, truths, decimal commas, time in other units and places', () => {
    const m = read('time [ms],speed [rpm],on,mode\n0,1,true,Idle\n10,,false,Idle\n20,3,true,Run\n');
    expect([...m.time]).toEqual([0, 0.01, 0.02]);
    expect(m.columns.map((c) => [c.name, c.unit, [...c.values]])).toEqual([
      ['speed', 'rpm', [1, NaN, 3]],
      ['on', '', [1, 0, 1]],
      ['mode', '', [NaN, NaN, NaN]],
    ]);
    expect(m.columns[2].words).toEqual(['Idle', 'Idle', 'Run']);
    expect(m.remarks).toEqual(['speed has 1 gap']);
    const comma = read('y;t\n0,5;0\n1,5;0,1\n');
    expect([[...comma.time], [...comma.columns[0].values]]).toEqual([
      [0, 0.1],
      [0.5, 1.5],
    ]);
    expect(read('time,x[2]\n0,1\n1,2\n').columns[0]).toMatchObject({ name: 'x[2]', unit: '' });
    expect(read('time,x [1]\n0,1\n1,2\n').columns[0]).toMatchObject({ name: 'x', unit: '' });
  });
  test.each([
    ['time,y\n0,1\n', 'at least two rows'],
    ['0,1\n1,2\n2,3\n', 'its first row are numbers'],
    ['time,y\n0,1\n2,2\n1,3\n', 'row 4 goes back in time, from 2 to 1 s'],
    ['time,y\n0,1\nsoon,2\n', 'row 3 has no time: soon'],
    ['time,y\n0,1\n1,many\n', 'y at 1 s is "many", which is no number'],
    ['time,y,y\n0,1,1\n1,2,2\n', 'two columns y'],
    ['time [m],y\n0,1\n1,2\n', 'is in m'],
    ['time\n0\n1\n', 'no columns with names'],
  ])('%j', (text, message) => {
    expect(readMeasured(bytes(text)).problem?.message).toContain(message);
  });
  const of = fitted(
    'model M input Real u; parameter Real p = 1; Real w(unit = "rad/s", start = 0, fixed = true); equation der(w) = u - p*w; end M;',
  );
  test('columns find their quantities, and units are converted', () => {
    const data = read('time,u,speed [rpm],other\n0,1,0,5\n1,1,60,5\n');
    const { value } = coursesOf(data, [{ column: 'speed', quantity: 'w' }], of.model, 'm.csv');
    expect(value?.inputs.map((c) => c.quantity)).toEqual(['u']);
    expect(value?.outputs[0].values[1]).toBeCloseTo(2 * Math.PI, 9);
    expect(value?.left).toEqual(['other']);
    const told = (text: string, maps: { column: string; quantity: string }[] = []): string | undefined =>
      coursesOf(read(text), maps, of.model, 'm.csv').problem?.message;
    expect(told('time,a\n0,1\n1,2\n')).toContain('No column of m.csv is a quantity');
    expect(told('time,w [N]\n0,1\n1,2\n')).toContain('w is in N: w is in rad/s');
    expect(told('time,p\n0,1\n1,2\n', [{ column: 'p', quantity: 'p' }])).toContain('p is a parameter');
    expect(told('time,a\n0,1\n1,2\n', [{ column: 'b', quantity: 'w' }])).toContain('has no column b');
    expect(told('time,a\n0,1\n1,2\n', [{ column: 'a', quantity: 'v' }])).toContain('has no v');
  });
});
