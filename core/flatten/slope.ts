import { contains, differentiate } from './differentiate';
import { one, operands, zero, type FlatExpr } from './flat-expression';

/** The slope of a formula by a quantity, all others held. */
export function slopeBy(of: FlatExpr, by: FlatExpr, fail: (message: string) => never): FlatExpr {
  if (by.op !== 'var') return fail('There is a slope by a quantity only');
  const { index } = by;
  const isHidden = (e: FlatExpr): boolean =>
    (e.op === 'pre' && e.index === index) ||
    (e.op === 'delay' && contains(e.a, { kind: 'var', index })) ||
    operands(e).some(isHidden);
  if (isHidden(of)) return fail('What was before (pre, delay) has no slope: leave it out of this formula');
  return differentiate(of, (leaf) => (leaf.op === 'var' && leaf.index === index ? one : zero));
}
