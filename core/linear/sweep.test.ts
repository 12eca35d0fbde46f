import { newSignalLine, newSignalSheet, type Project, type SignalSheet } from '../project/project';
import { projectOf, quantity, row } from '../testing/run-project';
import { locusOf, paired, type LocusQuestion } from './locus';
import { loopPicture } from './loop-picture';
import { sweepOf, type SweepQuestion } from './sweep';

const sheets = (lines: readonly string[], more: Partial<SignalSheet> = {}, setup = {}): Project =>
  projectOf(
    {
      quantities: [quantity('u', '1', { role: 'input' }), quantity('k', '2', { role: 'parameter' })],
      signals: [{ ...newSignalSheet('s', 'S'), lines: lines.map((t, j) => newSignalLine(`l${j}`, t)), ...more }],
    },
    { stop: 1, relative: 1e-8, absolute: 1e-10, ...setup },
  );
const sweep = (p: Project, more: Partial<SweepQuestion> = {}) => {
  const { value, problems } = sweepOf(p, {
    from: 'u',
    to: 'y',
    setup: 's',
    at: 0,
    amplitude: 0.1,
    low: 0.5,
    high: 50,
    count: 7,
    ...more,
  });
  if (!value) throw new Error(problems.map((x) => x.message).join());
  return value;
};

describe('a measured response', () => {
  test('of a linear model is that of its linear model, with nothing beside its frequency', () => {
    const p = sheets(['y = lag2(u, w = 5, d = 0.2)']);
    const r = sweep(p);
    r.w.forEach((w, k) => {
      // 25/(25 - w^2 + 2 i w)
      const [a, b] = [25 - w * w, 2 * w];
      const n = a * a + b * b;
      expect(r.response[k][0]).toBeCloseTo((25 * a) / n, 3);
      expect(r.response[k][1]).toBeCloseTo((-25 * b) / n, 3);
    });
    expect(Math.max(...r.rest)).toBeLessThan(0.02);
    expect(r.settled).toEqual(r.w.map(() => true));
  });

  test('begins at the moment, around what the input is there, after what the setup has done to it', () => {
    // y = u^2: 2 u0 for small swings
    const p = sheets(['y = lag(u*u, T = 0.05)'], {}, { stimulus: [row('set', 0.3, 'u', '3')] });
    const near = (at: number) => sweep(p, { at, low: 0.4, high: 0.5, count: 1, amplitude: 0.01 }).response[0];
    expect(Math.hypot(...near(0.1))).toBeCloseTo(2, 2);
    expect(Math.hypot(...near(0.9))).toBeCloseTo(6, 2);
  });

  test('of large swings differs from the linear one, and what is not of its frequency is told: a limit', () => {
    const p = sheets(['y = lag(limit(4*(u - 1), -1, 1), T = 0.01)']);
    const small = sweep(p, { amplitude: 0.1, low: 1, high: 2, count: 1 });
    const large = sweep(p, { amplitude: 2, low: 1, high: 2, count: 1 });
    expect(Math.hypot(...small.response[0])).toBeCloseTo(4, 2);
    // describing function of a limit: 2 k/pi (asin(x) + x sqrt(1 - x^2)), x = 1/(k a)
    const x = 1 / 8;
    expect(Math.hypot(...large.response[0])).toBeCloseTo(
      ((2 * 4) / Math.PI) * (Math.asin(x) + x * Math.sqrt(1 - x * x)),
      2,
    );
    expect(large.rest[0]).toBeGreaterThan(0.3);
  });

  test('of ticks is that of the model from tick to tick', () => {
    const p = sheets(['y = lag(u, T = 0.3)'], { every: '0.05' });
    const r = sweep(p, { low: 1, high: 40, count: 6 });
    const a = Math.exp(-0.05 / 0.3);
    r.w.forEach((w, k) => {
      // (1 - a)/(z - a)
      const [c, s] = [Math.cos(w * 0.05) - a, Math.sin(w * 0.05)];
      const n = c * c + s * s;
      expect(r.response[k][0]).toBeCloseTo(((1 - a) * c) / n, 5);
      expect(r.response[k][1]).toBeCloseTo((-(1 - a) * s) / n, 5);
    });
  });

  test('what cannot be measured is told', () => {
    const refused = (more: Partial<SweepQuestion>): string =>
      sweepOf(sheets(['y = lag(u, T = 1)']), {
        from: 'u',
        to: 'y',
        setup: 's',
        at: 0,
        amplitude: 0.1,
        low: 1,
        high: 2,
        count: 2,
        ...more,
      })
        .problems.map((x) => x.message)
        .join();
    expect(refused({ amplitude: 0 })).toContain('amplitude above zero');
    expect(refused({ low: 2, high: 1 })).toContain('higher one');
    expect(refused({ from: 'y' })).toContain('from an input to an output');
    expect(refused({ open: 'y' })).toContain('leave the loop closed');
    expect(refused({ high: 1e6, low: 1e5 })).toContain('periods');
  });
});

describe('where poles go', () => {
  const p = sheets(['e = u - x', 'v = lag(k*e, T = 0.5)', 'x = integrate(v)']);
  const locus = (more: Partial<LocusQuestion>, of = p) => {
    const { value, problems } = locusOf(of, {
      from: 'e',
      to: 'e',
      open: 'e',
      setup: 's',
      at: 0,
      over: '',
      low: 0.01,
      high: 10,
      count: 31,
      ...more,
    });
    if (!value) throw new Error(problems.map((x) => x.message).join());
    return value;
  };
  test.each(['', 'k'])('over %p: those of T s^2 + s + k = 0, each going on from the one before', (over) => {
    const r = locus({ over });
    r.values.forEach((value, j) => {
      const k = over === '' ? 2 * value : value;
      const root = 1 - 4 * k * 0.5;
      const known =
        root >= 0
          ? [-1 + Math.sqrt(root), -1 - Math.sqrt(root)].map((x) => [x, 0])
          : [1, -1].map((s) => [-1, s * Math.sqrt(-root)]);
      for (const [re, im] of known)
        expect(Math.min(...r.poles[j].map((q) => Math.hypot(q[0] - re, q[1] - im)))).toBeLessThan(1e-5);
      if (j > 0) expect(Math.abs(r.poles[j][0][1] - r.poles[j - 1][0][1])).toBeLessThan(2);
    });
    expect(r.holds.every(Boolean)).toBe(true);
    expect(r.edges).toEqual([]);
  });
  test('the value at which it ceases to hold is found: three equal lags, a gain of 8', () => {
    const three = sheets(['e = u - z', 'x = lag(e)', 'y = lag(x)', 'z = lag(k*y)']);
    expect(locus({ over: 'k', low: 0.5, high: 20 }, three).edges[0]).toBeCloseTo(8, 2);
    expect(locus({ over: '', low: 0.5, high: 20 }, three).edges[0]).toBeCloseTo(4, 6);
  });
  test('poles that change their order go on from where they were', () => {
    const before = [
      [-1, 0],
      [-2, 1],
      [-2, -1],
    ] as const;
    const now = [
      [-2.1, -1.1],
      [-2.1, 1.1],
      [-1.2, 0],
    ] as const;
    expect(paired(before, now)).toEqual([now[2], now[1], now[0]]);
  });
  test('what is no parameter is told, and a range that is none', () => {
    const refused = (more: Partial<LocusQuestion>): string =>
      locusOf(p, { from: 'e', to: 'e', open: 'e', setup: 's', at: 0, over: '', low: 1, high: 2, count: 3, ...more })
        .problems.map((x) => x.message)
        .join();
    expect(refused({ over: 'kk' })).toMatch(/kk/);
    expect(refused({ over: 'u' })).toMatch(/u is no parameter/);
    expect(refused({ low: 3 })).toMatch(/above the first/);
  });
});

describe('at rest', () => {
  const tank = projectOf(
    {
      quantities: [quantity('u', '2', { role: 'input' }), quantity('h', '0.1', {}), quantity('far', '0', {})],
      physics: 'equation der(h) = u - 2*sqrt(h); der(far) = h;',
    },
    { stop: 1, stimulus: [row('set', 0.5, 'u', '4'), row('set', 50, 'u', '1')] },
  );
  const look = (at: number, to = 'h') => loopPicture(tank, { from: 'u', to, setup: 's', at, rest: true });
  test('it goes on from the moment with its inputs as they are, however long it takes', () => {
    // h = (u/2)^2, pole -1/sqrt(h)
    const early = look(0).value!;
    expect(early.isAtRest).toBe(true);
    expect(early.poles.some(([re]) => Math.abs(re + 1) < 1e-4)).toBe(true);
    expect(look(1).value!.poles.some(([re]) => Math.abs(re + 0.5) < 1e-4)).toBe(true);
  });
  test('what never rests is told by its name', () => {
    expect(
      look(0, 'far')
        .problems.map((x) => x.message)
        .join(),
    ).toMatch(/does not come to rest: far still moves/);
  });
});
