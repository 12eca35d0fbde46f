import type { Patch } from 'immer';
import { create } from 'zustand';
import type { Problem } from '@/core/language/diagnostics';
import { applyEdit, redoEdit, undoEdit, type Edit } from '@/core/editing/edits';
import type { Project } from '@/core/project/project';
import type { RequirementFinding } from '@/core/run/run';
import { sayUnlessShown } from './refusals';

/** One undoable step. */
interface Step {
  readonly label: string;
  readonly patches: readonly Patch[];
  readonly inverse: readonly Patch[];
  readonly at: number;
  readonly merge: string | undefined;
}

interface ProjectState {
  readonly project: Project | undefined;
  readonly undoSteps: readonly Step[];
  readonly redoSteps: readonly Step[];
  /** Problems of the document, found a moment after each change. */
  readonly problems: readonly Problem[];
  /** Verdicts that rest on constants alone, found with the problems. */
  readonly constants: readonly RequirementFinding[];
  readonly checking: boolean;
  readonly saved: 'saved' | 'saving' | 'failed';
  /** Counts the changes of the document, and what the last of them was; undefined where another document was opened. */
  readonly version: number;
  readonly change: readonly Patch[] | undefined;
  open(project: Project): void;
  close(): void;
  /**
   * Carries an edit out; the result says why it was refused, if it was, and so does a notice, unless a field shows it. Edits with the same `merge` key in quick
   * succession (typing in one field) become one step of undo.
   */
  edit(edit: Edit, label: string, merge?: string): Problem | undefined;
  undo(): void;
  redo(): void;
  setProblems(problems: readonly Problem[], constants?: readonly RequirementFinding[]): void;
  setSaved(saved: ProjectState['saved']): void;
}

const mergeWithin = 1200;
const longestHistory = 500;

export const useProject = create<ProjectState>((set, get) => ({
  project: undefined,
  undoSteps: [],
  redoSteps: [],
  problems: [],
  constants: [],
  checking: false,
  saved: 'saved',
  version: 0,
  change: undefined,
  open: (project) =>
    set({
      version: get().version + 1,
      change: undefined,
      project,
      undoSteps: [],
      redoSteps: [],
      problems: [],
      constants: [],
      checking: true,
      saved: 'saved',
    }),
  close: () =>
    set({
      project: undefined,
      undoSteps: [],
      redoSteps: [],
      problems: [],
      version: get().version + 1,
      change: undefined,
    }),
  edit(edit, label, merge) {
    const { project, undoSteps } = get();
    if (!project) return undefined;
    const result = applyEdit(project, edit);
    if (result.refused) {
      sayUnlessShown(result.refused);
      return result.refused;
    }
    if (result.patches.length === 0) return undefined;
    const last = undoSteps.at(-1);
    const now = Date.now();
    const joins = merge !== undefined && last?.merge === merge && now - last.at < mergeWithin;
    const step: Step = joins
      ? {
          ...last,
          patches: [...last.patches, ...result.patches],
          inverse: [...result.inverse, ...last.inverse],
          at: now,
        }
      : { label, patches: result.patches, inverse: result.inverse, at: now, merge };
    set({
      project: result.project,
      version: get().version + 1,
      change: result.patches,
      redoSteps: [],
      checking: true,
      saved: 'saving',
      undoSteps: [...(joins ? undoSteps.slice(0, -1) : undoSteps), step].slice(-longestHistory),
    });
    return undefined;
  },
  undo() {
    const { project, undoSteps, redoSteps } = get();
    const step = undoSteps.at(-1);
    if (!project || !step) return;
    set({
      project: undoEdit(project, step.inverse),
      version: get().version + 1,
      change: step.inverse,
      undoSteps: undoSteps.slice(0, -1),
      redoSteps: [...redoSteps, { ...step, merge: undefined }],
      checking: true,
      saved: 'saving',
    });
  },
  redo() {
    const { project, undoSteps, redoSteps } = get();
    const step = redoSteps.at(-1);
    if (!project || !step) return;
    set({
      project: redoEdit(project, step.patches),
      version: get().version + 1,
      change: step.patches,
      redoSteps: redoSteps.slice(0, -1),
      undoSteps: [...undoSteps, step],
      checking: true,
      saved: 'saving',
    });
  },
  setProblems: (problems, constants = []) => set({ problems, constants, checking: false }),
  setSaved: (saved) => set({ saved }),
}));
