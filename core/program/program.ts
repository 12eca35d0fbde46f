import type { FlatEquation } from '../flatten/flat-model';
import type { SolvableModel } from '../analysis/solvable-model';
import type { Unknown } from '../flatten/differentiate';
import { lower, type Lowered } from './lower';

/**
 * A model ready to be run: its instructions, and the model they came from, which messages are made from. All of it is plain data; it can
 * be posted to a worker and made to run there (`instantiate`), as often as wanted.
 */
export interface Program extends Omit<Lowered, 'tornBlocks'> {
  readonly solvable: SolvableModel;
  /** The equations of each torn block, for messages. */
  readonly tornBlocks: readonly {
    readonly equations: readonly FlatEquation[];
    readonly unknowns: readonly Unknown[];
    readonly tears: number;
    readonly linear: boolean;
  }[];
}

export function createProgram(solvable: SolvableModel): Program {
  const { tornBlocks, ...lowered } = lower(solvable);
  return {
    ...lowered,
    solvable,
    tornBlocks: tornBlocks.map((block) => ({
      equations: [...block.inner.map((x) => x.equation), ...block.residuals.map((r) => r.equation)],
      unknowns: [...block.tears, ...block.inner.map((x) => x.target)],
      tears: block.tears.length,
      linear: block.linear,
    })),
  };
}
