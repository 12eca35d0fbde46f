import type { Address } from './address';
import type { Project } from './document';

/** Anything a list of the document can hold. */
export type ListEntry = { [K in keyof Project]: EntryIn<Project[K]> }[keyof Project];
type EntryIn<T> = T extends readonly (infer E)[]
  ? E extends { readonly id: string }
    ? E | { [K in keyof E]: EntryIn<E[K]> }[keyof E]
    : never
  : never;

/** A change of the document, as data. `list` is the address of a list, such as `type/<id>/chart/<id>/state`; entries are known by their id. */
export type Edit =
  | { readonly kind: 'insert'; readonly list: Address; readonly entry: ListEntry; readonly index?: number }
  /** Many entries at once, at the end of the list. */
  | { readonly kind: 'insert-all'; readonly list: Address; readonly entries: readonly ListEntry[] }
  | { readonly kind: 'remove-all'; readonly list: Address; readonly ids: readonly string[] }
  | {
      readonly kind: 'update-all';
      readonly list: Address;
      readonly updates: readonly { readonly id: string; readonly changes: Readonly<Record<string, unknown>> }[];
    }
  /** Brings entries into the order of their ids here; others keep their place after the one they follow. */
  | { readonly kind: 'order'; readonly list: Address; readonly ids: readonly string[] }
  | {
      readonly kind: 'update';
      readonly list: Address;
      readonly id: string;
      readonly changes: Readonly<Record<string, unknown>>;
    }
  | { readonly kind: 'remove'; readonly list: Address; readonly id: string }
  /** Takes elements away together, wherever they stand, with what goes with them: that they use one another is no reason to keep them. */
  | { readonly kind: 'delete'; readonly addresses: readonly Address[] }
  | { readonly kind: 'move'; readonly list: Address; readonly id: string; readonly index: number }
  /** Renames an element; every text that mentions it follows. */
  | { readonly kind: 'rename'; readonly list: Address; readonly id: string; readonly name: string }
  /** Renames a part that a physics text declares; every text that mentions it follows. */
  | { readonly kind: 'rename-declared'; readonly type: string; readonly name: string; readonly to: string }
  /** What lines of a part type give is reached by another path from now on, such as `box.i` for `i`: every text that mentions it follows. */
  | { readonly kind: 'lead'; readonly type: string; readonly from: string; readonly to: string }
  | { readonly kind: 'project'; readonly changes: Partial<Pick<Project, 'name' | 'note' | 'root'>> }
  | { readonly kind: 'batch'; readonly label: string; readonly edits: readonly Edit[] };
