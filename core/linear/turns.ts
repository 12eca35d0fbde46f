import { argument, magnitude, over, polar, timesComplex, type Complex } from './complex';
import { frequencyResponse } from './frequency-response';
import type { LinearModel } from './linearise';
import { frequencies, rangeOf } from './margins';
import { polesOf } from './poles';

const deepest = 40;
const mostPoints = 200_000;

/**
 * Whether a model with delays inside dies away, with its loop closed by a gain or as it is: its characteristic function F is followed around the right
 * half plane, and the turns it takes around zero count what grows there (Nyquist 1932; argument principle). F = det(1 - G P), G from what comes
 * out of the delays, and out of the loop, to what goes in, and P their ways back. Undefined where it is at the edge, or its turns do not end.
 */
export function diesAway(model: LinearModel, closing?: number): boolean | undefined {
  const { inputs, outputs, delays, D } = model;
  const response = frequencyResponse(model);
  const channels = [
    ...(closing === undefined ? [] : [{ from: 0, to: 0 }]),
    ...delays.map((_, k) => ({ from: inputs.length + k, to: outputs.length + k })),
  ];
  const determinantWith = (G: (to: number, from: number) => Complex, back: readonly Complex[]): Complex =>
    determinant(
      channels.map((row, i) =>
        channels.map((column, j): Complex => {
          const [re, im] = timesComplex(G(row.to, column.from), back[j]);
          return [(i === j ? 1 : 0) - re, -im];
        }),
      ),
    );
  const loop: readonly Complex[] = closing === undefined ? [] : [[closing, 0]];
  const F = (s: Complex): Complex => {
    const G = response.open(s);
    const late = delays.map((T) => polar(Math.exp(-s[0] * T), -s[1] * T));
    return determinantWith((to, from) => G[to][from], [...loop, ...late]);
  };
  const poles = polesOf(model);
  const size = Math.max(1e-300, ...poles.map(magnitude));
  const isAtRest = (p: Complex): boolean => magnitude(p) <= 1e-9 * size;
  if (poles.some((p) => !isAtRest(p) && Math.abs(p[0]) <= 1e-9 * magnitude(p))) return undefined;
  const growing = poles.filter((p) => !isAtRest(p) && p[0] > 0).length;
  const points = [...poles.filter((p) => !isAtRest(p)), ...delays.map((T): Complex => [1 / Math.max(T, 1e-9), 0])];
  const [low, high] = rangeOf(points);
  // far away nothing is left but what passes at once; delays let nothing through there
  const far = determinantWith((to, from) => [D[to][from], 0], [...loop, ...delays.map((): Complex => [0, 0])]);
  const ends = [1, 1.7, 2.9, 5.3, 10].map((k) => F([0, k * high]));
  const near = (x: Complex): boolean => Math.hypot(x[0] - far[0], x[1] - far[1]) < 0.5 * magnitude(far);
  if (!ends.every(near)) return undefined;
  // past a pole at zero on its right, then along the imaginary axis: t below 0 is an angle, above 0 a frequency
  const way = (t: number): Complex => (t < 0 ? polar(low, (1 + t) * (Math.PI / 2)) : [0, t]);
  const search: Search = { F: (t) => F(way(t)), points: 0 };
  const grid = [-1, -0.5, ...frequencies([low, high], poles, 25)].map((t): Point => ({ t, f: search.F(t) }));
  let turn = 0;
  for (let k = 0; k + 1 < grid.length; k++) {
    const own = turned(search, grid[k], grid[k + 1], 0);
    if (own === undefined) return undefined;
    turn += own;
  }
  const values = grid.map((p) => p.f);
  turn += argument(over(far, values[values.length - 1]));
  const found = growing - turn / Math.PI;
  return Math.abs(found - Math.round(found)) > 0.05 ? undefined : Math.round(found) === 0;
}

interface Point {
  readonly t: number;
  readonly f: Complex;
}
interface Search {
  F(t: number): Complex;
  points: number;
}

/**
 * By how much the direction of F turns between two places, looked at more finely where F changes by much. A whole turn could be missed only where
 * delays have turned many times before, and then there are others.
 */
function turned(search: Search, a: Point, b: Point, depth: number): number | undefined {
  const t = (a.t + b.t) / 2;
  const middle: Point = { t, f: search.F(t) };
  if (++search.points > mostPoints || depth > deepest) return undefined;
  const least = Math.min(magnitude(a.f), magnitude(b.f), magnitude(middle.f));
  const apart = (x: Complex, y: Complex): number => Math.hypot(x[0] - y[0], x[1] - y[1]);
  if (Math.max(apart(a.f, middle.f), apart(middle.f, b.f)) <= 0.5 * least)
    return argument(over(middle.f, a.f)) + argument(over(b.f, middle.f));
  const first = turned(search, a, middle, depth + 1);
  const second = first === undefined ? undefined : turned(search, middle, b, depth + 1);
  return second === undefined ? undefined : first! + second;
}

function determinant(rows: readonly (readonly Complex[])[]): Complex {
  const M = rows.map((row) => [...row]);
  let value: Complex = [1, 0];
  for (let k = 0; k < M.length; k++) {
    let pivot = k;
    for (let i = k + 1; i < M.length; i++) if (magnitude(M[i][k]) > magnitude(M[pivot][k])) pivot = i;
    if (magnitude(M[pivot][k]) === 0) return [0, 0];
    if (pivot !== k) {
      [M[k], M[pivot]] = [M[pivot], M[k]];
      value = [-value[0], -value[1]];
    }
    value = timesComplex(value, M[k][k]);
    for (let i = k + 1; i < M.length; i++) {
      const f = over(M[i][k], M[k][k]);
      for (let j = k; j < M.length; j++) {
        const [re, im] = timesComplex(f, M[k][j]);
        M[i][j] = [M[i][j][0] - re, M[i][j][1] - im];
      }
    }
  }
  return value;
}
