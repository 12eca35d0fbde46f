import { Matrix, solve } from 'ml-matrix';
import {
  emptyProject,
  newQuantity,
  newSetup,
  newSignalLine,
  newSignalSheet,
  newType,
  type Project,
} from '../project/project';
import { createRun, isRunnable, prepareRun } from '../run';

/** A part type with lines at every 10 ms, run for a while: the values of a name after each tick, from the first at 0 s on. */
function projectOf(lines: readonly string[], physics: string, stop: number, every = "0.01 's'"): Project {
  return {
    ...emptyProject('p', 'P'),
    root: 'a',
    types: [
      {
        ...newType('a', 'A'),
        quantities: [{ ...newQuantity('q-v', 'v'), role: 'parameter', value: '1' }],
        physics,
        signals: [{ ...newSignalSheet('s', 'S'), every, lines: lines.map((text, k) => newSignalLine(`z${k}`, text)) }],
      },
    ],
    setups: [{ ...newSetup('u', 'U'), stop, recordEvery: 0.01 }],
  };
}
const problemsOf = (lines: readonly string[], every?: string): string[] => {
  const project = projectOf(lines, '', 1, every);
  return prepareRun(project, project.setups[0]).problems.map((p) => p.message);
};
function run(lines: readonly string[], { stop = 2, physics = '' } = {}): (name: string) => readonly number[] {
  const project = projectOf(lines, physics, stop);
  const prepared = prepareRun(project, project.setups[0]);
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join('; '));
  const { simulation, recorder } = createRun(prepared);
  simulation.advance(Infinity);
  if (simulation.problem) throw new Error(simulation.problem.message);
  const { rows, time, columns } = recorder.take();
  const ticks: number[] = [];
  for (let k = 0; k < rows; k++) {
    const isLast = k === rows - 1 || time[k + 1] > time[k] + 1e-9;
    if (isLast && Math.abs(time[k] / 0.01 - Math.round(time[k] / 0.01)) < 1e-6) ticks.push(k);
  }
  return (name) => {
    const column = columns.find((c) => c.name === name);
    if (!column) throw new Error(`no ${name}; there are ${columns.map((c) => c.name).join(', ')}`);
    return ticks.map((k) => column.values[k]);
  };
}
/** Two regressors that are told apart, and what is made of them. */
const signals = [
  'a = sine(f = 0.9)',
  'b = sine(f = 2.3, amplitude = 2) + 0.5',
  'n = 0.1*noise(seed = 3)',
  'y = 2*a - 0.5*b + n',
];

describe('recursive least squares', () => {
  test('without forgetting it is the batch least squares of all ticks, with what it began with', () => {
    const of = run([
      ...signals,
      'e = leastSquares(y, {a, b}, noise = 0.1, start = {1, 1}, spread = {5, 3})',
      'first = e.theta[1]',
    ]);
    const [a, b, y] = [of('a'), of('b'), of('y')];
    expect(a).toHaveLength(201);
    // normal equations over the first so many ticks: prior and data weighted by their variances
    for (const last of [0, 3, 60, 200]) {
      const rows = Array.from({ length: last + 1 }, (_, k) => [a[k], b[k]]);
      const X = new Matrix(rows).div(0.1);
      const Y = Matrix.columnVector(y.slice(0, last + 1)).div(0.1);
      const N = X.transpose()
        .mmul(X)
        .add(Matrix.diag([1 / 25, 1 / 9]));
      const right = X.transpose()
        .mmul(Y)
        .add(Matrix.columnVector([1 / 25, 1 / 9]));
      const theta = solve(N, right).to1DArray();
      const P = solve(N, Matrix.eye(2));
      [0, 1].forEach((i) => {
        expect(of(`e.theta[${i + 1}]`)[last]).toBeCloseTo(theta[i], 9);
        expect(of(`e.deviation[${i + 1}]`)[last]).toBeCloseTo(Math.sqrt(P.get(i, i)), 9);
        [0, 1].forEach((j) => expect(of(`e.P[${i + 1},${j + 1}]`)[last]).toBeCloseTo(P.get(i, j), 10));
      });
    }
    expect(of('first')).toEqual(of('e.theta[1]'));
    // the error is what was not foreseen a tick before
    const before = of('e.theta[1]')[99] * a[100] + of('e.theta[2]')[99] * b[100];
    expect(of('e.error')[100]).toBeCloseTo(y[100] - before, 10);
  });
  test('with forgetting it is the least squares in which each tick counts less than the one behind it', () => {
    const of = run([...signals, 'e = leastSquares(y, {a, b}, noise = 0.1, forget = 0.95)']);
    const [a, b, y] = [of('a'), of('b'), of('y')];
    const weight = (k: number): number => Math.sqrt(0.95 ** (200 - k));
    const X = new Matrix(a.map((_, k) => [a[k] * weight(k), b[k] * weight(k)]));
    const Y = Matrix.columnVector(y.map((v, k) => v * weight(k)));
    const theta = solve(X.transpose().mmul(X), X.transpose().mmul(Y)).to1DArray();
    expect(of('e.theta[1]').at(-1)).toBeCloseTo(theta[0], 5);
    expect(of('e.theta[2]').at(-1)).toBeCloseTo(theta[1], 5);
  });
  test('it follows a value that changes, stands still where it is not enabled, and begins anew at a reset', () => {
    const lines = [
      'a = sine(f = 0.9)',
      'b = sine(f = 2.3, amplitude = 2) + 0.5',
      "y = (if time < 1 's' then 2 else 3)*a - 0.5*b",
      'e = leastSquares(y, {a, b}, noise = 0.01, forget = 0.9)',
      "still = leastSquares(y, {a, b}, enable = time < 0.9 's', noise = 0.01)",
      "anew = leastSquares(y, {a, b}, reset = time > 1.495 's' and time < 1.505 's', noise = 0.01, start = {7, 7})",
    ];
    const of = run(lines);
    expect(of('e.theta[1]')[99]).toBeCloseTo(2, 4);
    expect(of('e.theta[1]').at(-1)).toBeCloseTo(3, 3);
    expect(of('still.theta[1]').at(-1)).toBeCloseTo(2, 4);
    expect(of('still.theta[1]').at(-1)).toBe(of('still.theta[1]')[91]);
    expect(of('anew.theta[1]')[150]).toBe(7);
    expect(of('anew.deviation[1]')[150]).toBe(1000);
    expect(of('anew.theta[1]').at(-1)).toBeCloseTo(3, 3);
  });
  test('where only one direction is measured: everywhere winds up, along the direction does not, a floor holds', () => {
    const lines = [
      // a and b go together: only their sum is measured
      'a = 1 + 0.2*sine(f = 2)',
      'y = 3*a',
      'all = leastSquares(y, {a, a}, noise = 0.1, forget = 0.9, spread = {1, 1})',
      'along = leastSquares(y, {a, a}, noise = 0.1, forget = 0.9, way = 2, spread = {1, 1})',
      'floored = leastSquares(y, {a, 1}, noise = 0.1, way = 3, least = 0.05, spread = {1, 1})',
    ];
    const of = run(lines, { stop: 4 });
    expect(of('all.deviation[1]').at(-1)).toBeGreaterThan(1e6);
    expect(of('along.deviation[1]').at(-1)).toBeLessThan(1.1);
    expect(of('along.theta[1]').at(-1)! + of('along.theta[2]').at(-1)!).toBeCloseTo(3, 2);
    // what is learnt along x stays forgotten to the same degree: 0.9 of 10 ticks
    expect(of('floored.deviation[1]').at(-1)).toBeGreaterThanOrEqual(0.05);
    expect(of('floored.deviation[2]').at(-1)).toBeGreaterThanOrEqual(0.05);
  });
  test('the covariance stays symmetric and positive over many ticks of great numbers', () => {
    const lines = [
      'a = 1e6*sine(f = 0.9)',
      'b = 1e-3*sine(f = 2.3)',
      'y = 2e-6*a + 4*b',
      'e = leastSquares(y, {a, b}, noise = 1e-4, forget = 0.98, spread = {1e3, 1e6})',
    ];
    const of = run(lines, { stop: 20 });
    const [p11, p12, p21, p22] = ['1,1', '1,2', '2,1', '2,2'].map((k) => of(`e.P[${k}]`));
    p11.forEach((p, k) => {
      expect(p12[k]).toBe(p21[k]);
      expect(p).toBeGreaterThan(0);
      expect(p * p22[k] - p12[k] ** 2).toBeGreaterThan(0);
    });
    expect(of('e.theta[1]').at(-1)).toBeCloseTo(2e-6, 9);
    expect(of('e.theta[2]').at(-1)).toBeCloseTo(4, 3);
  });
  test('its intervals hold: two deviations cover about 95 % over many seeds', () => {
    const inside = Array.from({ length: 60 }, (_, seed) => {
      // the sum of twelve even values is nearly normal (deviation 1)
      const many = Array.from({ length: 12 }, (__, k) => `noise(seed = ${97 * seed + k + 1})`).join(' + ');
      const of = run(
        [
          'a = sine(f = 0.9)',
          'b = sine(f = 2.3)',
          `y = 2*a - 0.5*b + 0.1*0.5*(${many})`,
          'e = leastSquares(y, {a, b}, noise = 0.1)',
        ],
        { stop: 1 },
      );
      return [2, -0.5].map((v, i) =>
        Number(Math.abs(of(`e.theta[${i + 1}]`).at(-1)! - v) <= 2 * of(`e.deviation[${i + 1}]`).at(-1)!),
      );
    }).flat();
    const share = inside.reduce((s, x) => s + x, 0) / inside.length;
    expect(share).toBeGreaterThan(0.88);
    expect(share).toBeLessThan(0.995);
  });
  test('what it cannot be is told', () => {
    expect(problemsOf(['y = leastSquares(1, {1})'], '')).toContain(
      'leastSquares needs a clock: give the sheet a period',
    );
    expect(problemsOf(['y = 1 + leastSquares(1, {1})'])[0]).toContain(
      'leastSquares has the outputs theta, deviation, error, P: give it a line of its own',
    );
    expect(problemsOf(['e = leastSquares(1, {1})', 'y = e + 1'])[0]).toContain('Which output of e is meant?');
    expect(() => run(['e = leastSquares(1, {1}, forget = 2)'])).toThrow('forget lies above 0 and goes up to 1');
  });
});

describe('the Kalman filter', () => {
  test('its covariance comes to that of the Riccati equation, and its first steps are those on paper', () => {
    // a random walk with variance q per second, measured with variance r: P = (-qT + sqrt((qT)^2 + 4 qT r))/2 after a step
    const [q, r, T] = [4, 0.02, 0.01];
    const of = run(
      [
        'z = 1 + 0.2*noise(seed = 5)',
        `k = kalman({z}, A = [0], C = [1], Q = [${q}], R = {${r}}, start = {0}, spread = {2})`,
      ],
      { stop: 4 },
    );
    const qT = q * T;
    const steady = (-qT + Math.sqrt(qT * qT + 4 * qT * r)) / 2;
    expect(of('k.P[1,1]').at(-1)).toBeCloseTo(steady, 9);
    expect(of('k.deviation[1]').at(-1)).toBeCloseTo(Math.sqrt(steady), 9);
    let [x, P] = [0, 4];
    of('z').forEach((z, k) => {
      if (k > 0) P += qT;
      const K = P / (P + r);
      expect(of('k.error[1]')[k]).toBeCloseTo(z - x, 9);
      x += K * (z - x);
      P *= 1 - K;
      expect(of('k.x[1]')[k]).toBeCloseTo(x, 9);
    });
  });
  test('two states, driven and measured twice: against a step by matrices, with F, G and Qd by small steps', () => {
    const A = new Matrix([
      [0, 1],
      [-9, -0.6],
    ]);
    const B = new Matrix([[0], [2]]);
    const Q = new Matrix([
      [0.01, 0.002],
      [0.002, 0.5],
    ]);
    const C = new Matrix([
      [1, 0],
      [0.5, 1],
    ]);
    const R = [0.01, 0.04];
    const T = 0.01;
    const of = run(
      [
        'drive = sine(f = 1)',
        'p = 0.4*sine(f = 0.7) + 0.1*noise(seed = 2)',
        'w = 0.3*sine(f = 0.7) + 0.2*noise(seed = 9)',
        'k = kalman({p, w}, {drive}, A = [0, 1; -9, -0.6], B = [0; 2], C = [1, 0; 0.5, 1], Q = [0.01, 0.002; 0.002, 0.5], R = {0.01, 0.04}, spread = {1, 2})',
      ],
      { stop: 3 },
    );
    // exp(A t) and its integrals by a thousand small steps of order four
    const n = 1000;
    const h = T / n;
    const step = Matrix.eye(2)
      .add(A.clone().mul(h))
      .add(A.mmul(A).mul(h ** 2 / 2))
      .add(
        A.mmul(A)
          .mmul(A)
          .mul(h ** 3 / 6),
      );
    let F = Matrix.eye(2);
    let G = Matrix.zeros(2, 1);
    let Qd = Matrix.zeros(2, 2);
    for (let k = 0; k < n; k++) {
      const half = Matrix.eye(2)
        .add(A.clone().mul(h / 2))
        .mmul(F);
      G = G.add(half.mmul(B).mul(h));
      Qd = Qd.add(half.mmul(Q).mmul(half.transpose()).mul(h));
      F = step.mmul(F);
    }
    let x = Matrix.zeros(2, 1);
    let P = Matrix.diag([1, 4]);
    const drive = of('drive');
    of('p').forEach((p, k) => {
      if (k > 0) {
        x = F.mmul(x).add(G.clone().mul(drive[k - 1]));
        P = F.mmul(P).mmul(F.transpose()).add(Qd);
      }
      const S = C.mmul(P).mmul(C.transpose()).add(Matrix.diag(R));
      const K = solve(S.transpose(), C.mmul(P.transpose())).transpose();
      const e = Matrix.columnVector([p, of('w')[k]]).sub(C.mmul(x));
      [0, 1].forEach((i) => expect(of(`k.error[${i + 1}]`)[k]).toBeCloseTo(e.get(i, 0), 6));
      x = x.add(K.mmul(e));
      P = Matrix.eye(2).sub(K.mmul(C)).mmul(P);
      [0, 1].forEach((i) => {
        expect(of(`k.x[${i + 1}]`)[k]).toBeCloseTo(x.get(i, 0), 6);
        [0, 1].forEach((j) => expect(of(`k.P[${i + 1},${j + 1}]`)[k]).toBeCloseTo(P.get(i, j), 6));
      });
    });
  });
  test('it follows a plant that runs beside it; where it is not enabled it goes on by its model, less and less certain', () => {
    const physics =
      'Real s(start = 1, fixed = true);\nReal r(start = 0, fixed = true);\nequation\n  der(s) = r;\n  der(r) = -9*s - 0.6*r;';
    const of = run(
      [
        'z = s + 0.05*noise(seed = 4)',
        "k = kalman({z}, enable = time < 1 's', A = [0, 1; -9, -0.6], C = [1, 0], Q = [1e-6, 0; 0, 1e-4], R = {0.0008}, spread = {1, 3})",
        'at = s',
        'rate = r',
      ],
      { stop: 2, physics },
    );
    expect(Math.abs(of('k.x[1]')[100] - of('at')[100])).toBeLessThan(3 * of('k.deviation[1]')[100]);
    expect(Math.abs(of('k.x[2]')[100] - of('rate')[100])).toBeLessThan(3 * of('k.deviation[2]')[100]);
    expect(of('k.x[1]').at(-1)).toBeCloseTo(of('at').at(-1)!, 1);
    expect(of('k.deviation[1]')[100]).toBeLessThan(0.02);
  });
});

describe('the extended Kalman filter', () => {
  test('of a linear plant it is the Kalman filter', () => {
    const of = run(
      [
        'drive = sine(f = 1)',
        'p = 0.4*sine(f = 0.7) + 0.1*noise(seed = 2)',
        'w = 0.3*sine(f = 0.7) + 0.2*noise(seed = 9)',
        "on = time < 1 's' or time > 1.2 's'",
        "anew = time > 1.495 's' and time < 1.505 's'",
        'k = kalman({p, w}, {drive}, on, anew, A = [0, 1; -9, -0.6], B = [0; 2], C = [1, 0; 0.5, 1], Q = [0.01, 0.002; 0.002, 0.5], R = {0.01, 0.04}, start = {0.1, 0}, spread = {1, 2})',
        'e = extendedKalman({p, w}, {e.x[2], -9*e.x[1] - 0.6*e.x[2] + 2*drive}, {e.x[1], 0.5*e.x[1] + e.x[2]}, on, anew, Q = [0.01, 0.002; 0.002, 0.5], R = {0.01, 0.04}, start = {0.1, 0}, spread = {1, 2})',
      ],
      { stop: 2 },
    );
    for (const name of ['x[1]', 'x[2]', 'deviation[2]', 'P[1,2]', 'error[1]', 'error[2]']) {
      const [expected, found] = [of(`k.${name}`), of(`e.${name}`)];
      expect(Math.max(...expected.map((v, k) => Math.abs(v - found[k])))).toBeLessThan(2e-7);
      expect(Math.max(...expected.map(Math.abs))).toBeGreaterThan(0.005);
    }
  });
  test('a pendulum in large swings: each step is that on paper, with slopes by hand, and the linear filter is lost', () => {
    const [g, d, T, q, r] = [9, 0.2, 0.01, 0.02, 0.01];
    const physics =
      'Real a(start = 2.6, fixed = true);\nReal w(start = 0, fixed = true);\nequation\n  der(a) = w;\n  der(w) = -9*sin(a) - 0.2*w;';
    const of = run(
      [
        'z = sin(a) + 0.1*noise(seed = 4)',
        'at = a',
        `e = extendedKalman({z}, f = {e.x[2], -${g}*sin(e.x[1]) - ${d}*e.x[2]}, h = {sin(e.x[1])}, Q = [0, 0; 0, ${q}], R = {${r}}, start = {2.2, 0}, spread = {0.5, 0.5})`,
        `k = kalman({z}, A = [0, 1; -${g}, -${d}], C = [1, 0], Q = [0, 0; 0, ${q}], R = {${r}}, start = {2.2, 0}, spread = {0.5, 0.5})`,
      ],
      { stop: 6, physics },
    );
    const f = ([x, v]: readonly number[]): number[] => [v, -g * Math.sin(x) - d * v];
    const plus = (x: readonly number[], h: number, s: readonly number[]): number[] => x.map((v, i) => v + h * s[i]);
    let x = [2.2, 0];
    let P = Matrix.diag([0.25, 0.25]);
    const Q = Matrix.diag([0, q]);
    of('z').forEach((z, k) => {
      const c = new Matrix([[Math.cos(x[0]), 0]]);
      const K = P.mmul(c.transpose()).mul(1 / (c.mmul(P).mmul(c.transpose()).get(0, 0) + r));
      const e = z - Math.sin(x[0]);
      x = x.map((v, i) => v + K.get(i, 0) * e);
      const I = Matrix.eye(2).sub(K.mmul(c));
      P = I.mmul(P).mmul(I.transpose()).add(K.mmul(K.transpose()).mul(r));
      for (const i of [0, 1]) {
        expect(of(`e.x[${i + 1}]`)[k]).toBeCloseTo(x[i], 8);
        for (const j of [0, 1]) expect(of(`e.P[${i + 1},${j + 1}]`)[k]).toBeCloseTo(P.get(i, j), 7);
      }
      // the slope where the states are, its exponential by many small steps
      const J = new Matrix([
        [0, 1],
        [-g * Math.cos(x[0]), -d],
      ]);
      const n = 400;
      let F = Matrix.eye(2);
      let Qd = Matrix.zeros(2, 2);
      const half = Matrix.eye(2).add(J.clone().mul(T / n / 2));
      const step = Matrix.eye(2)
        .add(J.clone().mul(T / n))
        .add(J.mmul(J).mul((T / n) ** 2 / 2));
      for (let m = 0; m < n; m++) {
        const middle = half.mmul(F);
        Qd = Qd.add(
          middle
            .mmul(Q)
            .mmul(middle.transpose())
            .mul(T / n),
        );
        F = step.mmul(F);
      }
      P = F.mmul(P).mmul(F.transpose()).add(Qd);
      const [k1, k2] = [f(x), f(plus(x, T / 2, f(x)))];
      const k3 = f(plus(x, T / 2, k2));
      const k4 = f(plus(x, T, k3));
      x = x.map((v, i) => v + (T / 6) * (k1[i] + 2 * k2[i] + 2 * k3[i] + k4[i]));
    });
    const late = of('at').map((a, k) => ({ a, e: of('e.x[1]')[k], k: of('k.x[1]')[k] }));
    const worst = (of: (v: (typeof late)[number]) => number): number =>
      Math.max(...late.slice(300).map((v) => Math.abs(of(v) - v.a)));
    expect(worst((v) => v.e)).toBeLessThan(0.1);
    expect(worst((v) => v.k)).toBeGreaterThan(0.5);
  });
  test('an unknown value is a state that stays: the pendulum’s own damping is found', () => {
    const physics =
      'Real a(start = 1, fixed = true);\nReal w(start = 0, fixed = true);\nequation\n  der(a) = w;\n  der(w) = -9*sin(a) - 0.35*w;';
    const of = run(
      [
        'z = a + 0.01*noise(seed = 4)',
        'e = extendedKalman({z}, f = {e.x[2], -9*sin(e.x[1]) - e.x[3]*e.x[2], 0}, h = {e.x[1]}, Q = [0, 0, 0; 0, 1e-6, 0; 0, 0, 0], R = {3e-5}, start = {1, 0, 0}, spread = {0.1, 0.1, 1})',
      ],
      { stop: 8, physics },
    );
    const found = of('e.x[3]').at(-1)!;
    const deviation = of('e.deviation[3]').at(-1)!;
    expect(deviation).toBeLessThan(0.01);
    expect(Math.abs(found - 0.35)).toBeLessThan(3 * deviation);
  });
  test('a function of one’s own and a choice in the formulas have their slopes too', () => {
    const of = run(
      [
        'z = 0.3 + 0.1*noise(seed = 4)',
        'a = extendedKalman({z}, f = {-(if a.x[1] > 0 then 2*a.x[1]^3 else 0) + v}, h = {polynomial(a.x[1], c = {1, 0})}, Q = [0.1], R = {0.01}, spread = {1})',
        'b = extendedKalman({z}, f = {-2*b.x[1]^3 + v}, h = {b.x[1]}, Q = [0.1], R = {0.01}, spread = {1})',
      ],
      { stop: 1 },
    );
    of('a.P[1,1]').forEach((p, k) => expect(p).toBeCloseTo(of('b.P[1,1]')[k], 12));
  });
  test('what goes through many steps in between has its slope as well', () => {
    const physics =
      'function root input Real u; output Real y; algorithm y := u + 1; for k in 1:7 loop y := 0.5*(y + u/y); end for; end root;\nReal s(start = 2, fixed = true);\nequation\n  der(s) = -sqrt(s);';
    const line = (name: string, f: string): string =>
      `${name} = extendedKalman({z}, f = {-${f}(${name}.x[1])}, h = {${f}(${name}.x[1])}, Q = [0.1], R = {0.01}, start = {2}, spread = {1})`;
    const of = run(['z = sqrt(s) + 0.05*noise(seed = 4)', line('a', 'root'), line('b', 'sqrt')], { stop: 1, physics });
    of('a.P[1,1]').forEach((p, k) => expect(p).toBeCloseTo(of('b.P[1,1]')[k], 9));
    of('a.x[1]').forEach((x, k) => expect(x).toBeCloseTo(of('b.x[1]')[k], 9));
    // what goes round until it is good enough becomes quantities of its own, which would hide what they depend on
    const until = physics
      .replace('for k in 1:7 loop', 'while abs(y*y - u) > 1e-12 loop')
      .replace('end for', 'end while');
    expect(() => run(['z = sqrt(s)', line('a', 'root')], { stop: 1, physics: until })).toThrow(
      /How often "while .* may take/,
    );
  });
  test('what cannot be looked at elsewhere is told', () => {
    const told = (line: string, ...more: string[]): string[] =>
      problemsOf(['z = sine(f = 1)', ...more, line], "0.01 's'");
    expect(told('e = extendedKalman({z}, f = {-e.x[1]}, h = {e.x[1]})')).toEqual([]);
    expect(told('e = extendedKalman({z}, f = -e.x[1], h = {e.x[1]})')).toEqual(['f is a list of formulas: {..., ...}']);
    expect(told('e = extendedKalman({z}, f = {-e.x[1]})')).toEqual(['Nothing feeds h of extendedKalman']);
    expect(told('e = extendedKalman({z}, f = {-e.error[1]}, h = {e.x[1]})')).toEqual([
      'In f only the states of e can stand: e.x[1] and so on',
    ]);
    expect(told('e = extendedKalman({z}, f = {-lag(e.x[1], T = 1)}, h = {e.x[1]})')).toEqual([
      'lag has a memory of its own: it cannot follow the states in f',
    ]);
    expect(told('e = extendedKalman({z}, f = {-lag(z, T = 1) - e.x[1]}, h = {e.x[1]})')).toEqual([]);
    expect(told('e = extendedKalman({z}, f = {-pull}, h = {e.x[1]})', 'pull = 2*e.x[1]')).toEqual([
      'pull follows from e: here it is taken as known, and held from tick to tick. What shall follow the states is written out with e.x',
    ]);
    expect(told('e = extendedKalman({z}, f = {-e.x[2]}, h = {e.x[1]})').join()).toMatch(/e\.x/);
    expect(told('e = extendedKalman({z, z}, f = {-e.x[1]}, h = {e.x[1]})').join()).toMatch(/h|size|2/);
  });
});

describe('changes are told', () => {
  test('sums of Page: when they alarm, and since when', () => {
    // 0.2 above the mean from tick 50 on, slack 0.1: the sum grows by 0.1 a tick
    const of = run([
      "u = if time >= 0.5 's' then 1.2 else 1",
      'c = cusum(u, mean = 1, slack = 0.1, limit = 1.05)',
      "anew = cusum(u, reset = time > 0.895 's' and time < 0.905 's', mean = 1, slack = 0.1, limit = 1.05)",
      'low = cusum(2 - u, mean = 1, slack = 0.1, limit = 1.05)',
    ]);
    const first = of('c.alarm').findIndex((x) => x !== 0);
    // the first sum above 1.05 is that of the eleventh tick
    expect(first).toBe(60);
    expect(of('c.up')[first]).toBeCloseTo(1.1, 9);
    expect(of('c.since')[first]).toBeCloseTo(0.5, 9);
    expect(
      of('c.alarm')
        .slice(first)
        .every((x) => x === 1),
    ).toBe(true);
    expect(of('low.alarm').findIndex((x) => x !== 0)).toBe(60);
    expect(of('anew.alarm')[90]).toBe(0);
    expect(of('anew.alarm').findIndex((x, k) => k > 90 && x !== 0)).toBe(101);
  });
  test('the likelihood ratio is the largest over where the change may have begun', () => {
    const of = run([
      "u = 0.5*noise(seed = 8) + (if time >= 1 's' then 0.6 else 0)",
      'g = likelihoodRatio(u, mean = 0.05, deviation = 0.29, n = 12, limit = 12)',
    ]);
    const u = of('u').map((x) => x - 0.05);
    for (const k of [0, 5, 50, 105, 150]) {
      let best = 0;
      for (let n = 1; n <= Math.min(12, k + 1); n++) {
        const sum = u.slice(k + 1 - n, k + 1).reduce((s, x) => s + x, 0);
        best = Math.max(best, sum ** 2 / (2 * 0.29 ** 2 * n));
      }
      expect(of('g.ratio')[k]).toBeCloseTo(best, 9);
    }
    const first = of('g.alarm').findIndex((x) => x !== 0);
    expect(first).toBeGreaterThanOrEqual(100);
    expect(first).toBeLessThan(112);
  });
  test('a range that is left for so many ticks on end', () => {
    const of = run([
      "u = if time >= 0.3 's' and time < 0.315 's' or time >= 1 's' then 2 else 0",
      'y = leavesRange(u, high = 1, n = 3)',
    ]);
    expect(of('y').findIndex((x) => x !== 0)).toBe(102);
  });
});
