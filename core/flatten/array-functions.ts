import { sampledMatrices } from '../linear/matrices';
import { add, binary, constant, multiply, negate, one, zero, type FlatExpr } from './flat-expression';
import {
  fillValue,
  flattenValue,
  identity,
  isArray,
  isRecord,
  mapValue,
  shapeOf,
  sumOf,
  transpose,
  type Value,
} from './values';

/** The functions of the language that make or take arrays, with the least and the greatest number of their arguments. */
export const arrayFunctions: ReadonlyMap<string, readonly [least: number, most: number]> = new Map([
  ['sum', [1, 1]],
  ['product', [1, 1]],
  ['size', [1, 2]],
  ['ndims', [1, 1]],
  ['fill', [2, Infinity]],
  ['zeros', [1, Infinity]],
  ['ones', [1, Infinity]],
  ['linspace', [3, 3]],
  ['identity', [1, 1]],
  ['transpose', [1, 1]],
  ['symmetric', [1, 1]],
  ['cross', [2, 2]],
  ['vector', [1, 1]],
  ['scalar', [1, 1]],
  ['cat', [2, Infinity]],
  ['diagonal', [1, 1]],
  ['array', [1, Infinity]],
  ['skew', [1, 1]],
  ['outerProduct', [2, 2]],
  ['interpolate', [3, 3]],
  ['fromTickToTick', [6, 6]],
]);

/**
 * `fromTickToTick(A, B, C, D, period, method)`: of dx/dt = A x + B u, y = C x + D u with one input and one output, the matrix [A, B; C, D] from
 * tick to tick; method 1 hold, 2 Tustin, 3 backward.
 */
function fromTickToTick(call: ArrayCall): Value {
  const list = (v: Value): readonly Value[] =>
    isArray(v) ? v : call.fail('shape', 'fromTickToTick takes a matrix, two vectors and three numbers');
  const number = (v: Value, k: number): number => {
    const known = isArray(v) || isRecord(v) ? undefined : call.known(v);
    return (
      known ??
      call.fail('not-constant', 'The matrices of fromTickToTick and its period must be known before the run', k)
    );
  };
  const vector = (k: number): number[] => list(call.value(k)).map((x) => number(x, k));
  const A = list(call.value(0)).map((row) => Float64Array.from(list(row).map((x) => number(x, 0))));
  const [B, C] = [vector(1), vector(2)];
  const [D, period, method] = [3, 4, 5].map((k) => number(call.value(k), k));
  const n = A.length;
  if (A.some((row) => row.length !== n) || B.length !== n || C.length !== n)
    return call.fail('shape', `A is ${n} by ${A[0]?.length ?? 0}, so B and C need ${n} numbers`);
  if (!(period > 0)) return call.fail('period', 'The time between ticks is above zero', 4);
  const made = sampledMatrices(
    { A, B: B.map((x) => Float64Array.of(x)), C: [Float64Array.from(C)], D: [Float64Array.of(D)] },
    period,
    (['hold', 'tustin', 'backward'] as const)[method - 1] ?? 'hold',
  );
  const rows = [...made.A.map((row, i) => [...row, made.B[i][0]]), [...made.C[0], made.D[0][0]]];
  if (rows.some((row) => row.some((x) => !Number.isFinite(x))))
    return call.fail(
      'singular',
      'These equations have no form from tick to tick by this method: choose another one',
      5,
    );
  return rows.map((row) => row.map(constant));
}

/** A call, as far as an array function needs it. */
export interface ArrayCall {
  readonly count: number;
  value(k: number): Value;
  /** An argument that has to be a whole number known before the run. */
  integer(k: number): number;
  /** A value known before the run. */
  known(x: FlatExpr): number | undefined;
  /** Reports at the call, or at one of its arguments. */
  fail(code: string, message: string, k?: number): never;
}

/** Elements of an array that is made from its sizes. */
const most = 1_000_000;

export function arrayCall(name: string, call: ArrayCall): Value {
  const positions = (from: number): number[] => Array.from({ length: call.count - from }, (_, k) => from + k);
  const every = (from: number): Value[] => positions(from).map((k) => call.value(k));
  const sizes = (from: number): number[] => positions(from).map((k) => call.integer(k));
  const list = (v: Value): readonly Value[] => (isArray(v) ? v : call.fail('shape', `${name} needs an array`));
  const single = (v: Value): FlatExpr =>
    isArray(v) || isRecord(v) ? call.fail('shape', `${name} needs single values`) : v;
  /** Sizes of something that is made. */
  const made = (...all: readonly number[]): readonly number[] => {
    const count = all.reduce((n, x) => n * Math.max(0, x), 1);
    return count > most
      ? call.fail('too-large', `${name} would have ${count} elements; at most ${most} are taken`)
      : all;
  };
  switch (name) {
    case 'sum':
      return sumOf(flattenValue(call.value(0)));
    case 'product':
      return flattenValue(call.value(0)).reduce(multiply, one);
    case 'size': {
      const shape = shapeOf(call.value(0));
      if (call.count === 1) return shape.map(constant);
      const k = call.integer(1);
      if (!(k >= 1 && k <= shape.length))
        return call.fail('shape', `This array has ${shape.length} dimensions, not ${k}`);
      return constant(shape[k - 1]);
    }
    case 'ndims':
      return constant(shapeOf(call.value(0)).length);
    case 'fill':
      return fillValue(call.value(0), made(...sizes(1)));
    case 'zeros':
      return fillValue(zero, made(...sizes(0)));
    case 'ones':
      return fillValue(one, made(...sizes(0)));
    case 'linspace': {
      const [from, to] = [single(call.value(0)), single(call.value(1))];
      const [n] = made(call.integer(2));
      const width = binary('sub', to, from);
      return Array.from({ length: n }, (_, k) => add(from, multiply(width, constant(n === 1 ? 0 : k / (n - 1)))));
    }
    case 'identity': {
      const [n] = made(call.integer(0));
      made(n, n);
      return identity(n);
    }
    case 'diagonal': {
      const d = list(call.value(0));
      made(d.length, d.length);
      return d.map((x, i) => d.map((_, j) => (i === j ? x : zero)));
    }
    case 'transpose':
      return transpose(list(call.value(0)));
    case 'symmetric': {
      const rows = list(call.value(0)).map(list);
      const n = rows.length;
      if (rows.some((r) => r.length !== n))
        return call.fail('shape', `symmetric needs as many columns as rows, not ${n} by ${rows[0].length}`);
      return rows.map((r, i) => r.map((x, j) => (i <= j ? x : rows[j][i])));
    }
    case 'vector':
      return flattenValue(call.value(0));
    case 'scalar': {
      const all = flattenValue(call.value(0));
      return all.length === 1 ? all[0] : call.fail('shape', `scalar needs one element, not ${all.length}`);
    }
    case 'array':
      return every(0);
    case 'cat': {
      const along = call.integer(0);
      if (along === 1) return every(1).flatMap(list);
      const rows = every(1).map(list);
      return rows[0].map((_, i) => rows.flatMap((m) => list(m[i])));
    }
    case 'cross': {
      const x = flattenValue(call.value(0));
      const y = flattenValue(call.value(1));
      if (x.length !== 3 || y.length !== 3) return call.fail('shape', 'cross needs two vectors of 3 elements');
      const part = (i: number, j: number): FlatExpr => binary('sub', multiply(x[i], y[j]), multiply(x[j], y[i]));
      return [part(1, 2), part(2, 0), part(0, 1)];
    }
    case 'skew': {
      const x = flattenValue(call.value(0));
      return [
        [zero, negate(x[2]), x[1]],
        [x[2], zero, negate(x[0])],
        [negate(x[1]), x[0], zero],
      ];
    }
    case 'interpolate': {
      if (call.count !== 3)
        return call.fail(
          'arguments',
          'interpolate takes the places of the points, their values, and where: interpolate({0, 1, 2}, {5, 7, 6}, time)',
        );
      const numbers = (k: number): number[] =>
        flattenValue(list(call.value(k))).map(
          (x) =>
            call.known(x) ?? call.fail('not-constant', 'The points of interpolate must be known before the run', k),
        );
      const [x, y] = [numbers(0), numbers(1)];
      if (x.length !== y.length || x.length === 0)
        return call.fail('shape', `interpolate has ${x.length} places, but ${y.length} values`);
      const back = x.findIndex((at, k) => k > 0 && !(at > x[k - 1]));
      if (back > 0)
        return call.fail('order', `The places of interpolate have to grow, but ${x[back]} follows ${x[back - 1]}`, 0);
      return mapValue(call.value(2), (a) => ({ op: 'table', a, x, y, slope: false }));
    }
    case 'fromTickToTick':
      return fromTickToTick(call);
    case 'outerProduct': {
      const x = flattenValue(call.value(0));
      const y = flattenValue(call.value(1));
      return x.map((xi) => y.map((yj) => multiply(xi, yj)));
    }
    default:
      return call.fail('unknown-function', `There is no function ${name}`);
  }
}
