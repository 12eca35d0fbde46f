import type { Expr } from '../language/ast';
import { signalBlocks, type BlockOutput, type SignalBlock } from './catalogue';
import { blockOfType } from './block-of-type';
import type { SheetSurroundings } from './surroundings';

/**
 * A part type or a block with several outputs stands on a line of its own: `f = Filter(u)` is the part f then, and `f.low`, `f.high` are what
 * comes out of it.
 */
export interface PartOnLine {
  readonly block: SignalBlock;
  /** It is a part type of the project. */
  readonly isOwn: boolean;
  readonly outputs: readonly BlockOutput[];
}

export function partOnLine(e: Expr | undefined, around: SheetSurroundings): PartOnLine | undefined {
  if (e?.kind !== 'call') return undefined;
  const { continuous, sampled } = signalBlocks();
  const known = continuous.get(e.callee) ?? sampled.get(e.callee);
  if (known) return known.outputs.length > 1 ? { block: known, isOwn: false, outputs: known.outputs } : undefined;
  const type = around.partType(e.callee);
  const outputs = type?.quantities.filter((q) => q.role === 'output') ?? [];
  if (!type || outputs.length < 2) return undefined;
  const block = blockOfType(type, outputs[0]);
  return { block, isOwn: true, outputs: block.outputs };
}
