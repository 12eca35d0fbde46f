import { createStepper, type SolverName } from './solvers';
import type { RightHandSide, Stepper, Tolerances } from './stepper';

/**
 * What the methods need on problems of the literature, in steps and in looks at the equations. They are figures of this
 * implementation: who changes how steps are chosen sees here what it costs, without a clock. A library of functions that rounds
 * otherwise may change them a little.
 */

interface ProblemOfTheLiterature {
  readonly start: readonly number[];
  readonly stop: number;
  readonly f: RightHandSide;
}

/** All of them are polynomials or roots, so that they mean the same to the last digit everywhere. */
const problems: Readonly<Record<string, ProblemOfTheLiterature>> = {
  /** Robertson 1966. */
  reaction: {
    start: [1, 0, 0],
    stop: 4e4,
    f(_, y, dy) {
      const [a, b] = [0.04 * y[0], 1e4 * y[1] * y[2]];
      const c = 3e7 * y[1] * y[1];
      dy[0] = b - a;
      dy[1] = a - b - c;
      dy[2] = c;
    },
  },
  /** Van der Pol 1926, with a large and a small parameter. */
  relaxation: {
    start: [2, 0],
    stop: 2,
    f(_, y, dy) {
      dy[0] = y[1];
      dy[1] = 1e6 * ((1 - y[0] * y[0]) * y[1] - y[0]);
    },
  },
  swing: {
    start: [2, 0],
    stop: 40,
    f(_, y, dy) {
      dy[0] = y[1];
      dy[1] = 3 * (1 - y[0] * y[0]) * y[1] - y[0];
    },
  },
  /** Lefever and Nicolis 1971. */
  brusselator: {
    start: [1.5, 3],
    stop: 20,
    f(_, y, dy) {
      const square = y[0] * y[0] * y[1];
      dy[0] = 1 + square - 4 * y[0];
      dy[1] = 3 * y[0] - square;
    },
  },
  /** Two bodies, eccentricity 0.6. */
  orbit: {
    start: [0.4, 0, 0, 2],
    stop: 20,
    f(_, y, dy) {
      const r2 = y[0] * y[0] + y[1] * y[1];
      const r3 = r2 * Math.sqrt(r2);
      dy[0] = y[2];
      dy[1] = y[3];
      dy[2] = -y[0] / r3;
      dy[3] = -y[1] / r3;
    },
  },
  /** A column of heat in 45 cells: stiff, and each depends on its neighbours only. */
  heat: {
    start: Array.from({ length: 45 }, (_, k) => (k < 20 ? 1 : 0)),
    stop: 1,
    f(_, y, dy) {
      for (let k = 0; k < 45; k++)
        dy[k] = 400 * ((k > 0 ? y[k - 1] - y[k] : 0) + (k < 44 ? y[k + 1] - y[k] : 0)) - y[k] * y[k];
    },
  },
  /** Lotka 1925 and Volterra 1926, pushed every half second by a jump in its rate. */
  pushed: {
    start: [1, 1],
    stop: 10,
    f(t, y, dy) {
      const push = Math.floor(2 * t) % 2 === 0 ? 0.4 : -0.4;
      dy[0] = y[0] * (1.5 - y[1]) + push;
      dy[1] = y[1] * (y[0] - 3);
    },
  },
};

type Work = readonly [steps: number, rejected: number, evaluations: number, jacobians: number, factorisations: number];

function solve(name: string, solver: SolverName, relative: number): Stepper {
  const { start, stop, f } = problems[name];
  const tolerances: Tolerances = {
    relative,
    absolute: relative * 1e-3,
    nominal: new Float64Array(start.length).fill(1),
  };
  const s = createStepper({ solver, step: 1e-3 }, start.length, f, tolerances, Infinity);
  s.reset(0, Float64Array.from(start));
  for (let k = 0; s.t < stop; k++) if (k > 200_000 || !s.step(stop)) throw new Error(`${name} does not get on`);
  return s;
}

const figures: readonly (readonly [problem: string, solver: SolverName, relative: number, ...Work])[] = [
  ['reaction', 'implicit', 1e-3, 37, 2, 399, 37, 39],
  ['reaction', 'implicit', 1e-6, 89, 0, 898, 87, 89],
  ['reaction', 'implicit', 1e-9, 255, 2, 2378, 190, 201],
  ['reaction', 'auto', 1e-3, 56, 5, 517, 36, 37],
  ['reaction', 'auto', 1e-6, 111, 4, 989, 75, 78],
  ['reaction', 'auto', 1e-9, 616, 4, 4435, 167, 171],
  ['relaxation', 'implicit', 1e-3, 194, 40, 1972, 120, 230],
  ['relaxation', 'implicit', 1e-6, 522, 8, 4761, 308, 495],
  ['relaxation', 'implicit', 1e-9, 1646, 7, 13546, 546, 1442],
  ['relaxation', 'auto', 1e-3, 215, 42, 2120, 121, 220],
  ['relaxation', 'auto', 1e-6, 572, 9, 5033, 292, 313],
  ['relaxation', 'auto', 1e-9, 1767, 11, 13983, 501, 888],
  ['swing', 'dopri5', 1e-3, 169, 42, 1268, 0, 0],
  ['swing', 'dopri5', 1e-6, 585, 68, 3920, 0, 0],
  ['swing', 'dopri5', 1e-9, 2270, 48, 13910, 0, 0],
  ['swing', 'implicit', 1e-3, 250, 54, 2554, 189, 302],
  ['swing', 'implicit', 1e-6, 733, 49, 6568, 542, 687],
  ['swing', 'implicit', 1e-9, 2280, 36, 17688, 773, 1495],
  ['swing', 'auto', 1e-3, 169, 42, 1268, 0, 0],
  ['swing', 'auto', 1e-6, 584, 71, 3968, 8, 11],
  ['swing', 'auto', 1e-9, 2277, 49, 13980, 3, 12],
  ['brusselator', 'dopri5', 1e-3, 47, 10, 344, 0, 0],
  ['brusselator', 'dopri5', 1e-6, 137, 19, 938, 0, 0],
  ['brusselator', 'dopri5', 1e-9, 500, 8, 3050, 0, 0],
  ['brusselator', 'implicit', 1e-3, 63, 9, 669, 62, 72],
  ['brusselator', 'implicit', 1e-6, 182, 12, 1700, 167, 181],
  ['brusselator', 'implicit', 1e-9, 557, 12, 4537, 279, 408],
  ['brusselator', 'auto', 1e-3, 47, 10, 344, 0, 0],
  ['brusselator', 'auto', 1e-6, 137, 19, 938, 0, 0],
  ['brusselator', 'auto', 1e-9, 502, 8, 3086, 8, 9],
  ['orbit', 'dopri5', 1e-3, 46, 11, 344, 0, 0],
  ['orbit', 'dopri5', 1e-6, 144, 26, 1022, 0, 0],
  ['orbit', 'dopri5', 1e-9, 564, 18, 3494, 0, 0],
  ['orbit', 'implicit', 1e-3, 94, 24, 1103, 80, 116],
  ['orbit', 'implicit', 1e-6, 264, 20, 2789, 216, 272],
  ['orbit', 'implicit', 1e-9, 817, 18, 6401, 152, 499],
  ['orbit', 'auto', 1e-3, 46, 11, 344, 0, 0],
  ['orbit', 'auto', 1e-6, 144, 26, 1022, 0, 0],
  ['orbit', 'auto', 1e-9, 571, 18, 3552, 2, 6],
  ['heat', 'dopri5', 1e-3, 490, 1, 2948, 0, 0],
  ['heat', 'dopri5', 1e-6, 508, 2, 3062, 0, 0],
  ['heat', 'dopri5', 1e-9, 619, 1, 3722, 0, 0],
  ['heat', 'implicit', 1e-3, 29, 0, 373, 5, 27],
  ['heat', 'implicit', 1e-6, 76, 0, 753, 7, 36],
  ['heat', 'implicit', 1e-9, 228, 0, 1643, 4, 61],
  ['heat', 'auto', 1e-3, 40, 1, 464, 5, 12],
  ['heat', 'auto', 1e-6, 117, 2, 1041, 7, 11],
  ['heat', 'auto', 1e-9, 417, 1, 2613, 2, 8],
  ['pushed', 'dopri5', 1e-3, 34, 8, 254, 0, 0],
  ['pushed', 'dopri5', 1e-6, 249, 224, 2840, 0, 0],
  ['pushed', 'dopri5', 1e-9, 692, 351, 6260, 0, 0],
  ['pushed', 'implicit', 1e-3, 125, 95, 1396, 67, 201],
  ['pushed', 'implicit', 1e-6, 341, 187, 3328, 198, 456],
  ['pushed', 'implicit', 1e-9, 855, 268, 7073, 298, 838],
  ['pushed', 'auto', 1e-3, 34, 8, 254, 0, 0],
  ['pushed', 'auto', 1e-6, 249, 224, 2840, 0, 0],
  ['pushed', 'auto', 1e-9, 695, 352, 6266, 3, 17],
];

test.each(figures)('%s with %s at %d', (name, solver, relative, ...expected) => {
  const { steps, rejected, evaluations, jacobians, factorisations } = solve(name, solver, relative).counts;
  [steps, rejected, evaluations, jacobians, factorisations].forEach((n, k) =>
    expect([k, n, Math.abs(n - expected[k]) <= 1 + 0.01 * expected[k]]).toEqual([k, n, true]),
  );
});

test.each(Object.keys(problems).filter((name) => name !== 'pushed'))(
  '%s comes to the same end whatever the method',
  (name) => {
    const exact = solve(name, 'implicit', 1e-11).y;
    for (const solver of ['dopri5', 'auto', 'implicit'] as const) {
      // an explicit method would take a day for these
      if (solver === 'dopri5' && (name === 'reaction' || name === 'relaxation')) continue;
      const { y } = solve(name, solver, 1e-8);
      y.forEach((v, k) => expect(Math.abs(v - exact[k])).toBeLessThan(2e-5 * Math.max(1, Math.abs(exact[k]))));
    }
  },
);
