import type { PartType } from '../project/document';

export type WireType = 'Real' | 'Integer' | 'Boolean';

/** What is known around the sheets of a part type. */
export interface SheetSurroundings {
  /** Type of a quantity by its path from the part type; undefined where nothing is known of it. */
  typeOf(path: readonly string[]): WireType | undefined;
  /** Unit of a quantity by its path; undefined where it has none, or nothing is known of it. */
  unitOf(path: readonly string[]): string | undefined;
  /** Whether a quantity is a parameter or constant: the same during a whole run. */
  isFixed(path: readonly string[]): boolean;
  /** Names that are taken: quantities, parts, what texts declare. */
  isTaken(name: string): boolean;
  /** A part type that can be used like a block. */
  partType(name: string): PartType | undefined;
}
