import { create } from 'zustand';
import type { Project, Setup } from '@/core/project/project';
import type { StagesAnswer } from '@/core/studies/compare-stages';
import { askStages, type AskedStudy } from './studies-service';

/** What was found when a part was run in all stages, and what is being found; kept as long as the page lives. */
interface StagesState {
  /** By part and setup. */
  readonly found: Readonly<Record<string, FoundStages>>;
  readonly asking: { readonly key: string; readonly share: number } | undefined;
  ask(project: Project, setup: Setup, part: string, tolerance: number): void;
  stop(): void;
}
export interface FoundStages {
  /** The document it was found in. */
  readonly project: Project;
  readonly tolerance: number;
  readonly answer?: StagesAnswer;
  readonly problem: string;
}

export const stagesKey = (part: string, setup: string): string => `${part} ${setup}`;

let asked: AskedStudy<StagesAnswer> | undefined;

export const useStages = create<StagesState>()((set, get) => ({
  found: {},
  asking: undefined,
  ask(project, setup, part, tolerance) {
    asked?.stop();
    const key = stagesKey(part, setup.id);
    const mine = askStages(project, setup, part, tolerance, (share) => {
      if (asked === mine) set({ asking: { key, share } });
    });
    asked = mine;
    set({ asking: { key, share: 0 } });
    const end = (found?: FoundStages): void => {
      if (asked !== mine) return;
      asked = undefined;
      set({ asking: undefined, ...(found && { found: { ...get().found, [key]: found } }) });
    };
    mine.answer.then(
      (got) =>
        end(
          got && {
            project,
            tolerance,
            ...(got.value && { answer: got.value }),
            problem: got.value ? '' : (got.problems[0]?.message ?? 'It cannot run'),
          },
        ),
      (error: unknown) => end({ project, tolerance, problem: error instanceof Error ? error.message : String(error) }),
    );
  },
  stop() {
    asked?.stop();
    asked = undefined;
    set({ asking: undefined });
  },
}));
