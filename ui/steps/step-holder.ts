import type { LineHolder } from '@/core/flows/edit-flow';

/** A flow or procedure as the editor of its lines needs it. */
export interface StepHolder extends LineHolder {
  /** Address of the whole, to which `/line/<id>` is added. */
  readonly address: string;
  /** What lines can say, for the help below them. */
  readonly forms: readonly (readonly [form: string, meaning: string])[];
  readonly hint: string;
  readonly empty: string;
  /** What writing is called in the list of steps to undo. */
  readonly writing: string;
  readonly ownWord: string;
  /** Makes one of its own out of a line and what stands inside it. */
  makeOwn(line: string, name: string, newLine: string): void;
  /** What kind of line a text is, and whether others stand inside it; as use flows and procedures have it where left out. */
  readonly kindOf?: (text: string) => string;
  readonly holds?: (text: string) => boolean;
  /** What a run said of each line, beside it. */
  readonly said?: ReadonlyMap<string, { readonly text: string; readonly tone: 'good' | 'bad' | 'open' | 'quiet' }>;
  /** Lines active at the cursor, and addresses at which runs stop. */
  readonly active?: ReadonlySet<string>;
  readonly stops?: ReadonlySet<string>;
}
