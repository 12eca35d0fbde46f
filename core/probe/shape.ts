import { evaluate, type FlatExpr } from '../flatten/flat-expression';

/** Whether expressions are sums and constant gains of what an input moves, and which piece makes them more than that. */

/** A value that only parameters and the time decide, one that is made of variables by sums and gains, or anything else. */
export type Shape = 'fixed' | 'linear' | 'other';

export const isZero = (e: FlatExpr, value: (k: number) => number): boolean => {
  const at = (time: number): number => evaluate(e, value, (x) => (x.op === 'time' ? time : NaN));
  return [0, 0.37, 1.9].every((t) => at(t) === 0);
};

export interface ShapeContext {
  readonly isFixed: (k: number) => boolean;
  readonly value: (k: number) => number;
  readonly truthOf: (e: FlatExpr) => boolean | undefined;
  /** A number that stands for no limit. */
  readonly isBeyond: (e: FlatExpr) => boolean;
  readonly note: (piece: FlatExpr, instead: FlatExpr | undefined, node?: FlatExpr, isTaken?: boolean) => void;
}

export function shapeOf(e: FlatExpr, c: ShapeContext): Shape {
  const of = (x: FlatExpr): Shape => shapeOf(x, c);
  const other = (piece: FlatExpr, instead: FlatExpr | undefined): Shape => {
    c.note(piece, instead);
    return 'other';
  };
  switch (e.op) {
    case 'const':
    case 'time':
    case 'initial':
    case 'terminal':
    case 'sample':
      return 'fixed';
    case 'var':
    case 'der':
    case 'pre':
      return c.isFixed(e.index) ? 'fixed' : 'linear';
    case 'neg':
    case 'noEvent':
    case 'noted':
      return of(e.a);
    case 'not':
      return of(e.a) === 'fixed' ? 'fixed' : other(e, undefined);
    case 'add':
    case 'sub': {
      const [a, b] = [of(e.a), of(e.b)];
      if (a === 'other' || b === 'other') return 'other';
      if (a === b) return a;
      const [fixed, linear] = a === 'fixed' ? [e.a, e.b] : [e.b, e.a];
      if (isZero(fixed, c.value)) return 'linear';
      // an offset
      const isFirst = a === 'fixed';
      c.note(fixed, isFirst && e.op === 'sub' ? { op: 'neg', a: linear } : linear, e, !isFirst && e.op === 'sub');
      return 'other';
    }
    case 'mul': {
      const [a, b] = [of(e.a), of(e.b)];
      if (a === 'other' || b === 'other') return 'other';
      if (a === 'fixed') return b;
      return b === 'fixed' ? a : other(e, e.a);
    }
    case 'div': {
      const [a, b] = [of(e.a), of(e.b)];
      if (a === 'other' || b === 'other') return 'other';
      return b === 'fixed' ? a : other(e, a === 'fixed' ? undefined : e.a);
    }
    case 'pow': {
      const [a, b] = [of(e.a), of(e.b)];
      if (a === 'fixed' && b === 'fixed') return 'fixed';
      if (a === 'other') return 'other';
      return other(e, a === 'linear' ? e.a : undefined);
    }
    case 'if': {
      const always = c.truthOf(e.c);
      if (always !== undefined) return of(always ? e.a : e.b);
      const [k, a, b] = [conditionShape(e.c, c), of(e.a), of(e.b)];
      if (k !== 'fixed') return other(e, linearPart(e.a, c) ?? linearPart(e.b, c));
      if (a === 'other' || b === 'other') return 'other';
      if (a === b) return a;
      // one branch is zero, or an offset
      const fixed = a === 'fixed' ? e.a : e.b;
      if (isZero(fixed, c.value)) return 'linear';
      c.note(fixed, a === 'fixed' ? e.b : e.a, e);
      return 'other';
    }
    case 'delay': {
      const a = of(e.a);
      return shapeOf(e.by, { ...c, note: () => undefined }) === 'fixed' ? a : other(e, e.a);
    }
    case 'fn':
    case 'table': {
      const args = e.op === 'fn' ? e.args : [e.a];
      // a limit that is none
      if (e.op === 'fn' && (e.name === 'min' || e.name === 'max') && args.some(c.isBeyond))
        return of(args.find((x) => !c.isBeyond(x)) ?? args[0]);
      const shapes = args.map((x) => shapeOf(x, { ...c, note: () => undefined }));
      if (shapes.every((s) => s === 'fixed')) return 'fixed';
      // without it, what it bends passes unbent
      const inner = straightened(e, c);
      return other(e, inner);
    }
    default: {
      // relations and logic
      const shapes = [e.a, e.b].map((x) => shapeOf(x, { ...c, note: () => undefined }));
      return shapes.every((s) => s === 'fixed') ? 'fixed' : other(e, undefined);
    }
  }
}

/** A branch without its offset. */
function linearPart(e: FlatExpr, c: ShapeContext): FlatExpr | undefined {
  const of = (x: FlatExpr): Shape => shapeOf(x, { ...c, note: () => undefined });
  if (of(e) === 'linear') return e;
  if (e.op === 'if') return linearPart(e.a, c) ?? linearPart(e.b, c);
  if (e.op !== 'add' && e.op !== 'sub') return undefined;
  if (of(e.b) === 'fixed') return linearPart(e.a, c);
  const right = of(e.a) === 'fixed' ? linearPart(e.b, c) : undefined;
  return right && (e.op === 'sub' ? { op: 'neg', a: right } : right);
}

const conditionShape = (e: FlatExpr, c: ShapeContext): Shape => shapeOf(e, { ...c, note: () => undefined });

/** What passes a limit, a magnitude, a function of one value, if it were not there: the one operand that is not fixed. */
function straightened(e: FlatExpr, c: ShapeContext): FlatExpr | undefined {
  if (e.op === 'table') return e.a;
  if (e.op !== 'fn') return e;
  const moving = e.args.filter((x) => shapeOf(x, { ...c, note: () => undefined }) !== 'fixed');
  if (moving.length !== 1) return undefined;
  return moving[0].op === 'fn' && (moving[0].name === 'min' || moving[0].name === 'max')
    ? straightened(moving[0], c)
    : moving[0];
}
