import type { SolverName } from '../core/simulate/solvers';

/** Options that `run` and `simulate` share. */
export interface RunArguments {
  readonly set: readonly string[];
  readonly stop?: number;
  readonly solver?: SolverName;
  readonly rtol?: number;
  readonly atol?: number;
  readonly step?: number;
  readonly record?: readonly string[];
  readonly out?: string;
  readonly json?: boolean;
}
