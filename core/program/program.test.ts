import { dopri5 } from '../simulate/dopri5';
import fc from 'fast-check';
import { analyse } from '../analysis/analyse';
import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseFile } from '../language/parse';
import { simulateText } from '../testing/simulate-text';
import { newton, newtonWork, solveDense, BlockFailure } from './newton';
import { instantiate } from './machine';
import { createProgram } from './program';
import { writeJavaScript } from './write-js';

const compileText = (text: string, name: string) =>
  createProgram(analyse(flatten(libraryOfFile(parseFile(text).value, 'text'), name).model));

test('linear systems are solved, singular ones recognised', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 6 }),
      fc.array(fc.double({ min: -5, max: 5, noNaN: true }), { minLength: 42, maxLength: 42 }),
      (n, numbers) => {
        const A = Float64Array.from({ length: n * n }, (_, k) => numbers[k] + (k % (n + 1) === 0 ? 40 : 0));
        const x = Float64Array.from({ length: n }, (_, k) => numbers[36 + k]);
        const b = Float64Array.from({ length: n }, (_, i) => x.reduce((s, xj, j) => s + A[i * n + j] * xj, 0));
        expect(solveDense(n, Float64Array.from(A), b)).toBe(true);
        b.forEach((value, k) => expect(value).toBeCloseTo(x[k], 8));
      },
    ),
  );
  expect(solveDense(2, Float64Array.of(1, 2, 2, 4), Float64Array.of(1, 2))).toBe(false);
});

test("Newton's method: a root it finds, and one it cannot", () => {
  const work = newtonWork(1);
  work.x[0] = 3;
  newton(
    0,
    false,
    work,
    (x, r) => {
      r[0] = x[0] ** 3 - 2;
    },
    (J) => {
      J[0] = 3 * work.x[0] ** 2;
    },
  );
  expect(work.x[0]).toBeCloseTo(Math.cbrt(2), 12);
  const none = newtonWork(1);
  none.x[0] = 0.7;
  expect(() =>
    newton(
      4,
      false,
      none,
      (x, r) => {
        r[0] = x[0] ** 2 + 1;
      },
      (J) => {
        J[0] = 2 * none.x[0];
      },
    ),
  ).toThrow(BlockFailure);
});

const circuit = `model Net parameter Real k = 2; Real x(start = 1), a, b(start = 1), c, out;
equation der(x) = -k*x + a; a + b^3 = 3 + x; a*b = 2; c = sin(time)*x; out = if c > 0 then c else -2*c; end Net;`;

test('the text of a user never reaches generated code', () => {
  const source = writeJavaScript(compileText(circuit.replace(/\bk\b/g, 'evil_name').replace('"', ''), 'Net').list);
  expect(source).not.toMatch(/evil_name|Net|out\b(?!puts|_)/);
});

test('derivatives and outputs tell the same, with and without local variables', () => {
  const text =
    'model Two Real x(start = 2), v(start = 1), f; equation der(x) = v; f = -3*x - 0.2*v + cos(time); der(v) = f; end Two;';
  const machine = instantiate(compileText(text, 'Two'));
  machine.parameters(new Map());
  machine.starts();
  machine.event(0.4);
  const dy = new Float64Array(2);
  machine.derivatives(0.4, Float64Array.of(2, 1), dy);
  expect([...dy]).toEqual([...machine.memory.d]);
  expect(dy[1]).toBeCloseTo(-6 - 0.2 + Math.cos(0.4), 14);
});

test('the written-out step gives the same as stage by stage', () => {
  const text =
    'model Two Real x(start = 2), v(start = 1); equation der(x) = v; der(v) = -3*x - 0.2*v*v + sin(3*time); end Two;';
  const machine = instantiate(compileText(text, 'Two'));
  machine.parameters(new Map());
  const array = (): Float64Array => new Float64Array(2);
  const [k1, k3, k4, k5, k6, k7, yNew, error] = Array.from({ length: 8 }, array);
  const absolute = Float64Array.of(1e-6, 1e-3),
    relative = 1e-4,
    sums = new Float64Array(3);
  const y = Float64Array.of(2, 1);
  machine.derivatives(0.3, y, k1);
  machine.flatStep!(0.3, 0.1, y, k1, k3, k4, k5, k6, k7, yNew, error, absolute, relative, sums);
  // a fifth order step against many small ones of the same equations
  let [x, v] = [2, 1];
  const n = 20_000,
    h = 0.1 / n;
  for (let k = 0; k < n; k++) {
    const t = 0.3 + k * h;
    const a = (tt: number, xx: number, vv: number): number => -3 * xx - 0.2 * vv * vv + Math.sin(3 * tt);
    const [vm, xm] = [v + (h / 2) * a(t, x, v), x + (h / 2) * v];
    [x, v] = [x + h * vm, v + h * a(t + h / 2, xm, vm)];
  }
  expect(Math.abs(yNew[0] - x)).toBeLessThan(1e-7);
  expect(Math.abs(yNew[1] - v)).toBeLessThan(1e-7);
  expect(Math.abs(error[0])).toBeLessThan(1e-6);
  const last = array();
  machine.derivatives(0.4, yNew, last);
  expect(last[1]).toBeCloseTo(k7[1], 12);
  const scale = [0, 1].map((k) => absolute[k] + relative * Math.max(Math.abs(y[k]), Math.abs(yNew[k])));
  const squares = (x: (k: number) => number): number => (x(0) / scale[0]) ** 2 + (x(1) / scale[1]) ** 2;
  expect(sums[0] / squares((k) => error[k])).toBeCloseTo(1, 12);
  expect(sums[1] / squares((k) => k7[k] - k6[k])).toBeCloseTo(1, 12);
});

test('steps with and without the written-out stages are the same, up to rounding', () => {
  const machine = instantiate(
    compileText(
      'model Two Real x(start = 2), v(start = 1); equation der(x) = v; der(v) = -3*x - 0.2*v*v + sin(3*time); end Two;',
      'Two',
    ),
  );
  machine.parameters(new Map());
  const tolerances = { relative: 1e-7, absolute: 1e-9, nominal: Float64Array.of(1, 1) };
  const end = [machine.flatStep, undefined].map((flat) => {
    const stepper = dopri5(2, machine.derivatives, tolerances, Infinity, flat);
    stepper.reset(0, Float64Array.of(2, 1));
    while (stepper.t < 5) stepper.step(5);
    const inside = new Float64Array(2);
    stepper.interpolate(4.999, inside);
    return { y: [...stepper.y], steps: stepper.counts.steps, inside: [...inside] };
  });
  expect(end[0].steps).toBe(end[1].steps);
  for (const k of [0, 1]) {
    expect(end[0].y[k]).toBeCloseTo(end[1].y[k], 12);
    expect(end[0].inside[k]).toBeCloseTo(end[1].inside[k], 9);
  }
});

test('conditions are held between events and live at them', () => {
  const machine = instantiate(
    compileText(
      'model Switch Real x(start = -1), y; equation der(x) = 1; y = if x > 0 then 10 else 20; end Switch;',
      'Switch',
    ),
  );
  machine.parameters(new Map());
  machine.starts();
  machine.event(0);
  const { v, m, live, z } = machine.memory;
  expect(v[1]).toBe(20);
  v[0] = 0.5;
  machine.outputs(0);
  expect(v[1]).toBe(20);
  machine.conditions(0);
  expect([m[0], live[0], z[0]]).toEqual([0, 1, 0.5]);
  machine.event(0);
  expect(v[1]).toBe(10);
});

test('a loop whose residual is the rounding of large numbers ends where no step makes it less', () => {
  // the drop over a check valve between two almost equal pressures: 0.03 of 2452
  const r = simulateText(
    `model T Hydraulic.Accumulator a(C = 2e-11, p(start = 2460, fixed = true)); Hydraulic.Pipe hose(L = 1.5, d = 0.008); Hydraulic.CheckValve check(G = 2e-8); Hydraulic.Tank t(A = 0.02, h(start = 0.25, fixed = true));
equation connect(a.port, hose.a); connect(hose.b, check.a); connect(check.b, t.port); end T;`,
    'T',
    { stop: 1, solver: 'auto', relative: 1e-6, absolute: 1e-9, recordEvery: 0.01 },
  );
  expect(r.simulation.problem).toBeUndefined();
  expect(r.last('a.p') / 2452.5).toBeCloseTo(1, 6);
});

test('conditions in branches that are not taken, and those of functions, are no events; kinks neither', () => {
  // near rest the flow is proportional: the sign in the other branch changes with every rounding
  const law = 'if abs(dp) > 1e-4 then sign(dp)*sqrt(abs(dp)) else dp/sqrt(1e-4)';
  const tanks = (flow: string, more = ''): string =>
    `model T ${more} Real h[2](start = {2, 0}, each fixed = true), q, dp; equation dp = h[1] - h[2]; q = 0.3*${flow}; der(h[1]) = -q; der(h[2]) = q; end T;`;
  const options = { stop: 30, solver: 'auto', relative: 1e-9, absolute: 1e-11 } as const;
  const plain = simulateText(tanks(`(${law})`), 'T', options);
  const inFunction = simulateText(
    tanks('f(dp)', `function f input Real dp; output Real q; algorithm q := ${law}; end f;`),
    'T',
    options,
  );
  expect(plain.simulation.counts.events).toBeLessThan(5);
  expect(inFunction.simulation.counts.events).toBeLessThan(plain.simulation.counts.events);
  // d(dp)/dt = -0.6 sqrt(dp): at 2 s sqrt(dp) = sqrt(2) - 0.6
  for (const r of [plain, inFunction]) {
    expect(r.at('dp', 2)).toBeCloseTo((Math.SQRT2 - 0.6) ** 2, 6);
    expect(r.last('dp')).toBeCloseTo(0, 9);
    expect(r.simulation.counts.steps).toBeLessThan(1000);
  }
  // sixteen changes of sign in a branch that is taken later, if ever
  const later = (from: number): number =>
    simulateText(
      `model T Real y(start = 0, fixed = true); equation der(y) = if time < ${from} then 0 else if sin(50*time) > 0 then 1 else -1; end T;`,
      'T',
      { stop: 1, solver: 'dopri5', relative: 1e-6, absolute: 1e-9 },
    ).simulation.counts.events;
  expect(later(2)).toBe(0);
  // from 0.5 s on: the change itself, and k pi/50 for k = 8 .. 15
  expect(later(0.5)).toBe(9);
  // a branch that is taken is watched
  const stop = simulateText(
    'model T Real x(start = -1, fixed = true), y(start = 0, fixed = true); equation der(x) = 1; der(y) = if x > 0 then (if x > 0.5 then 3 else 1) else 0; end T;',
    'T',
    { stop: 2, solver: 'dopri5', relative: 1e-6, absolute: 1e-9 },
  );
  expect(stop.simulation.counts.events).toBe(2);
  expect(stop.last('y')).toBeCloseTo(0.5 + 0.5 * 3, 9);
});
