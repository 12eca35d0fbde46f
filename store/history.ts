import type { Patch } from 'immer';

/** One undoable step. */
export interface Step {
  readonly label: string;
  readonly patches: readonly Patch[];
  readonly inverse: readonly Patch[];
  readonly at: number;
  readonly merge: string | undefined;
}

/** What happened to the document: a step, or one undone or done again. `patches` is what changed then. */
export type Change =
  | ({ readonly kind: 'do' } & Step)
  | { readonly kind: 'undo' | 'redo'; readonly patches: readonly Patch[]; readonly at: number };

export interface History {
  readonly undoSteps: readonly Step[];
  readonly redoSteps: readonly Step[];
}

export const emptyHistory: History = { undoSteps: [], redoSteps: [] };

const mergeWithin = 1200;
export const longestHistory = 500;

/** What can be undone and redone after something happened. Steps with the same `merge` key in quick succession become one. */
export function after({ undoSteps, redoSteps }: History, change: Change): History {
  const last = undoSteps.at(-1);
  const undone = redoSteps.at(-1);
  switch (change.kind) {
    case 'do': {
      const { kind: _, ...step } = change;
      const joins = step.merge !== undefined && last?.merge === step.merge && step.at - last.at < mergeWithin;
      const next: Step = joins
        ? {
            ...last,
            patches: [...last.patches, ...step.patches],
            inverse: [...step.inverse, ...last.inverse],
            at: step.at,
          }
        : step;
      return {
        undoSteps: [...(joins ? undoSteps.slice(0, -1) : undoSteps), next].slice(-longestHistory),
        redoSteps: [],
      };
    }
    case 'undo':
      return last
        ? { undoSteps: undoSteps.slice(0, -1), redoSteps: [...redoSteps, { ...last, merge: undefined }] }
        : emptyHistory;
    case 'redo':
      return undone ? { undoSteps: [...undoSteps, undone], redoSteps: redoSteps.slice(0, -1) } : emptyHistory;
  }
}
