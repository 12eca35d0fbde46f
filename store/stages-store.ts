import { create } from 'zustand';
import { withoutChannels } from '@/core/pins/channels';
import type { Project, Setup } from '@/core/project/project';
import type { StagesAnswer } from '@/core/studies/compare-stages';
import { builtFor } from './images';
import { askStages, type AskedStudy } from './studies-service';

/** What was found when a part was run in all stages, and what is being found; kept as long as the page lives. */
interface StagesState {
  /** By part and setup. */
  readonly found: Readonly<Record<string, FoundStages>>;
  readonly asking: { readonly key: string; readonly share: number } | undefined;
  /** `boards`: ids of those it runs on too; `onHost`: as compiled C on the machine that serves the page. */
  ask(
    project: Project,
    setup: Setup,
    part: string,
    tolerance: number,
    boards: readonly string[],
    onHost: boolean,
    direct: boolean,
  ): Promise<void>;
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
/** Counts what is asked and stopped: an answer to what was asked before comes too late. */
let turn = 0;

export const useStages = create<StagesState>()((set, get) => ({
  found: {},
  asking: undefined,
  async ask(project, asSaid, part, tolerance, boards, onHost, direct) {
    asked?.stop();
    asked = undefined;
    const key = stagesKey(part, asSaid.id);
    const run = direct ? withoutChannels(project) : project;
    const setup = direct ? { ...asSaid, wires: [] } : asSaid;
    set({ asking: { key, share: 0 } });
    const own = ++turn;
    const stages = boards.map((board) => ({ part, stage: 'board' as const, board }));
    const built = await builtFor(run, [{ ...setup, stages }]);
    const [missing] = built.missing;
    // something else was asked meanwhile, or it was stopped
    if (own !== turn) return;
    if (missing !== undefined) {
      set({ asking: undefined, found: { ...get().found, [key]: { project, tolerance, problem: missing } } });
      return;
    }
    const mine = askStages(run, setup, part, tolerance, built, onHost, (share) => {
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
    turn++;
    asked?.stop();
    asked = undefined;
    set({ asking: undefined });
  },
}));
