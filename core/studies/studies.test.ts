import { heatedBlock } from '@/samples/heated-block';
import fc from 'fast-check';
import { newRequirement, newSetup, type Project } from '../project/project';
import { chart, projectOf, quantity, state, transition } from '../testing/run-project';
import { compareRecordings, type Comparison } from './compare';
import { pointsOf, quantileOf, readVariation, type Design, type Variation } from './design';
import { lookFor, lowestMargin, plainest, spaceOf, underRequirements } from './goal';
import { inThisThread, spreadOver, type RunWorker } from './many';
import { readMeasured, type Measured } from './measured';
import { createRunner, type Runner, type RunnerQuestion } from './runner';
import { crossingBetween, csvOf, sharesOf, varied } from './vary';

/** x' = -k x from x0, and a requirement that it is low after a second: x0 exp(-k) <= 0.3. */
const decay = (more: Partial<Project> = {}): Project => ({
  ...projectOf({
    quantities: [
      quantity('k', '1', { role: 'parameter', unit: '1/s' }),
      quantity('x0', '1', { role: 'parameter' }),
      quantity('n', '2', { role: 'parameter', type: 'Integer' }),
      quantity('x', '', { role: 'variable' }),
      quantity('s', '0', { role: 'variable' }),
    ],
    physics:
      'Real a[n];\ninitial equation x = x0;\nequation der(x) = -k*x;\nder(s) = x;\nfor i in 1:n loop a[i] = i*x; end for;',
  }),
  requirements: [
    { ...newRequirement('r1', 'R-1', 'low at the end'), formula: 'atEnd(x <= 0.3)' },
    { ...newRequirement('r2', 'R-2', 'never above 2'), formula: 'x <= 2' },
  ],
  setups: [{ ...newSetup('s', 'Decay'), stop: 1, relative: 1e-9, absolute: 1e-12, recordEvery: 0.01 }],
  ...more,
});
const runnerOf = (over: readonly string[], aims: readonly string[] = [], project = decay()): Runner => {
  const { value, problems } = createRunner({ project, setup: project.setups[0], over, aims });
  if (!value) throw new Error(problems[0].message);
  return value;
};
const told = (question: Partial<RunnerQuestion>): string | undefined => {
  const project = question.project ?? decay();
  return createRunner({ project, setup: project.setups[0], over: [], aims: [], ...question }).problems[0]?.message;
};

describe('many runs of one setup', () => {
  test('values and margins against the closed form, whatever was run before', () => {
    const runner = runnerOf(['k', 'x0'], ['x', 's', 'highest(x)']);
    expect(runner.nominal).toEqual([1, 1]);
    expect(runner.units).toEqual(['1/s', '']);
    for (const [k, x0] of [
      [1, 1],
      [3, 2.5],
      [0.1, 1],
      [1, 1],
    ]) {
      const { findings, aims, status } = runner.run({ values: [k, x0] });
      const end = x0 * Math.exp(-k);
      expect(status).toBe('finished');
      expect(findings.map((f) => [f.key, f.verdict])).toEqual([
        ['R-1', end <= 0.3 ? 'holds' : 'fails'],
        ['R-2', x0 <= 2 ? 'holds' : 'fails'],
      ]);
      expect(findings[0].margin).toBeCloseTo(0.3 - end, 6);
      expect(aims[0]).toBeCloseTo(end, 6);
      expect(aims[1]).toBeCloseTo((x0 - end) / k, 6);
      expect(aims[2]).toBeCloseTo(x0, 6);
    }
  });
  test('a value that decides what there is makes another model; one that does not fit fails its run only', () => {
    const runner = runnerOf(['n', 'k'], ['sum(a)']);
    const sum = (n: number, k: number): number | undefined => runner.run({ values: [n, k] }).aims[0];
    expect(sum(2, 1)).toBeCloseTo(3 * Math.exp(-1), 6);
    expect(sum(4, 0.5)).toBeCloseTo(10 * Math.exp(-0.5), 6);
    expect(sum(2, 2)).toBeCloseTo(3 * Math.exp(-2), 6);
    expect(runner.run({ values: [2.5, 1] })).toMatchObject({
      status: 'failed',
      problem: expect.stringContaining('takes whole numbers'),
    });
    expect(runner.run({ values: [-3, 1] }).status).toBe('failed');
    expect(runner.run({ values: [2, NaN] })).toMatchObject({
      status: 'failed',
      problem: expect.stringContaining('no number'),
    });
    expect(sum(2, 1)).toBeCloseTo(3 * Math.exp(-1), 6);
  });
  test('starts of states, and limits of values', () => {
    const project = decay();
    const limited: Project = {
      ...project,
      types: project.types.map((t) => ({
        ...t,
        quantities: t.quantities.map((q) => (q.name === 'k' ? { ...q, max: '2' } : q)),
      })),
    };
    const runner = runnerOf(['s', 'k'], ['s'], limited);
    expect(runner.run({ values: [5, 1] }).aims[0]).toBeCloseTo(5 + 1 - Math.exp(-1), 6);
    expect(runner.run({ values: [5, 1] }).problem).toBe('');
    expect(runner.run({ values: [5, 3] })).toMatchObject({
      status: 'finished',
      problem: expect.stringContaining('outside its limits'),
    });
    expect(runner.run({ values: [5, 3] }).aims[0]).toBeCloseTo(5 + (1 - Math.exp(-3)) / 3, 6);
  });
  test('what cannot be asked is told', () => {
    expect(told({ over: ['kk'] })).toContain('has no kk; did you mean k?');
    expect(told({ over: ['k', 'k'] })).toContain('varied twice');
    // what would change nothing is refused: a row of a table would say something else than was run
    expect(told({ over: ['x'] })).toContain('x begins with 1 whatever it is given');
    expect(told({ over: ['a[2]'] })).toContain('a[2] follows from the equations');
    expect(told({ aims: ['nothing + 1'] })).toMatch(/nothing/);
    expect(told({ aims: ['x +'] })).toBeTruthy();
  });
  test('messages at other times: the heated block is not broken by them, and an unknown one is told', () => {
    const runner = runnerOf([], [], heatedBlock as Project);
    const outcome = runner.run({ values: [], messages: [{ target: 'nobody.stop', time: 1 }] });
    expect(outcome).toMatchObject({ status: 'failed', problem: expect.stringContaining('nobody.stop') });
    const waits = projectOf(
      {
        quantities: [quantity('k', '0', { role: 'output' })],
        charts: [
          chart(
            'mode',
            [state('A'), state('B'), state('C', { entry: 'k := time' })],
            [transition('A', 'B', 'message go'), transition('B', 'C', 'message on')],
          ),
        ],
      },
      { stop: 1 },
    );
    const messages = [
      { target: 'on', time: 0.8 },
      { target: 'go', time: 0.2 },
    ];
    expect(runnerOf([], ['k'], waits).run({ values: [], messages }).aims[0]).toBeCloseTo(0.8, 9);
    const runs = runnerOf([], ['k'], waits);
    expect(runs.run({ values: [], messages: [messages[0]] }).aims[0]).toBe(0);
    expect(runs.run({ values: [], messages: [{ target: 'gone', time: 0.5 }] })).toMatchObject({
      status: 'failed',
      problem: expect.stringContaining('waits for gone; did you mean go?'),
    });
  });
  test('a quantity that is set at a moment', () => {
    const steps = projectOf(
      {
        quantities: [quantity('u', '0', { role: 'input' }), quantity('x', '0', { role: 'variable' })],
        physics: 'equation der(x) = u;',
      },
      { stop: 1 },
    );
    const stepping = runnerOf([], ['x'], steps);
    expect(stepping.run({ values: [], messages: [{ target: 'u', value: '2', time: 0.25 }] }).aims[0]).toBeCloseTo(
      1.5,
      6,
    );
    expect(stepping.refusalOf({ target: 'u', time: 0 })).toContain('u is a quantity: say what it is set to');
    expect(stepping.refusalOf({ target: 'x', value: '1', time: 0 })).toContain('follows from the equations');
    expect(stepping.refusalOf({ target: 'v', value: '1', time: 0 })).toContain('has no v');
    expect(stepping.refusalOf({ target: 'u', value: 'true', time: 0 })).toContain('u is a number');
    expect(stepping.refusalOf({ target: 'u', value: '1', time: 0 })).toBeUndefined();
  });
  test('the same outcomes from one worker and from three, in the order they were asked, and when stopped no holes', async () => {
    const points = Array.from({ length: 23 }, (_, k) => ({ values: [0.1 * (k + 1), 1] }));
    const strip = (all: readonly { seconds: number }[]) => all.map(({ seconds, ...o }) => (void seconds, o));
    const worker = (delay: number): RunWorker => {
      const runner = runnerOf(['k', 'x0'], ['x']);
      return {
        run: (asked) => new Promise((resolve) => setTimeout(() => resolve(asked.map((a) => runner.run(a))), delay)),
      };
    };
    const alone = await inThisThread(runnerOf(['k', 'x0'], ['x'])).run(points);
    const three = await spreadOver([worker(3), worker(0), worker(1)]).run(points);
    expect(strip(three)).toEqual(strip(alone));
    const some = await spreadOver([worker(0), worker(5)]).run(points, { goOn: (done) => done < 6 });
    expect(some.length).toBeLessThan(23);
    expect(strip(some)).toEqual(strip(alone).slice(0, some.length));
  });
});

describe('which values runs have', () => {
  const v = (text: string): Variation => {
    const { value, problem } = readVariation(text);
    if (!value) throw new Error(problem!.message);
    return value;
  };
  const design = (texts: readonly string[], more: Partial<Design> = {}): Design => ({
    variations: texts.map(v),
    runs: 100,
    seed: 1,
    drawing: 'slices',
    correlations: [],
    ...more,
  });
  const points = (d: Design): readonly (readonly number[])[] => {
    const { value, problem } = pointsOf(d);
    if (!value) throw new Error(problem!.message);
    return value;
  };
  test('ranges and lists: every combination, the last one quickest', () => {
    expect(points(design(['a=0:1:3', 'b=5,7']))).toEqual([
      [0, 5],
      [0, 7],
      [0.5, 5],
      [0.5, 7],
      [1, 5],
      [1, 7],
    ]);
    expect(
      points(design(['a=0.1:0.7:7']))
        .map(([x]) => x)
        .at(-1),
    ).toBe(0.7);
    expect(points(design(['a=3:3:1']))).toEqual([[3]]);
    expect(points(design(['a=1,2', 'b~uniform(0,1)'], { runs: 4 }))).toHaveLength(8);
  });
  test.each(['random', 'slices', 'sobol'] as const)(
    'drawn values have the mean and the spread that was asked: %s',
    (drawing) => {
      const all = points(
        design(['a~normal(10, 2)', 'b~uniform(-1, 3)', 'c~triangular(0, 1, 5)', 'd~lognormal(4, 2)'], {
          runs: 4000,
          drawing,
        }),
      );
      const moments = (k: number): [number, number] => {
        const mean = all.reduce((s, p) => s + p[k], 0) / all.length;
        return [mean, Math.sqrt(all.reduce((s, p) => s + (p[k] - mean) ** 2, 0) / all.length)];
      };
      const near = (k: number, mean: number, spread: number): void => {
        expect(Math.abs(moments(k)[0] - mean)).toBeLessThan(0.12 * spread);
        expect(Math.abs(moments(k)[1] - spread)).toBeLessThan(0.12 * spread);
      };
      near(0, 10, 2);
      near(1, 1, 4 / Math.sqrt(12));
      near(2, 2, Math.sqrt((0 + 1 + 25 - 0 - 0 - 5) / 18));
      // the middle of the logarithms
      expect([...all].map((p) => p[3]).sort((x, y) => x - y)[2000]).toBeCloseTo(4, 0);
    },
  );
  test('slices: each has one value; the same seed the same values, another one others', () => {
    const all = points(design(['a~uniform(0,1)', 'b~uniform(0,1)'], { runs: 50 }));
    for (const k of [0, 1]) expect(new Set(all.map((p) => Math.floor(p[k] * 50))).size).toBe(50);
    // anywhere in its slice
    const inSlice = all.map(([x]) => x * 50 - Math.floor(x * 50));
    expect(Math.min(...inSlice)).toBeLessThan(0.2);
    expect(Math.max(...inSlice)).toBeGreaterThan(0.8);
    expect(points(design(['a~uniform(0,1)'], { seed: 3 }))).toEqual(points(design(['a~uniform(0,1)'], { seed: 3 })));
    expect(points(design(['a~uniform(0,1)'], { seed: 3 }))).not.toEqual(
      points(design(['a~uniform(0,1)'], { seed: 4 })),
    );
  });
  test('correlated values', () => {
    const all = points(
      design(['a~normal(0,1)', 'b~normal(5,3)', 'c~normal(0,1)'], {
        runs: 4000,
        correlations: [
          { a: 'a', b: 'b', r: 0.8 },
          { a: 'c', b: 'a', r: -0.5 },
        ],
      }),
    );
    const r = (i: number, j: number): number => {
      const m = [i, j].map((k) => all.reduce((s, p) => s + p[k], 0) / all.length);
      const c = all.reduce((s, p) => s + (p[i] - m[0]) * (p[j] - m[1]), 0);
      const d = [i, j].map((k, q) => all.reduce((s, p) => s + (p[k] - m[q]) ** 2, 0));
      return c / Math.sqrt(d[0] * d[1]);
    };
    expect(r(0, 1)).toBeCloseTo(0.8, 1);
    expect(r(0, 2)).toBeCloseTo(-0.5, 1);
    expect(r(1, 2)).toBeCloseTo(-0.4, 0);
  });
  test('quantiles go up, and stay within limits', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 1e-6, max: 1 - 1e-6, noNaN: true }),
        fc.double({ min: 1e-6, max: 1 - 1e-6, noNaN: true }),
        (p, q) => {
          const of = { kind: 'triangular', low: -2, mode: 1, high: 1.5 } as const;
          const [a, b] = [Math.min(p, q), Math.max(p, q)].map((x) => quantileOf(of, x));
          expect(a).toBeLessThanOrEqual(b);
          expect(a).toBeGreaterThanOrEqual(-2);
          expect(b).toBeLessThanOrEqual(1.5);
        },
      ),
    );
  });
  test.each([
    ['speed', 'no value with a range'],
    ['a=1:2', 'a range is from:to:count'],
    ['a=1:2:0', 'no number of values'],
    ['a=1:2:1', 'does not go from 1 to 2'],
    ['a=1,x', 'not all numbers'],
    ['a~cauchy(0,1)', 'there is normal'],
    ['a~normal(0,-1)', 'above 0'],
    ['a~uniform(2,1)', 'above the first'],
    ['a~triangular(0,9,5)', 'go up'],
  ])('%s is told', (text, message) => {
    expect(readVariation(text).problem?.message).toContain(message);
  });
  test('too many runs, contradictions', () => {
    const why = (d: Design): string | undefined => pointsOf(d).problem?.message;
    expect(why(design(['a=0:1:2000', 'b=0:1:2000']))).toContain('4,000,000 runs, more than 1,000,000');
    expect(why(design(['a=1,2', 'a=3,4']))).toContain('varied twice');
    const three = ['a~normal(0,1)', 'b~normal(0,1)', 'c~normal(0,1)'];
    expect(
      why(
        design(three, {
          correlations: [
            { a: 'a', b: 'b', r: 0.9 },
            { a: 'b', b: 'c', r: 0.9 },
            { a: 'a', b: 'c', r: -0.9 },
          ],
        }),
      ),
    ).toContain('contradict');
    expect(why(design(three, { correlations: [{ a: 'a', b: 'd', r: 0.9 }] }))).toContain('d is not drawn');
  });
});

test('a table of runs, shares that hold with their interval, and the value at which it begins to fail', async () => {
  const runner = runnerOf(['k'], ['x']);
  const points = [0.5, 1, 1.5, 2, -1, NaN].map((k) => [k]);
  const table = await varied(runner, inThisThread(runner), { over: ['k'], aims: ['x'] }, points);
  const [share] = sharesOf(table);
  expect(share).toMatchObject({ key: 'R-1', holds: 2, fails: 3, undecided: 1, share: 0.4, leastRow: 4 });
  expect(share.least).toBeCloseTo(0.3 - Math.E, 6);
  expect(share.low).toBeGreaterThan(0.1);
  expect(share.high).toBeLessThan(0.8);
  const rows = csvOf(table).trim().split('\n');
  expect(rows[0]).toBe('run,k [1/s],R-1 verdict,R-1 margin,R-2 verdict,R-2 margin,x,status,problem');
  expect(rows[1]).toMatch(/^1,0\.5,fails,-0\.306\d+,holds,1,0\.6065\d+,finished,$/);
  expect(rows).toHaveLength(7);
  expect(rows[6]).toMatch(/^6,,undecided,,undecided,,,failed,k = NaN is no number$/);
  // exp(-k) = 0.3
  const holds = async (k: number): Promise<boolean> => runner.run({ values: [k] }).findings[0].verdict === 'holds';
  const found = await crossingBetween(holds, 1, 1.5, false);
  expect(found!.holdsAt).toBeCloseTo(-Math.log(0.3), 5);
  expect(found!.failsAt).toBeLessThan(found!.holdsAt);
  expect(await crossingBetween(async () => undefined, 1, 2, true)).toBeUndefined();
});

describe('the best, and what breaks it', () => {
  const options = { runs: 150, seed: 1, method: 'both' } as const;
  test('the least integral that keeps a requirement: on its border', async () => {
    // s = (x0 - x0 exp(-k))/k falls with k; x0 exp(-k) <= 0.3 holds from k = ln(x0/0.3) on: most s at the border
    const runner = runnerOf(['k'], ['s']);
    const space = spaceOf(runner, [{ name: 'k', low: 0.1, high: 5 }], []);
    const judge = underRequirements(-1, (o) => o.aims[0], new Set(['R-1', 'R-2']));
    const { best, outcome } = await lookFor(inThisThread(runner), space.bounds, space.ask, judge, space.start, options);
    const k = -Math.log(0.3);
    expect(best!.point[0]).toBeCloseTo(k, 2);
    expect(best!.worth.broken).toBe(0);
    expect(outcome!.aims[0]).toBeCloseTo(0.7 / k, 2);
    // what is not among the constraints keeps nothing
    const freely = underRequirements(-1, (o) => o.aims[0], new Set(['R-2']));
    const other = await lookFor(inThisThread(runner), space.bounds, space.ask, freely, space.start, options);
    expect(other.best!.point[0]).toBeCloseTo(0.1, 3);
    expect(other.best!.worth.broken).toBe(0);
  });
  test('a run that does not decide what the design decides does not keep it', async () => {
    const project = decay();
    const late: Project = {
      ...project,
      requirements: [
        { ...newRequirement('r3', 'R-3', 'soon'), formula: 'implies(rising(s > 0.2), within(0.5, x < 0.9))' },
      ],
    };
    const runner = runnerOf(['x0'], ['s'], late);
    // from below about 0.3 on s never comes to 0.2: nothing is decided, and s is least
    const verdict = (x0: number): string => runner.run({ values: [x0] }).findings[0].verdict;
    expect([verdict(0.1), verdict(1)]).toEqual(['undecided', 'holds']);
    const space = spaceOf(runner, [{ name: 'x0', low: 0.05, high: 1.2 }], []);
    const watched = new Set(['R-3']);
    const best = async (decided: ReadonlySet<string>): Promise<number> => {
      const judge = underRequirements(1, (o) => o.aims[0], watched, decided);
      return (await lookFor(inThisThread(runner), space.bounds, space.ask, judge, space.start, options)).best!.point[0];
    };
    expect(await best(new Set())).toBeCloseTo(0.05, 3);
    // s(1) = x0 (1 - exp(-1))
    expect(await best(watched)).toBeCloseTo(0.2 / (1 - Math.exp(-1)), 2);
  });
  test('the lowest margin, made plain: what does not matter goes back to its value', async () => {
    const runner = runnerOf(['x0', 'k', 's'], []);
    const over = [
      { name: 'x0', low: 0.5, high: 3 },
      { name: 'k', low: 0.5, high: 2 },
      { name: 's', low: -9, high: 9 },
    ];
    const space = spaceOf(runner, over, []);
    const executor = inThisThread(runner);
    const { best } = await lookFor(executor, space.bounds, space.ask, lowestMargin('R-2'), space.start, options);
    expect(best!.worth.value).toBeCloseTo(-1, 3);
    const plain = await plainest(
      executor,
      best!.point,
      runner.nominal,
      space.ask,
      (o) => o.findings[1].verdict === 'fails',
    );
    expect(plain.point).toEqual([3, 1, 0]);
  });
  test('where nothing breaks it, the lowest margin is told; runs that fail do not end it', async () => {
    const runner = runnerOf(['x0', 'n'], []);
    const space = spaceOf(
      runner,
      [
        { name: 'x0', low: 0.1, high: 1.5 },
        { name: 'n', low: -2, high: 3 },
      ],
      [],
    );
    const report = await lookFor(
      inThisThread(runner),
      space.bounds,
      space.ask,
      lowestMargin('R-2'),
      space.start,
      options,
    );
    expect(report.best!.worth.value).toBeCloseTo(0.5, 4);
    expect(report.failed).toBeGreaterThan(0);
    expect(report.problems.length).toBeGreaterThan(0);
  });
});

describe('two recordings', () => {
  const read = (text: string): Measured => readMeasured(new TextEncoder().encode(text)).value!;
  const plain = { relative: 1e-3, absolute: 1e-12, time: 0, shift: 0 };
  const compare = (a: string, b: string, more: Partial<typeof plain> = {}): Comparison =>
    compareRecordings(read(a), read(b), { ...plain, ...more });
  test('the same, whatever rows they have; units are converted', () => {
    expect(compare('time,y\n0,0\n1,1\n2,2\n', 'time,y\n0,0\n0.5,0.5\n2,2.001\n').same).toBe(true);
    expect(compare('time,y [rpm]\n0,60\n1,60\n', 'time,y [rad/s]\n0,6.283185\n1,6.283185\n').same).toBe(true);
  });
  test('the first place of all, and how far they are apart at most', () => {
    const c = compare('time,y,z\n0,0,1\n1,1,1\n2,2,1\n', 'time,y,z\n0,0,1\n1,1,1.2\n2,2.5,1\n');
    expect(c.same).toBe(false);
    expect(c.first).toEqual({ column: 'z', time: 1, a: 1, b: 1.2 });
    expect(c.columns[0]).toMatchObject({ name: 'y', difference: 0.5, at: 2, same: false });
  });
  test('a jump is looked at from both sides', () => {
    const c = compare('time,y\n0,0\n1,0\n1,5\n3,5\n', 'time,y\n0,0\n1,5\n3,5\n');
    expect(c.first).toEqual({ column: 'y', time: 1, a: 0, b: 5 });
  });
  test('a jump a little later is the same within a time, and only then', () => {
    const a = 'time,y\n0,0\n1,0\n1,5\n3,5\n';
    const b = 'time,y\n0,0\n1.01,0\n1.01,5\n3,5\n';
    expect(compare(a, b).same).toBe(false);
    expect(compare(a, b).first?.time).toBe(1);
    expect(compare(a, b, { time: 0.02 }).same).toBe(true);
    expect(compare(a, b, { shift: -0.01 }).columns[0].same).toBe(true);
  });
  test('words, missing columns, other lengths, units that do not fit', () => {
    const words = compare('time,m\n0,A\n1,B\n2,B\n', 'time,m\n0,A\n1,A\n2,B\n');
    expect(words.first).toEqual({ column: 'm', time: 1, a: 'B', b: 'A' });
    const other = compare('time,y,p\n0,1,1\n1,1,1\n', 'time,y,q\n0,1,1\n9,1,1\n');
    expect([other.onlyInFirst, other.onlyInSecond, other.columns[0].same]).toEqual([['p'], ['q'], true]);
    expect(other.span).toBe('');
    const short = compare(`time,y\n${[0, 1, 2, 3, 4].map((t) => `${t},1`).join('\n')}\n`, 'time,y\n0,1\n1,1\n2,1\n');
    expect([short.same, short.span]).toEqual([false, 'one ends at 4 s, the other at 2 s']);
    expect(compare('time,y [m]\n0,1\n1,1\n', 'time,y [s]\n0,1\n1,1\n').columns[0].problem).toContain('does not fit');
    expect(compare('time,y\n0,1\n1,1\n', 'time,y\n5,1\n6,1\n').span).toContain('no time in common');
  });
});
