import type { BinaryExpr, Expr } from '../language/ast';
import { printExpression } from '../language/print';
import { readFormula, type Formula } from '../requirements/formula';
import { sideAt, type Moment } from './why';

/** What a formula allows a quantity: drawn as a line in the curves of it. */
export interface QuantityLimit {
  /** Full name of the quantity. */
  readonly name: string;
  readonly side: 'most' | 'least';
  readonly comparison: BinaryExpr;
  /** Which side of the comparison is the bound. */
  readonly bound: 'left' | 'right';
  /** The size of the quantity is meant: the line stands on both sides of zero. */
  readonly size: boolean;
}

const known = new Map<string, readonly QuantityLimit[]>();

/** Comparisons a formula asks for (not those it only asks about), of one quantity with something else. */
export function limitsIn(text: string): readonly QuantityLimit[] {
  let found = known.get(text);
  if (!found) {
    const { formula } = readFormula(text);
    found = formula ? ofFormula(formula) : [];
    if (known.size > 2000) known.clear();
    known.set(text, found);
  }
  return found;
}

function ofFormula(f: Formula): readonly QuantityLimit[] {
  switch (f.kind) {
    case 'state':
      return ofCondition(f.expr);
    case 'always':
    case 'eventually':
    case 'atEnd':
      return ofFormula(f.a);
    case 'and':
    case 'or':
      return [...ofFormula(f.a), ...ofFormula(f.b)];
    // before the arrow stands when it is asked
    case 'implies':
      return ofFormula(f.b);
    default:
      return [];
  }
}

function ofCondition(e: Expr): readonly QuantityLimit[] {
  if (e.kind !== 'binary') return [];
  if (e.op === 'and' || e.op === 'or') return [...ofCondition(e.left), ...ofCondition(e.right)];
  if (!/^[<>]=?$/.test(e.op)) return [];
  const smaller = e.op.startsWith('<');
  const one = (of: Expr, bound: 'left' | 'right'): readonly QuantityLimit[] => {
    const size = of.kind === 'call' && of.callee === 'abs' && of.args.length === 1;
    const ref = size ? of.args[0] : of;
    const isMost = smaller === (bound === 'right');
    if (ref.kind !== 'ref' || (size && !isMost)) return [];
    const name = printExpression(ref);
    return name === 'time' ? [] : [{ name, side: isMost ? 'most' : 'least', comparison: e, bound, size }];
  };
  // of two quantities each is the bound of the other
  return [...one(e.left, 'right'), ...one(e.right, 'left')];
}

/** Where the limit stands at a moment, in the unit of the quantity; nothing where that is not known. */
export function limitAt(limit: QuantityLimit, moment: Moment): readonly number[] {
  const value = sideAt(limit.comparison, limit.bound, moment);
  if (typeof value !== 'number' || !Number.isFinite(value)) return [];
  return limit.size ? [value, -value] : [value];
}

/** Whether a limit is the same all along: nothing that changes during a run is in it. */
export const isFixed = (limit: QuantityLimit, changes: (name: string) => boolean): boolean =>
  !namesIn(limit.comparison[limit.bound]).some(changes);

function namesIn(e: unknown): string[] {
  if (Array.isArray(e)) return e.flatMap(namesIn);
  if (e === null || typeof e !== 'object') return [];
  if ((e as { kind?: string }).kind === 'ref') return [printExpression(e as Expr)];
  return Object.values(e).flatMap(namesIn);
}
