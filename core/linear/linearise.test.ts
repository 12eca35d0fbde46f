import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseFile } from '../language/parse';
import { compile } from '../simulate/compile';
import { createSimulation } from '../simulate/simulation';
import { defaults } from '../testing/simulate-text';
import { frequencyResponse } from './frequency-response';
import { linearise, type LinearModel } from './linearise';
import { bandwidthOf, marginsOf } from './margins';

/** Linear models around a moment, against closed forms and against differences of the model itself. */

function linearOf(text: string, from: readonly string[], to: readonly string[], at = 0, cut: readonly string[] = []) {
  const parsed = parseFile(text);
  const [name] = [...text.matchAll(/(?:^|; |\n)model (\w+)/g)].map((m) => m[1]).slice(-1);
  const { model } = flatten(libraryOfFile(parsed.value, 'text'), name);
  const { program, problems } = compile(model);
  if (!program) throw new Error([...parsed.problems, ...problems].map((p) => p.message).join('; '));
  const quiet = { row: () => undefined, message: () => undefined, transition: () => undefined };
  const simulation = createSimulation(program, { ...defaults, stop: Math.max(1, at + 1) }, quiet);
  simulation.advance(at > 0 ? at : 1e-9);
  if (simulation.problem) throw new Error(simulation.problem.message);
  const { memory, clock } = simulation.state;
  const { solvable } = program;
  const number = (x: string): number => {
    const k = solvable.model.variables.findIndex((v) => v.name === x);
    if (k < 0) throw new Error(`no quantity ${x}`);
    return solvable.aliases.get(k)?.index ?? k;
  };
  simulation.machine.outputs(clock.time);
  const point = { time: clock.time, values: memory.v.slice(), derivatives: memory.d.slice() };
  const linear = linearise(solvable, point, from.map(number), to.map(number), new Set(cut.map(number)));
  return { linear, names: linear.states.map((s) => solvable.model.variables[s].name), solvable, point };
}
const rows = (M: LinearModel['A']): number[][] => M.map((row) => [...row]);

test('a motor: the matrices of its equations', () => {
  const { linear, names } = linearOf(
    `model Motor parameter Real R = 1.2, L = 8e-4, k = 0.035, J = 5e-5, d = 2e-4; input Real u(start = 12); Real i(start = 0), w(start = 0); output Real y;
equation L*der(i) = u - R*i - k*w; J*der(w) = k*i - d*w; y = 3*w + 0.1*u; end Motor;`,
    ['u'],
    ['y'],
  );
  const order = ['i', 'w'].map((x) => names.indexOf(x));
  const A = order.map((r) => order.map((c) => linear.A[r][c]));
  expect(A).toEqual([
    [expect.closeTo(-1500, 9), expect.closeTo(-43.75, 9)],
    [expect.closeTo(700, 9), expect.closeTo(-4, 9)],
  ]);
  expect(order.map((r) => linear.B[r][0])).toEqual([expect.closeTo(1250, 9), 0]);
  expect(order.map((c) => linear.C[0][c])).toEqual([0, 3]);
  expect(rows(linear.D)).toEqual([[0.1]]);
});

test('around the moment at hand: a pendulum hanging and standing, a tank that runs out', () => {
  const pendulum = (angle: number): string =>
    `model P input Real u; Real a(start = ${angle}, fixed = true), v(start = 0, fixed = true); equation der(a) = v; der(v) = -9.81*sin(a) - 0.1*v*abs(v) + u; end P;`;
  for (const angle of [0, Math.PI, 0.7]) {
    const { linear, names, point, solvable } = linearOf(pendulum(angle), ['u'], ['a']);
    const now = point.values[solvable.model.variables.findIndex((v) => v.name === 'a')];
    expect(now).toBeCloseTo(angle, 3);
    expect(linear.A[names.indexOf('v')][names.indexOf('a')]).toBeCloseTo(-9.81 * Math.cos(now), 12);
  }
  const { linear, point } = linearOf(
    'model T input Real q; Real h(start = 4, fixed = true); equation der(h) = q - sqrt(h); end T;',
    ['q'],
    ['h'],
    1,
  );
  // sqrt(h) falls by half a unit per second
  expect(linear.A[0][0]).toBeCloseTo(-0.5 / (2 - point.time / 2), 6);
});

test('through loops of equations: the same as differences of the model', () => {
  const text = `model N input Real u(start = 0.3); Real x(start = 0.4, fixed = true), z(start = -0.2, fixed = true), a(start = 1), b(start = 1), c; output Real y;
equation a + b^3 = 3 + x + u; a*b = 2 + z; c = sin(a)*x + if z > 0 then 1 else z^2; der(x) = -x + c*u; der(z) = b - a*z; y = a*c + u^2; end N;`;
  const { linear, solvable, point } = linearOf(text, ['u'], ['y', 'b']);
  const { variables } = solvable.model;
  const index = (name: string): number => variables.findIndex((v) => v.name === name);
  // a, b by Newton's method on their own
  const solved = (x: number, z: number, u: number): number[] => {
    let b = point.values[index('b')];
    for (let k = 0; k < 50; k++) {
      const f = (2 + z) / b + b ** 3 - 3 - x - u;
      b -= f / (-(2 + z) / b ** 2 + 3 * b ** 2);
    }
    const a = (2 + z) / b;
    const c = Math.sin(a) * x + (z > 0 ? 1 : z ** 2);
    return [-x + c * u, b - a * z, a * c + u ** 2, b];
  };
  const at = ['x', 'z', 'u'].map((name) => point.values[index(name)]);
  const difference = (k: number): number[] => {
    const h = 1e-5;
    const moved = (by: number): number[] =>
      solved(...(at.map((v, j) => (j === k ? v + by : v)) as [number, number, number]));
    return moved(h).map((v, j) => (v - moved(-h)[j]) / (2 * h));
  };
  const names = linear.states.map((s) => variables[s].name);
  const [dx, dz, du] = [difference(0), difference(1), difference(2)];
  const row = { x: 0, z: 1 } as Record<string, number>;
  names.forEach((name, r) => {
    expect(linear.A[r][names.indexOf('x')]).toBeCloseTo(dx[row[name]], 6);
    expect(linear.A[r][names.indexOf('z')]).toBeCloseTo(dz[row[name]], 6);
    expect(linear.B[r][0]).toBeCloseTo(du[row[name]], 6);
  });
  [2, 3].forEach((k, r) => {
    expect(linear.C[r][names.indexOf('x')]).toBeCloseTo(dx[k], 6);
    expect(linear.C[r][names.indexOf('z')]).toBeCloseTo(dz[k], 6);
    expect(linear.D[r][0]).toBeCloseTo(du[k], 6);
  });
});

describe('in frequency', () => {
  const lag2 = `model S input Real u; Real y(start = 0), v(start = 0); equation der(y) = v; der(v) = 100*(u - y) - 2*0.1*10*v; end S;`;

  test('a second-order lag at its resonance and around it', () => {
    const response = frequencyResponse(linearOf(lag2, ['u'], ['y']).linear);
    for (const w of [0.1, 5, 10, 30, 400]) {
      const [re, im] = response.at([0, w]);
      // 100/(100 - w^2 + 2 i w)
      const [a, b] = [100 - w * w, 2 * w];
      expect(re).toBeCloseTo((100 * a) / (a * a + b * b), 10);
      expect(im).toBeCloseTo((-100 * b) / (a * a + b * b), 10);
    }
    expect(response.at([0, 0])).toEqual([expect.closeTo(1, 12), expect.closeTo(0, 12)]);
    // |G|^2 = 1/2 at w^2 = 100 (1 - 2 d^2 + sqrt((1 - 2 d^2)^2 + 1))
    const d = 1 - 2 * 0.01;
    const expected = Math.sqrt(100 * (d + Math.sqrt(d * d + 1)));
    expect(bandwidthOf((w) => response.at([0, w]), [1e-2, 1e4])).toBeCloseTo(expected, 6);
  });

  test('a delay is kept exactly, open and inside a loop', () => {
    const open = frequencyResponse(
      linearOf('model D input Real u; output Real y; equation y = 2*delay(u, 0.3); end D;', ['u'], ['y']).linear,
    );
    const loop = frequencyResponse(
      linearOf('model D input Real u; output Real y; equation y = u - 0.5*delay(y, 0.3); end D;', ['u'], ['y']).linear,
    );
    for (const w of [0, 1, 7, 50]) {
      const [c, s] = [Math.cos(0.3 * w), Math.sin(0.3 * w)];
      expect(open.at([0, w])).toEqual([expect.closeTo(2 * c, 12), expect.closeTo(-2 * s, 12)]);
      const size = (1 + 0.5 * c) ** 2 + (0.5 * s) ** 2;
      expect(loop.at([0, w])).toEqual([expect.closeTo((1 + 0.5 * c) / size, 12), expect.closeTo((0.5 * s) / size, 12)]);
    }
  });

  test('many states: a chain of lags', () => {
    const n = 60;
    const text = `model Chain input Real u; Real x[${n}](each start = 0); equation der(x[1]) = u - x[1]; for k in 2:${n} loop der(x[k]) = k*(x[k - 1] - x[k]); end for; end Chain;`;
    const response = frequencyResponse(linearOf(text, ['u'], [`x[${n}]`]).linear);
    let [re, im] = [1, 0];
    for (let k = 1; k <= n; k++) {
      // times k/(k + i w)
      const size = k * k + 4;
      [re, im] = [(k * (re * k + im * 2)) / size, (k * (im * k - re * 2)) / size];
    }
    expect(response.at([0, 2])).toEqual([expect.closeTo(re, 10), expect.closeTo(im, 10)]);
  });
});

describe('the loop, opened at a quantity', () => {
  /** A plant 1/(s (s + 1) (0.2 s + 1)) with a gain of 2. */
  const text = (
    gain: number,
    delay = '',
  ): string => `model L parameter Real K = ${gain}; input Real w; Real e, u, x1(start = 0), x2(start = 0), x3(start = 0);
equation e = w - x1; u = K*e; der(x1) = x2; der(x2) = x3${delay ? '' : ''} - x2; 0.2*der(x3) = ${delay || 'u'} - x3; end L;`;

  test('gain and phase margin of a textbook loop', () => {
    const { linear } = linearOf(text(2), ['u'], ['u'], 0, ['u']);
    const response = frequencyResponse(linear);
    // what comes back is minus the loop gain
    const L = (w: number): readonly [number, number] => {
      const [re, im] = response.at([0, w]);
      return [-re, -im];
    };
    const { gainMargin, gainMarginAt, phaseMargin, phaseMarginAt, delayMargin } = marginsOf(L, [1e-3, 1e3]);
    // the phase is -180 deg at w^2 = 1/0.2, where |L| = 2/6
    expect(gainMarginAt).toBeCloseTo(Math.sqrt(5), 9);
    expect(gainMargin).toBeCloseTo(3, 9);
    const phase = Math.PI / 2 - Math.atan(phaseMarginAt) - Math.atan(0.2 * phaseMarginAt);
    expect(phaseMargin).toBeCloseTo(phase, 9);
    expect(phaseMarginAt * Math.hypot(1, phaseMarginAt) * Math.hypot(1, 0.2 * phaseMarginAt)).toBeCloseTo(2, 9);
    expect(delayMargin).toBeCloseTo(phaseMargin / phaseMarginAt, 9);
  });

  test('a delay as long as the delay margin leaves no phase', () => {
    const { linear } = linearOf(text(2), ['u'], ['u'], 0, ['u']);
    const r = frequencyResponse(linear);
    const { delayMargin } = marginsOf((w) => r.at([0, w]).map((x) => -x) as [number, number], [1e-3, 1e3]);
    const late = frequencyResponse(linearOf(text(2, `delay(u, ${delayMargin})`), ['u'], ['u'], 0, ['u']).linear);
    const { phaseMargin } = marginsOf((w) => late.at([0, w]).map((x) => -x) as [number, number], [1e-3, 10]);
    expect(phaseMargin).toBeCloseTo(0, 6);
  });
});
