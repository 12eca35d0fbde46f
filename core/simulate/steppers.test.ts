import fc from 'fast-check';
import { dopri5 } from './dopri5';
import { radau5 } from './radau5';
import { euler, implicitEuler, rk4 } from './fixed-step';
import { createStepper } from './solvers';
import { initialStep, scaledNorm, type RightHandSide, type Stepper, type Tolerances } from './stepper';

const tolerances = (relative: number, n: number): Tolerances => ({
  relative,
  absolute: relative,
  nominal: new Float64Array(n).fill(1),
});

const run = (s: Stepper, start: readonly number[], end: number): Stepper => {
  s.reset(0, Float64Array.from(start));
  while (s.t < end) if (!s.step(end)) throw new Error(`stuck at ${s.t}`);
  return s;
};

/** y' = lambda (y - cos t) - sin t has the solution cos t for any lambda (Prothero and Robinson 1974). */
const prothero =
  (lambda: number): RightHandSide =>
  (t, y, dy) => {
    dy[0] = lambda * (y[0] - Math.cos(t)) - Math.sin(t);
  };

describe('orders of the methods', () => {
  const swing: RightHandSide = (_, y, dy) => {
    dy[0] = y[1];
    dy[1] = -Math.sin(y[0]);
  };
  const reference = run(dopri5(2, swing, tolerances(1e-13, 2), Infinity), [1, 0], 4).y;
  const error = (s: Stepper): number => Math.hypot(s.y[0] - reference[0], s.y[1] - reference[1]);

  test('Runge-Kutta 4: half the step, a sixteenth of the error', () => {
    const at = (h: number): number => error(run(rk4(2, swing, h), [1, 0], 4));
    expect(at(0.1) / at(0.05)).toBeGreaterThan(13);
    expect(at(0.1) / at(0.05)).toBeLessThan(19);
  });
  test('both Euler methods: half the step, half the error; the implicit one with its Jacobian by differences', () => {
    for (const method of [euler, implicitEuler]) {
      const at = (h: number): number => error(run(method(2, swing, h), [1, 0], 4));
      expect(at(2e-3) / at(1e-3)).toBeGreaterThan(1.9);
      expect(at(2e-3) / at(1e-3)).toBeLessThan(2.1);
    }
  });
  test('Dormand-Prince keeps the error in step with the tolerance', () => {
    const at = (tol: number): number => error(run(dopri5(2, swing, tolerances(tol, 2), Infinity), [1, 0], 4));
    for (const tol of [1e-5, 1e-7, 1e-9]) expect(at(tol)).toBeLessThan(60 * tol);
  });
  test('Radau IIA keeps the error in step with the tolerance', () => {
    const at = (tol: number): number => error(run(radau5(2, swing, tolerances(tol, 2), Infinity), [1, 0], 4));
    for (const tol of [1e-5, 1e-7, 1e-9]) expect(at(tol)).toBeLessThan(100 * tol);
  });
});

describe('stiffness', () => {
  test('the implicit Euler method stays calm where the explicit one is thrown off', () => {
    const calm = run(implicitEuler(1, prothero(-1e6), 0.01), [1], 2);
    expect(Math.abs(calm.y[0] - Math.cos(2))).toBeLessThan(1e-6);
    expect(() => expect(Math.abs(run(euler(1, prothero(-1e6), 0.01), [1], 2).y[0])).toBeLessThan(1e3)).toThrow();
  });
  test('the implicit method does not care how stiff the problem is', () => {
    const steps = [-1e2, -1e4, -1e6].map((lambda) => {
      const s = run(radau5(1, prothero(lambda), tolerances(1e-6, 1), Infinity), [1], 10);
      expect(Math.abs(s.y[0] - Math.cos(10))).toBeLessThan(1e-5);
      return s.counts.steps;
    });
    expect(Math.max(...steps)).toBeLessThan(150);
  });
  test('the explicit one notices it, and the automatic choice changes over', () => {
    const explicit = dopri5(1, prothero(-2000), tolerances(1e-4, 1), Infinity);
    explicit.reset(0, Float64Array.of(1));
    for (let k = 0; k < 200 && !explicit.stiff; k++) explicit.step(10);
    expect(explicit.stiff).toBe(true);
    const automatic = run(
      createStepper({ solver: 'auto', step: 1e-3 }, 1, prothero(-2000), tolerances(1e-4, 1), Infinity),
      [1],
      10,
    );
    expect(automatic.stiff).toBe(true);
    expect(automatic.counts.steps).toBeLessThan(400);
    expect(Math.abs(automatic.y[0] - Math.cos(10))).toBeLessThan(1e-3);
  });
  test('what is stiff only for a while is explicit again in the end; what stays stiff is not', () => {
    // towards cos(5 t), in a hurry before 1 s
    const problem =
      (later: number) =>
      (t: number, y: Float64Array, dy: Float64Array): void => {
        const rate = t < 1 ? 1e4 : later;
        dy[0] = -rate * (y[0] - Math.cos(5 * t)) - 5 * Math.sin(5 * t);
      };
    const [calmer, stiffer] = [2, 1e4].map((later) =>
      run(createStepper({ solver: 'auto', step: 1e-3 }, 1, problem(later), tolerances(1e-6, 1), Infinity), [1], 60),
    );
    for (const s of [calmer, stiffer]) expect(Math.abs(s.y[0] - Math.cos(300))).toBeLessThan(1e-4);
    expect(calmer.stiff).toBe(false);
    expect(stiffer.stiff).toBe(true);
    const implicit = run(radau5(1, problem(2), tolerances(1e-6, 1), Infinity), [1], 60);
    expect(calmer.counts.factorisations).toBeLessThan(implicit.counts.factorisations / 2);
  });
  test('a calm problem stays explicit', () => {
    const automatic = run(
      createStepper({ solver: 'auto', step: 1e-3 }, 1, prothero(-1), tolerances(1e-6, 1), Infinity),
      [1],
      10,
    );
    expect(automatic.stiff).toBe(false);
    expect(automatic.counts.jacobians).toBe(0);
  });
});

describe('dense output', () => {
  const methods: readonly (readonly [string, () => Stepper, number])[] = [
    ['dopri5', () => dopri5(1, prothero(-1), tolerances(1e-8, 1), Infinity), 1e-6],
    ['radau5', () => radau5(1, prothero(-1), tolerances(1e-8, 1), Infinity), 1e-5],
    ['rk4', () => rk4(1, prothero(-1), 0.05), 1e-6],
  ];
  test.each(methods)('%s: meets both ends of every step and the solution in between', (_, make, tolerance) => {
    const s = make();
    s.reset(0, Float64Array.of(1));
    const out = new Float64Array(1);
    let before = 1;
    while (s.t < 5) {
      s.step(5);
      s.interpolate(s.previous, out);
      expect(out[0]).toBeCloseTo(before, 12);
      s.interpolate(s.t, out);
      expect(out[0]).toBeCloseTo(s.y[0], 12);
      before = s.y[0];
      const middle = s.previous + 0.37 * (s.t - s.previous);
      s.interpolate(middle, out);
      expect(Math.abs(out[0] - Math.cos(middle))).toBeLessThan(tolerance);
    }
  });
});

test('steps never pass the limit, and end on it exactly', () => {
  fc.assert(
    fc.property(fc.array(fc.double({ min: 1e-4, max: 1, noNaN: true }), { minLength: 1, maxLength: 12 }), (gaps) => {
      for (const s of [
        dopri5(1, prothero(-3), tolerances(1e-6, 1), Infinity),
        radau5(1, prothero(-3), tolerances(1e-6, 1), Infinity),
        rk4(1, prothero(-3), 0.05),
      ]) {
        s.reset(0, Float64Array.of(1));
        let limit = 0;
        for (const gap of gaps) {
          limit += gap;
          while (s.t < limit) {
            expect(s.step(limit)).toBe(true);
            expect(s.t).toBeLessThanOrEqual(limit);
          }
          expect(s.t).toBe(limit);
        }
      }
    }),
    { numRuns: 25 },
  );
});

test('the error scale counts absolute and relative parts', () => {
  const tol: Tolerances = { relative: 0.1, absolute: 1, nominal: Float64Array.of(1, 10) };
  expect(scaledNorm(Float64Array.of(2, 0), Float64Array.of(10, 0), Float64Array.of(-5, 0), tol)).toBeCloseTo(
    Math.sqrt(1 / 2),
    12,
  );
  expect(scaledNorm(Float64Array.of(0, 10), Float64Array.of(0, 0), Float64Array.of(0, 0), tol)).toBeCloseTo(
    Math.sqrt(1 / 2),
    12,
  );
});

test('a first step is neither zero nor longer than allowed, even from rest', () => {
  const f: RightHandSide = (_, __, dy) => {
    dy[0] = 0;
  };
  const y = Float64Array.of(0);
  const h = initialStep(
    f,
    0,
    y,
    Float64Array.of(0),
    5,
    0.25,
    tolerances(1e-6, 1),
    new Float64Array(1),
    new Float64Array(1),
  );
  expect(h).toBeGreaterThan(0);
  expect(h).toBeLessThanOrEqual(0.25);
});

describe('every method', () => {
  /** y' = 2 t y has the solution c exp(t^2): it matters when and from where it starts. */
  const growing: RightHandSide = (t, y, dy) => {
    dy[0] = 2 * t * y[0];
  };
  const methods: readonly (readonly [string, () => Stepper, number])[] = [
    ['dopri5', () => dopri5(1, growing, tolerances(1e-9, 1), Infinity), 1e-6],
    ['radau5', () => radau5(1, growing, tolerances(1e-9, 1), Infinity), 1e-6],
    ['auto', () => createStepper({ solver: 'auto', step: 1e-3 }, 1, growing, tolerances(1e-9, 1), Infinity), 1e-6],
    ['rk4', () => rk4(1, growing, 1e-3), 1e-6],
    ['euler', () => euler(1, growing, 1e-4), 1e-2],
    ['implicit-euler', () => implicitEuler(1, growing, 1e-4), 1e-2],
  ];
  const goTo = (s: Stepper, end: number): number => {
    while (s.t < end) if (!s.step(end)) throw new Error(`stuck at ${s.t}`);
    return s.y[0];
  };
  test.each(methods)('%s begins anew where it is put, whatever it did before', (_, make, error) => {
    const s = make();
    s.reset(0, Float64Array.of(1));
    expect(goTo(s, 1) / Math.E).toBeCloseTo(1, 2);
    s.reset(0.5, Float64Array.of(3));
    expect([s.t, s.previous, s.y[0]]).toEqual([0.5, 0.5, 3]);
    const exact = 3 * Math.exp(1 - 0.25);
    expect(Math.abs(goTo(s, 1) / exact - 1)).toBeLessThan(error);
    // back in time as well
    s.reset(-1, Float64Array.of(2));
    expect(Math.abs(goTo(s, 0) / (2 * Math.exp(-1)) - 1)).toBeLessThan(error);
  });
  test.each(methods)('%s goes on from where it is moved to, without another start', (_, make, error) => {
    const s = make();
    s.reset(0, Float64Array.of(1));
    goTo(s, 0.5);
    const { steps } = s.counts;
    s.adjust(Float64Array.of(2));
    expect([s.t, s.y[0], s.counts.steps]).toEqual([0.5, 2, steps]);
    expect(Math.abs(goTo(s, 1) / (2 * Math.exp(0.75)) - 1)).toBeLessThan(error);
  });
});

test('the state whose error sets the steps is the one that moves', () => {
  // the first swings ever faster, the others hardly move
  const f: RightHandSide = (t, y, dy) => {
    dy[0] = y[1] * (1 + t);
    dy[1] = -y[0] * (1 + t);
    dy[2] = 1e-3;
    dy[3] = -1e-3 * y[3];
  };
  for (const make of [dopri5, radau5]) {
    const s = run(make(4, f, tolerances(1e-6, 4), Infinity), [0, 1, 0, 1], 20);
    const total = s.limits.reduce((a, b) => a + b, 0);
    expect(total).toBeGreaterThan(s.counts.steps / 8);
    expect(total).toBeLessThan((s.counts.steps + s.counts.rejected) / 2);
    expect(s.limits[0] + s.limits[1]).toBe(total);
  }
});
