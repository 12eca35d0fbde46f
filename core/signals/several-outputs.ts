import type { Expr } from '../language/ast';
import type { PartType, Quantity } from '../project/document';
import { signalBlocks } from './catalogue';
import type { SheetSurroundings } from './surroundings';

/**
 * A part type with several outputs stands on a line of its own: `f = Filter(u)` is the part f then, and `f.low`, `f.high` are what comes out
 * of it.
 */
export interface PartOnLine {
  readonly type: PartType;
  readonly outputs: readonly Quantity[];
}

export function partOnLine(e: Expr | undefined, around: SheetSurroundings): PartOnLine | undefined {
  if (e?.kind !== 'call') return undefined;
  const { continuous, sampled } = signalBlocks();
  if (continuous.has(e.callee) || sampled.has(e.callee)) return undefined;
  const type = around.partType(e.callee);
  const outputs = type?.quantities.filter((q) => q.role === 'output') ?? [];
  return type && outputs.length > 1 ? { type, outputs } : undefined;
}
