import { create } from 'zustand';
import type { Problem } from '@/core/language/diagnostics';
import type { Project, Study } from '@/core/project/project';
import type { StudyAnswer } from '@/core/studies/answer';
import type { KeptRun } from '@/core/studies/answer-compare';
import { emptyTable, putPart, type RunTable } from '@/core/studies/run-table';
import { studyMark } from '@/core/studies/study';
import type { StudyNews } from '@/workers/studies.worker';
import { builtFor } from './images';
import { useProject } from './project-store';
import { toRecording } from './run-data';
import { runName, useRuns, type RunState, type RunView } from './run-store';
import { forgetAnswer, keepAnswer, loadAnswers } from './storage';
import { askCrossings, askStudy, type AskedStudy } from './studies-service';

/** Studies that are being asked, and what came of them. */

export interface StudyState {
  /** How far it is; undefined where it is not being asked. */
  readonly asking: { readonly done: number; readonly of: number; readonly since: number } | undefined;
  /** Runs as they come; counts changes of the table. */
  readonly table: RunTable | undefined;
  readonly version: number;
  readonly answer: StudyAnswer | undefined;
  /** Why it could not be asked, and what it was asked with. */
  readonly problems: readonly Problem[];
  readonly askedWith: string;
  /** Row of the run that is looked at; -1 for none. */
  readonly chosen: number;
}

const nothing: StudyState = {
  asking: undefined,
  table: undefined,
  version: 0,
  answer: undefined,
  problems: [],
  askedWith: '',
  chosen: -1,
};

interface StudiesState {
  readonly byId: Readonly<Record<string, StudyState>>;
  put(id: string, changes: Partial<StudyState>): void;
  clear(): void;
}

export const useStudies = create<StudiesState>((set, get) => ({
  byId: {},
  put: (id, changes) => set({ byId: { ...get().byId, [id]: { ...(get().byId[id] ?? nothing), ...changes } } }),
  clear: () => {
    for (const asked of running.values()) asked.stop();
    running.clear();
    set({ byId: {} });
  },
}));

export const studyState = (id: string): StudyState => useStudies.getState().byId[id] ?? nothing;
export const useStudyState = (id: string): StudyState => useStudies((s) => s.byId[id] ?? nothing);

const running = new Map<string, AskedStudy<unknown>>();

/** Takes in what a study tells while it is asked. */
const listener =
  (id: string) =>
  (news: StudyNews): void => {
    const { asking, table, version } = studyState(id);
    if (!asking) return;
    const now = news.part ? (table ?? emptyTable(news.part, news.of)) : table;
    if (news.part && now) putPart(now, news.part);
    useStudies.getState().put(id, {
      asking: { ...asking, done: news.done, of: news.of },
      table: now,
      version: news.part ? version + 1 : version,
    });
  };

/** Runs of this project that are at hand and have ended, the newest first. */
export const endedRuns = ({ current, kept }: Pick<RunState, 'current' | 'kept'>): readonly RunView[] =>
  [...(current && current.status !== 'running' ? [current] : []), ...kept].filter((r) => r.data.rows > 1);
export const keptId = (run: Pick<RunView, 'at'>): string => String(run.at);

const keptRuns = (study: Study): readonly KeptRun[] =>
  endedRuns(useRuns.getState()).flatMap((run) =>
    study.kept.includes(keptId(run))
      ? [
          {
            id: keptId(run),
            name: runName(run),
            recording: toRecording(run.data),
            parts: run.model.parts,
            findings: run.findings.map(({ id, key, verdict, margin, unit }) => ({ id, key, verdict, margin, unit })),
            problem: run.problem?.message ?? '',
          },
        ]
      : [],
  );

/** What compilers make for what a study runs. */
const building = (project: Project, study: Study) => () =>
  builtFor(
    project,
    project.setups.filter((s) => s.id === study.setup || study.setups.includes(s.id)),
  );

/** Asks a study; what was found before stays until something new is. */
export async function startStudy(project: Project, study: Study): Promise<void> {
  const { put } = useStudies.getState();
  if (running.has(study.id)) return;
  put(study.id, {
    asking: { done: 0, of: 0, since: Date.now() },
    table: undefined,
    problems: [],
    askedWith: studyMark(study),
    chosen: -1,
  });
  const asked = askStudy(project, study, building(project, study), keptRuns(study), listener(study.id));
  await finish(study.id, asked, (answer) => {
    const table = answer.found.kind === 'vary' ? answer.found.table : undefined;
    put(study.id, { answer, table, version: studyState(study.id).version + 1 });
    return keepAnswer(project.id, answer);
  });
}

/** Looks for the values at which verdicts change, and adds them to what was found. */
export async function locateCrossings(project: Project, study: Study): Promise<void> {
  const { put } = useStudies.getState();
  const { answer } = studyState(study.id);
  if (answer?.found.kind !== 'vary' || running.has(study.id)) return;
  const { found } = answer;
  put(study.id, { asking: { done: 0, of: 0, since: Date.now() }, problems: [], askedWith: studyMark(study) });
  const asked = askCrossings(project, study, building(project, study), found.table, listener(study.id));
  await finish(study.id, asked, (crossings) => {
    const more: StudyAnswer = { ...answer, found: { ...found, crossings } };
    put(study.id, { answer: more, version: studyState(study.id).version + 1 });
    return keepAnswer(project.id, more);
  });
}

async function finish<T>(id: string, asked: AskedStudy<T>, take: (value: T) => Promise<void>): Promise<void> {
  const { put } = useStudies.getState();
  running.set(id, asked);
  const failed = (message: string): void =>
    put(id, { problems: [{ severity: 'error', code: 'study', message, place: `study/${id}` } as Problem] });
  try {
    const answered = await asked.answer;
    if (running.get(id) !== asked) return;
    if (!answered) return failed('It was ended before anything was found');
    if (answered.value === undefined) return put(id, { problems: answered.problems });
    await take(answered.value).catch(() =>
      failed('The browser could not keep what was found: there may be no room left'),
    );
  } catch (error) {
    if (running.get(id) === asked) failed(error instanceof Error ? error.message : String(error));
  } finally {
    if (running.get(id) === asked) {
      running.delete(id);
      put(id, { asking: undefined });
    }
  }
}

/** Ends a study at once; what is there is kept. */
export const stopStudy = (id: string): void => running.get(id)?.stop();

/** What was found before, of the project that was opened. */
export async function readAnswers(projectId: string): Promise<void> {
  const answers = await loadAnswers(projectId).catch(() => []);
  if (useProject.getState().project?.id !== projectId) return;
  for (const answer of answers) {
    const { answer: newer, asking } = studyState(answer.study);
    if (newer || asking) continue;
    useStudies
      .getState()
      .put(answer.study, { answer, ...(answer.found.kind === 'vary' && { table: answer.found.table }), version: 1 });
  }
}

/** What was found by a study is no longer wanted. */
export function dropAnswer(projectId: string, study: string): void {
  useStudies.getState().put(study, { ...nothing });
  forgetAnswer(projectId, study).catch(() => undefined);
}
