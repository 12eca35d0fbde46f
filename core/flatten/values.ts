import type { ClassRef } from './library';
import { add, binary, choose, constant, multiply, type FlatExpr } from './flat-expression';

/** A value of the language during flattening: a scalar expression, a (nested) array of values, or a record of them. */
export type Value = FlatExpr | readonly Value[] | RecordValue;

export interface RecordValue {
  readonly fields: ReadonlyMap<string, Value>;
  readonly typeName: string;
  /** It is a function, and the fields are inputs of it that are given (Modelica language 3.6, 12.4.2). */
  readonly calls?: ClassRef;
}

export type FunctionValue = RecordValue & { readonly calls: ClassRef };
/** A function or record, or a function that was given as an argument. */
export type Callable = ClassRef | FunctionValue;

export const isRecord = (v: Value): v is RecordValue => !Array.isArray(v) && 'fields' in v;
export const isFunction = (v: Value): v is FunctionValue => isRecord(v) && v.calls !== undefined;
export const isArray = (v: Value): v is readonly Value[] => Array.isArray(v);

export class ShapeError extends Error {}

export function shapeOf(v: Value): number[] {
  return isArray(v) ? [v.length, ...(v.length ? shapeOf(v[0]) : [])] : [];
}

const describeShape = (shape: readonly number[]): string =>
  shape.length === 0 ? 'a single value' : `size [${shape.join(', ')}]`;

/** In what a value differs from the shape of another one, as what follows the name of that; undefined where it does not. */
export function unlike(shape: Value, value: Value): string | undefined {
  if (isRecord(shape) || isRecord(value)) {
    if (!isRecord(shape)) return 'is no record, but one is given';
    if (!isRecord(value)) return `is a ${shape.typeName}, but a ${isArray(value) ? 'list' : 'single value'} is given`;
    const missing = [...shape.fields.keys()].find((name) => !value.fields.has(name));
    if (missing !== undefined || shape.fields.size !== value.fields.size)
      return `is a ${shape.typeName}, but a ${value.typeName} is given`;
    for (const [name, field] of shape.fields) {
      const inner = unlike(field, value.fields.get(name)!);
      if (inner !== undefined) return `${inner} (in ${name})`;
    }
    return undefined;
  }
  if (!isArray(shape) && !isArray(value)) return undefined;
  const fits =
    isArray(shape) &&
    isArray(value) &&
    shape.length === value.length &&
    shape.every((x, k) => unlike(x, value[k]) === undefined);
  return fits
    ? undefined
    : `${isArray(shape) ? 'has' : 'is'} ${describeShape(shapeOf(shape))}, but ${describeShape(shapeOf(value))} is given`;
}

export const mapValue = (v: Value, f: (x: FlatExpr) => FlatExpr): Value =>
  isArray(v)
    ? v.map((x) => mapValue(x, f))
    : isRecord(v)
      ? { ...v, fields: new Map([...v.fields].map(([name, x]) => [name, mapValue(x, f)])) }
      : f(v);

/** An element or a field of a value. */
export function partOf(v: Value, at: number | string): Value | undefined {
  if (typeof at === 'number') return isArray(v) ? v[at - 1] : undefined;
  // one field of all elements
  if (isArray(v)) {
    const all = v.map((x) => partOf(x, at));
    return all.every((x) => x !== undefined) ? (all as Value[]) : undefined;
  }
  return isRecord(v) ? v.fields.get(at) : undefined;
}

export function flattenValue(v: Value): FlatExpr[] {
  return isArray(v) ? v.flatMap(flattenValue) : isRecord(v) ? [...v.fields.values()].flatMap(flattenValue) : [v];
}

export function zipValues(a: Value, b: Value, f: (x: FlatExpr, y: FlatExpr) => FlatExpr, what: string): Value {
  if (isArray(a) && isArray(b)) {
    if (a.length !== b.length)
      throw new ShapeError(`${what}: the sides have ${describeShape(shapeOf(a))} and ${describeShape(shapeOf(b))}`);
    return a.map((x, k) => zipValues(x, b[k], f, what));
  }
  if (isRecord(a) && isRecord(b)) {
    const missing = [...a.fields.keys()].find((name) => !b.fields.has(name));
    if (missing !== undefined || a.fields.size !== b.fields.size)
      throw new ShapeError(`${what}: ${a.typeName} and ${b.typeName} do not have the same fields`);
    return {
      ...a,
      fields: new Map(
        [...a.fields].map(([name, x]) => [name, zipValues(x, b.fields.get(name)!, f, `${what} (${name})`)]),
      ),
    };
  }
  if (isRecord(a) || isRecord(b)) throw new ShapeError(`${what}: one side is a record, the other a value`);
  if (isArray(a) || isArray(b))
    throw new ShapeError(`${what}: the sides have ${describeShape(shapeOf(a))} and ${describeShape(shapeOf(b))}`);
  return f(a, b);
}

export const sumOf = (terms: readonly FlatExpr[]): FlatExpr => terms.reduce(add, constant(0));

const dot = (a: readonly Value[], b: readonly Value[]): FlatExpr => {
  if (a.length !== b.length) throw new ShapeError(`A product of vectors of ${a.length} and ${b.length} elements`);
  return sumOf(a.map((x, k) => multiply(x as FlatExpr, b[k] as FlatExpr)));
};

export const transpose = (m: readonly Value[]): Value[] =>
  m.length === 0 ? [] : (m[0] as readonly Value[]).map((_, j) => m.map((row) => (row as readonly Value[])[j]));

/** `*` of the Modelica language, section 10.6.5. */
export function multiplyValues(a: Value, b: Value): Value {
  if (isRecord(a) || isRecord(b)) throw new ShapeError('A record cannot be multiplied');
  if (!isArray(a)) return isArray(b) ? mapValue(b, (x) => multiply(a, x)) : multiply(a, b);
  if (!isArray(b)) return mapValue(a, (x) => multiply(x, b));
  const da = shapeOf(a).length;
  const db = shapeOf(b).length;
  if (da === 1 && db === 1) return dot(a, b);
  if (da === 2 && db === 1) return a.map((row) => dot(row as readonly Value[], b));
  const columns = transpose(b);
  if (da === 1 && db === 2) return columns.map((column) => dot(a, column as readonly Value[]));
  if (da === 2 && db === 2)
    return a.map((row) => columns.map((column) => dot(row as readonly Value[], column as readonly Value[])));
  throw new ShapeError('A product of arrays of more than two dimensions');
}

/** Operators that work element by element; a scalar meets every element where the dotted form or `*`, `/` allow it. */
export function elementwise(
  op: Parameters<typeof binary>[0],
  a: Value,
  b: Value,
  what: string,
  broadcast: boolean,
): Value {
  if (broadcast && isArray(a) !== isArray(b)) {
    return isArray(a)
      ? mapValue(a, (x) => binary(op, x, b as FlatExpr))
      : mapValue(b, (y) => binary(op, a as FlatExpr, y));
  }
  return zipValues(a, b, (x, y) => binary(op, x, y), what);
}

export const chooseValue = (c: FlatExpr, a: Value, b: Value): Value =>
  zipValues(a, b, (x, y) => choose(c, x, y), 'A conditional value');

export function fillValue(value: Value, sizes: readonly number[]): Value {
  if (sizes.length === 0) return value;
  const [n, ...rest] = sizes;
  return Array.from({ length: Math.max(0, n) }, () => fillValue(value, rest));
}

export const identity = (n: number): Value =>
  Array.from({ length: n }, (_, i) => Array.from({ length: n }, (__, j) => constant(i === j ? 1 : 0)));

/** `[A, b; c, d]`: side by side, then one below the other; a single value is a matrix of one, a vector a column (Modelica language 3.6, 10.4.2). */
export function joinMatrices(rows: readonly (readonly Value[])[]): Value {
  const matrix = (v: Value): readonly (readonly Value[])[] =>
    isArray(v) ? v.map((x) => (isArray(x) ? x : [x])) : [[v]];
  return rows.flatMap((row) => {
    const parts = row.map(matrix);
    if (parts.some((p) => p.length !== parts[0].length))
      throw new ShapeError('What stands side by side in a matrix must have the same number of rows');
    return parts[0].map((_, i) => parts.flatMap((p) => p[i]));
  });
}
