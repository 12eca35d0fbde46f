import type { Expr } from '../language/ast';
import { signalBlocks } from './catalogue';
import type { BlockLine } from './sheet-lines';

/** How many numbers a wire brings: nothing in the list for one, `[3]` for three, `[2, 3]` for a matrix of two rows. */
export type WireShape = readonly number[];

const single: WireShape = [];
/** Not known yet: it goes round in a circle. */
const unknown: WireShape = [];

/**
 * Shapes of the names that lines bring, from their formulas: from lists that are written out, through names, operators and functions. What goes
 * round in a circle is what the rest of its formula is, or one number.
 */
export function wireShapes(lines: ReadonlyMap<string, BlockLine>): ReadonlyMap<string, WireShape> {
  const found = new Map<string, WireShape>();
  const open = new Set<string>();
  const ofName = (name: string): WireShape => {
    const known = found.get(name);
    if (known) return known;
    const line = lines.get(name);
    if (!line) return single;
    // in a circle the other terms tell
    if (open.has(name)) return unknown;
    open.add(name);
    const own = shapeOfExpression(line.expr, ofName);
    const shape = own === unknown ? single : own;
    open.delete(name);
    found.set(name, shape);
    return shape;
  };
  for (const name of lines.keys()) ofName(name);
  return found;
}

/** The shape of a formula, where those of the names in it are known. */
export function shapeOfExpression(e: Expr, ofName: (name: string) => WireShape): WireShape {
  const of = (x: Expr): WireShape => shapeOfExpression(x, ofName);
  switch (e.kind) {
    case 'ref': {
      const [first] = e.parts;
      if (e.parts.length > 1 || e.global) return single;
      const whole = ofName(first.name);
      if (whole === unknown && first.subscripts.length === 0) return unknown;
      const rest = first.subscripts.flatMap((s, k) => (s.kind === 'colon' ? [whole[k] ?? 1] : rangeLength(s)));
      return [...rest, ...whole.slice(first.subscripts.length)];
    }
    case 'array': {
      if (!e.elements[0]) return [0];
      if (!e.matrix) return [e.elements.length, ...of(e.elements[0])];
      const [row] = e.elements;
      return [e.elements.length, row.kind === 'array' ? row.elements.length : 1];
    }
    case 'comprehension':
      return [...e.iterators.flatMap((i) => (i.range ? rangeLength(i.range) : [])), ...of(e.body)];
    case 'range':
      return rangeLength(e);
    case 'unary':
      return of(e.operand);
    case 'if':
      return [e.otherwise, ...e.branches.map((b) => b.value)].map(of).find((s) => s !== unknown) ?? unknown;
    case 'binary': {
      const [a, b] = [of(e.left), of(e.right)];
      if (e.op === '*' && (a === unknown || b === unknown)) return a.length === 1 || b.length === 1 ? single : unknown;
      if (a === unknown || b === unknown) return a === unknown ? b : a;
      if (e.op === '*' && a.length > 0 && b.length > 0) {
        if (a.length === 1) return b.slice(1);
        return [a[0], ...b.slice(1)];
      }
      return a.length > 0 ? a : b;
    }
    case 'call':
      return ofCall(e, of);
    default:
      return single;
  }
}

function ofCall(e: Extract<Expr, { kind: 'call' }>, of: (x: Expr) => WireShape): WireShape {
  const shapes = e.args.map(of);
  const sizes = (from: number): WireShape => e.args.slice(from).flatMap((a) => (a.kind === 'number' ? [a.value] : []));
  switch (e.callee) {
    case 'sum':
    case 'product':
    case 'size':
    case 'ndims':
    case 'scalar':
      return single;
    case 'min':
    case 'max':
      return e.args.length === 1 ? single : (shapes.find((s) => s.length > 0) ?? single);
    case 'zeros':
    case 'ones':
      return sizes(0);
    case 'fill':
      return [...sizes(1), ...(shapes[0] ?? [])];
    case 'linspace':
      return sizes(2);
    case 'identity':
      return [...sizes(0), ...sizes(0)];
    case 'transpose':
      return [...(shapes[0] ?? [])].reverse();
    case 'cross':
      return [3];
    case 'vector':
      return [(shapes[0] ?? []).reduce((n, x) => n * x, 1)];
    case 'cat':
      return [shapes.slice(1).reduce((n, s) => n + (s[0] ?? 1), 0), ...(shapes[1] ?? []).slice(1)];
    case 'interpolate':
      return shapes[2] ?? single;
  }
  return shapeOfBlock(e, of);
}

/** A block or function for single numbers that is given several of them is there once for each. */
export function shapeOfBlock(e: Extract<Expr, { kind: 'call' }>, of: (x: Expr) => WireShape): WireShape {
  const { continuous, sampled } = signalBlocks();
  const block = continuous.get(e.callee) ?? sampled.get(e.callee);
  const several = (x: Expr, isArray: boolean | undefined): WireShape => (isArray ? single : of(x));
  const all = [
    ...e.args.map((a, k) => several(a, block?.takes[k]?.isArray)),
    ...e.named.map((n) => several(n.value, block?.takes.find((t) => t.name === n.name)?.isArray)),
  ];
  return all.find((s) => s.length > 0) ?? (all.includes(unknown) ? unknown : single);
}

function rangeLength(e: Expr): WireShape {
  if (e.kind !== 'range') return single;
  const number = (x: Expr | undefined): number | undefined => (x?.kind === 'number' ? x.value : undefined);
  const [from, step, to] = [number(e.start), e.step ? number(e.step) : 1, number(e.stop)];
  return from === undefined || to === undefined || !step
    ? [1]
    : [Math.max(0, Math.floor((to - from) / step + 1e-9) + 1)];
}
