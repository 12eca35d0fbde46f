/** The sequence of Sobol (1967) with the direction numbers of Joe and Kuo (2008): points that fill a cube evenly. */

/** By dimension from the second on: degree and coefficients of its polynomial, and the first direction numbers. */
const directions: readonly (readonly [degree: number, coefficients: number, first: readonly number[]])[] = [
  [1, 0, [1]],
  [2, 1, [1, 3]],
  [3, 1, [1, 3, 1]],
  [3, 2, [1, 1, 1]],
  [4, 1, [1, 1, 3, 3]],
  [4, 4, [1, 3, 5, 13]],
  [5, 2, [1, 1, 5, 5, 17]],
  [5, 4, [1, 1, 5, 5, 5]],
  [5, 7, [1, 1, 7, 11, 19]],
  [5, 11, [1, 1, 5, 1, 1]],
  [5, 13, [1, 1, 1, 3, 11]],
  [5, 14, [1, 3, 5, 5, 31]],
  [6, 1, [1, 3, 3, 9, 7, 49]],
  [6, 13, [1, 1, 1, 15, 21, 21]],
  [6, 16, [1, 3, 1, 13, 27, 49]],
  [6, 19, [1, 1, 1, 15, 7, 5]],
  [6, 22, [1, 3, 1, 15, 13, 25]],
  [6, 25, [1, 1, 5, 5, 19, 61]],
  [7, 1, [1, 3, 7, 11, 23, 15, 103]],
  [7, 4, [1, 3, 7, 13, 13, 15, 69]],
];
export const mostSobolDimensions = directions.length + 1;
const bits = 32;

function directionNumbers(dimension: number): Uint32Array {
  const v = new Uint32Array(bits);
  if (dimension === 0) {
    for (let k = 0; k < bits; k++) v[k] = 2 ** (bits - 1 - k);
    return v;
  }
  const [degree, coefficients, first] = directions[dimension - 1];
  for (let k = 0; k < bits; k++) {
    if (k < degree) {
      v[k] = (first[k] << (bits - 1 - k)) >>> 0;
      continue;
    }
    let x = v[k - degree] ^ (v[k - degree] >>> degree);
    for (let j = 1; j < degree; j++) if ((coefficients >> (degree - 1 - j)) & 1) x ^= v[k - j];
    v[k] = x >>> 0;
  }
  return v;
}
const known: Uint32Array[] = [];

/** Point number `index`, counted from 0, in the middle of its cell; `shift` per dimension moves it round (Cranley and Patterson 1976). */
export function sobolPoint(index: number, dimensions: number, shift: readonly number[] = []): number[] {
  const gray = (index ^ (index >>> 1)) >>> 0;
  return Array.from({ length: dimensions }, (_, d) => {
    const v = (known[d] ??= directionNumbers(d));
    let x = 0;
    for (let k = 0; k < bits; k++) if ((gray >>> k) & 1) x ^= v[k];
    const u = ((x >>> 0) + 0.5) / 4294967296 + (shift[d] ?? 0);
    return u >= 1 ? u - 1 : u;
  });
}
