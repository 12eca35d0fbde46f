import type { Block } from '../analysis/solvable-model';
import { evaluate, type FlatExpr } from '../flatten/flat-expression';

/** Between which values things stay whatever goes in, as far as the equations tell. */

/** Bounds of the output by intervals, as far as limits and functions tell. */
export function rangeOf(
  y: number,
  blocks: readonly Block[],
  indexOf: (k: number) => number,
  value: (k: number) => number,
): readonly [number, number] {
  const all = [-Infinity, Infinity] as const;
  const tidy = (low: number, high: number): readonly [number, number] => [
    Number.isNaN(low) ? -Infinity : low,
    Number.isNaN(high) ? Infinity : high,
  ];
  const open = new Set<number>();
  const ofVariable = (k: number): readonly [number, number] => {
    const x = value(k);
    if (Number.isFinite(x)) return [x, x];
    const own = indexOf(k);
    const b = blocks.find((x) => x.kind === 'assign' && x.target.kind === 'var' && x.target.index === own);
    if (!b || b.kind !== 'assign' || open.has(own)) return all;
    open.add(own);
    const found = of(b.value);
    open.delete(own);
    return found;
  };
  const of = (e: FlatExpr): readonly [number, number] => {
    switch (e.op) {
      case 'const':
        return [e.value, e.value];
      case 'var':
        return ofVariable(e.index);
      case 'neg': {
        const [a, b] = of(e.a);
        return [-b, -a];
      }
      case 'noEvent':
        return of(e.a);
      case 'add': {
        const [a, b] = [of(e.a), of(e.b)];
        return tidy(a[0] + b[0], a[1] + b[1]);
      }
      case 'sub': {
        const [a, b] = [of(e.a), of(e.b)];
        return tidy(a[0] - b[1], a[1] - b[0]);
      }
      case 'mul': {
        const [a, b] = [of(e.a), of(e.b)];
        const ends = [a[0] * b[0], a[0] * b[1], a[1] * b[0], a[1] * b[1]].map((x) => (Number.isNaN(x) ? 0 : x));
        return [Math.min(...ends), Math.max(...ends)];
      }
      case 'if': {
        const [a, b] = [of(e.a), of(e.b)];
        return [Math.min(a[0], b[0]), Math.max(a[1], b[1])];
      }
      case 'table':
        return [Math.min(...e.y), Math.max(...e.y)];
      case 'fn': {
        if (['sin', 'cos', 'tanh', 'sign'].includes(e.name)) return [-1, 1];
        if (e.name === 'atan' || e.name === 'asin') return [-Math.PI / 2, Math.PI / 2];
        if (e.name === 'atan2') return [-Math.PI, Math.PI];
        if (e.name !== 'min' && e.name !== 'max') return all;
        const [a, b] = e.args.map(of);
        const pick = e.name === 'min' ? Math.min : Math.max;
        return [pick(a[0], b[0]), pick(a[1], b[1])];
      }
      case 'lt':
      case 'le':
      case 'gt':
      case 'ge':
      case 'eq':
      case 'ne':
      case 'and':
      case 'or':
      case 'not':
        return [0, 1];
      default:
        return all;
    }
  };
  return ofVariable(y);
}

const tameFunctions: ReadonlySet<string> = new Set([
  'sin',
  'cos',
  'abs',
  'min',
  'max',
  'sign',
  'tanh',
  'atan',
  'atan2',
  'exp',
  'sqrt',
  'floor',
  'ceil',
  'integer',
  'cosh',
  'sinh',
]);

/** Whether an expression is bounded where its variables are. */
export function isTame(e: FlatExpr, isFixed: (k: number) => boolean, value: (k: number) => number): boolean {
  const of = (x: FlatExpr): boolean => isTame(x, isFixed, value);
  const fixedValue = (x: FlatExpr): number => evaluate(x, value, () => NaN);
  switch (e.op) {
    case 'const':
      return true;
    case 'var':
      // what is not moved by the input may still grow with the time
      return !isFixed(e.index) || Number.isFinite(value(e.index));
    case 'div': {
      const by = fixedValue(e.b);
      return Number.isFinite(by) && by !== 0 && of(e.a);
    }
    case 'pow': {
      const by = fixedValue(e.b);
      return Number.isInteger(by) && by >= 0 && of(e.a);
    }
    case 'fn':
      return tameFunctions.has(e.name) && e.args.every(of);
    case 'table':
      return true;
    case 'neg':
    case 'noEvent':
    case 'not':
      return of(e.a);
    case 'if':
      return of(e.a) && of(e.b);
    case 'add':
    case 'sub':
    case 'mul':
      return of(e.a) && of(e.b);
    case 'lt':
    case 'le':
    case 'gt':
    case 'ge':
    case 'eq':
    case 'ne':
    case 'and':
    case 'or':
      return true;
    default:
      return false;
  }
}
