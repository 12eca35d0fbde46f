import { walk, type FlatExpr } from '../flatten/flat-expression';
import type { Origin } from '../flatten/flat-model';
import { solverRelative, type Box } from './box';
import type { ProbeInput } from './input';
import type { PropertyName } from './properties';
import type { Structure } from './structure';
import type { TrialSpace } from './trials';

/** What is told of a box, and what is asked with. */

/** How much more than the tolerance of the solver two sides have to differ. */
export const tolerance = 1e4 * solverRelative;
/** How many rows of a run are compared. */
export const rows = 240;

export interface PropertyAnswer {
  readonly property: PropertyName;
  readonly holds: true | false | 'not refuted';
  readonly meaning: string;
  /** Why it holds by structure, or what was found. */
  readonly because: string;
  readonly counterexample: Counterexample | undefined;
  /** The largest difference that was seen, relative to the larger side. */
  readonly difference: number;
  readonly culprit: Culprit | undefined;
  readonly tried: { readonly inputs: number; readonly runs: number; readonly failed: number; readonly seed: number };
}

export interface Counterexample {
  readonly inputs: readonly {
    readonly label: string;
    readonly input: ProbeInput;
    readonly text: string;
    readonly shift: number;
  }[];
  /** Moment of the largest difference. */
  readonly at: number;
  readonly leftText: string;
  readonly rightText: string;
  /** Both sides there. */
  readonly left: number;
  readonly right: number;
  readonly traces: {
    readonly time: readonly number[];
    readonly left: readonly number[];
    readonly right: readonly number[];
  };
}

export interface Culprit {
  /** Quantity whose equation it is. */
  readonly quantity: string;
  readonly equation: string;
  readonly place: string;
  readonly part: string;
  /** The piece of it; '' where it is all of it. */
  readonly piece: string;
  /** What would be without it. */
  readonly without: string;
}

export interface ProbeReport {
  readonly from: readonly string[];
  readonly to: readonly string[];
  readonly answers: readonly PropertyAnswer[];
}

export interface Asking {
  readonly box: Box;
  readonly structure: Structure;
  readonly space: TrialSpace;
  readonly effort: number;
  readonly more: (share: number) => boolean;
}

/** Whether runs have cost more than is spent on one property: what switches without end would take for ever. */
export const isSpent = ({ box, effort }: Pick<Asking, 'box' | 'effort'>, share = 1): boolean =>
  box.meter.spent > share * 25_000 * effort;

export const short = (x: number): string => String(Number(x.toPrecision(4)));

export const nameIn =
  ({ program }: Box) =>
  (k: number): string =>
    program.solvable.model.variables[k].name;

/** What an equation is of, as a name of the box: the quantity on its left, or whose derivative it says. */
export function quantityOf(
  box: Box,
  { left, right, origin }: { readonly left: FlatExpr; readonly right: FlatExpr; readonly origin: Origin },
): string {
  const name = nameIn(box);
  if (left.op === 'var' || left.op === 'der') return name(left.index);
  let found: number | undefined;
  for (const side of [left, right]) walk(side, (x) => void (x.op === 'der' && (found ??= x.index)));
  return found === undefined ? origin.part || origin.text : name(found);
}
