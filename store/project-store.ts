import { create } from 'zustand';
import { problem, type Problem } from '@/core/language/diagnostics';
import { applyEdit, redoEdit, undoEdit, type Edit } from '@/core/editing/edits';
import type { Project } from '@/core/project/project';
import type { RequirementFinding } from '@/core/run/run';
import { after, emptyHistory, type Change, type History, type Step } from './history';
import { sayUnlessShown } from './refusals';

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
  /** Another tab writes this project: here it is followed. */
  readonly following: boolean;
  /** Counts the changes of the document, and what the last of them was; undefined where another document was opened. */
  readonly version: number;
  readonly change: Change | undefined;
  open(project: Project, history?: History): void;
  /** Takes over what another tab made of the project that is open: a state of it, with what can be undone there, or a change. */
  follow(project: Project, more?: { readonly change?: Change; readonly history?: History }): void;
  setFollowing(following: boolean): void;
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

const otherTab = (): Problem =>
  problem(
    'error',
    'other-tab',
    'This project is being edited in another tab: choose Edit here, in the bar above, to go on in this one',
  );

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
  following: false,
  open: (project, history = emptyHistory) =>
    set({
      version: get().version + 1,
      change: undefined,
      project,
      ...history,
      problems: [],
      constants: [],
      checking: true,
      saved: 'saved',
    }),
  follow: (project, { change, history = emptyHistory } = {}) =>
    set({ version: get().version + 1, change, project, ...history, checking: true, saved: 'saved' }),
  setFollowing: (following) => set({ following }),
  close: () =>
    set({
      project: undefined,
      ...emptyHistory,
      problems: [],
      version: get().version + 1,
      change: undefined,
      following: false,
    }),
  edit(edit, label, merge) {
    const { project } = get();
    if (!project) return undefined;
    const {
      refused,
      patches,
      inverse,
      project: next,
    } = get().following ? { refused: otherTab(), patches: [], inverse: [], project } : applyEdit(project, edit);
    if (refused) {
      sayUnlessShown(refused);
      return refused;
    }
    if (patches.length === 0) return undefined;
    set(happened(get(), next, { kind: 'do', label, patches, inverse, at: Date.now(), merge }));
    return undefined;
  },
  undo() {
    const { project, undoSteps, following } = get();
    const step = undoSteps.at(-1);
    if (following) return sayUnlessShown(otherTab());
    if (!project || !step) return;
    const change: Change = { kind: 'undo', patches: step.inverse, at: Date.now() };
    const back = tried(() => undoEdit(project, step.inverse));
    if (back) set(happened(get(), back, change));
    else set(emptyHistory);
  },
  redo() {
    const { project, redoSteps, following } = get();
    const step = redoSteps.at(-1);
    if (following) return sayUnlessShown(otherTab());
    if (!project || !step) return;
    const change: Change = { kind: 'redo', patches: step.patches, at: Date.now() };
    const again = tried(() => redoEdit(project, step.patches));
    if (again) set(happened(get(), again, change));
    else set(emptyHistory);
  },
  setProblems: (problems, constants = []) => set({ problems, constants, checking: false }),
  setSaved: (saved) => set({ saved }),
}));

const happened = (state: ProjectState, project: Project, change: Change): Partial<ProjectState> => ({
  project,
  version: state.version + 1,
  change,
  checking: true,
  saved: 'saving',
  ...after(state, change),
});

/** Steps that were kept in the browser may not go with the document any more: then there is nothing to undo. */
function tried(work: () => Project): Project | undefined {
  try {
    return work();
  } catch {
    return undefined;
  }
}
