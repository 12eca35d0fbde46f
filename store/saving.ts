import { nanoid } from 'nanoid';
import type { Project } from '@/core/project/project';
import { longestHistory, type Change } from './history';
import { toRecording } from './run-data';
import { usePlace } from './place-store';
import { useProject } from './project-store';
import { useRuns, type RunView } from './run-store';
import {
  addHistory,
  forgetChanges,
  keepChange,
  loadHistory,
  saveProject,
  saveRuns,
  type HistoryEntry,
} from './storage';

/**
 * What is kept in the browser: the document, what happened to it, the newest runs, and what runs have found. A change is kept
 * the moment it happens; the document a moment later.
 */

/** The record of the project that is open: as what it was last read or written, and the last change of its journal. */
interface Keeping {
  readonly id: string;
  mark: string | undefined;
  seq: number;
  /** The document that is in the record. */
  saved: Project | undefined;
  /** Sizes of the changes in the journal, to keep it small. */
  sizes: { readonly seq: number; readonly size: number }[];
}

let keeping: Keeping | undefined;
/** One write after the other. */
let writes: Promise<void> = Promise.resolve();

export function beginKeeping(id: string, mark: string | undefined, seq: number): void {
  keeping = { id, mark, seq, saved: undefined, sizes: [] };
}
/** Keeps a project that was not kept before. */
export function keepNew(project: Project): Promise<void> {
  const record: Keeping = { id: project.id, mark: undefined, seq: 0, saved: undefined, sizes: [] };
  keeping = record;
  writes = writes.then(async () => {
    try {
      record.mark = await saveProject(project);
      // something is kept under its id that could not be read a moment ago
      if (record.mark === undefined) return await apart(project);
      record.saved = project;
    } catch {
      if (keeping === record) saveFailed();
    }
  });
  return writes;
}

export const endKeeping = (): void => void (keeping = undefined);
export const keptSeq = (): number => keeping?.seq ?? 0;
export const keptMark = (): string | undefined => keeping?.mark;

/** Characters of changes that are kept for undoing. */
const largestJournal = 8_000_000;
const most = 2 * longestHistory;

/** Keeps a change at once. */
export function keepNow(change: Change): void {
  const record = keeping;
  if (!record) return;
  const seq = ++record.seq;
  record.sizes.push({ seq, size: sizeOf(change) });
  keepChange(record.id, seq, change).then(
    (kept) => {
      // somebody else has written a change of the same number
      if (!kept && keeping === record) void goApart();
    },
    () => keeping === record && saveFailed(),
  );
}

const sizeOf = (change: Change): number =>
  change.patches.reduce(
    (n, p) => n + 60 + (typeof p.value === 'string' ? p.value.length : (JSON.stringify(p.value)?.length ?? 0)),
    0,
  );

async function trim(record: Keeping): Promise<void> {
  let total = 0;
  let k = record.sizes.length;
  while (k > 0 && total <= largestJournal && record.sizes.length - k < most) total += record.sizes[--k].size;
  if (k > 0) record.sizes = record.sizes.slice(k);
  const first = Math.max(record.seq - most, k > 0 ? record.sizes[0].seq : 0);
  if (first > 1) await forgetChanges(record.id, first);
}

/** Keeps the document as it is; where somebody else has written it meanwhile, this version goes on as a project of its own. */
export function saveNow(): Promise<void> {
  writes = writes.then(write);
  return writes;
}

async function write(): Promise<void> {
  const { project, following } = useProject.getState();
  const record = keeping;
  if (!project || following || record?.id !== project.id || record.saved === project) return;
  const { seq } = record;
  try {
    const mark = await saveProject(project, { mark: record.mark, seq });
    if (keeping !== record) return;
    if (mark === undefined) return await apart(project);
    record.mark = mark;
    record.saved = project;
    if (useProject.getState().project === project) {
      useProject.getState().setSaved('saved');
      if (usePlace.getState().notice?.offers === 'export') usePlace.getState().silence();
    }
    await trim(record);
  } catch {
    if (keeping === record) saveFailed();
  }
}

const noRoom =
  'The browser could not keep the last change: its storage is full, or it lets Zelvar keep nothing. Export the project before you close the page';

/** Told at once, and until it is kept again. */
export function saveFailed(): void {
  useProject.getState().setSaved('failed');
  usePlace.getState().say(noRoom, 'problem', 'export');
}

const goApart = (): Promise<void> =>
  (writes = writes.then(async () => {
    const { project } = useProject.getState();
    if (project && keeping?.id === project.id) await apart(project);
  }));

/** Both versions are kept: the other one where it was, this one under a name of its own. */
async function apart(project: Project): Promise<void> {
  const own: Project = {
    ...project,
    id: `${project.id.slice(0, 50)}-${nanoid(6)}`,
    name: `${project.name.slice(0, 180)} (own version)`,
  };
  try {
    const mark = await saveProject(own);
    const now = useProject.getState();
    if (now.project?.id !== project.id) return;
    beginKeeping(own.id, mark, 0);
    const { undoSteps, redoSteps } = now;
    useProject.getState().follow({ ...now.project, id: own.id, name: own.name }, { history: { undoSteps, redoSteps } });
    usePlace
      .getState()
      .say(
        `${project.name} was changed in another place as well. Nothing is written over: what is here goes on as “${own.name}”, the other version stays as it is`,
        'problem',
        'compare',
      );
  } catch {
    saveFailed();
  }
}

/** Whether closing the page would lose something. */
export const isUnsaved = (): boolean => useProject.getState().saved === 'failed';

/** Writes down what a run found, and with what it ran; not where another one has begun meanwhile. */
export function noteRun(projectId: string, run: number): void {
  const { current, history, setHistory } = useRuns.getState();
  if (current?.model.run !== run) return;
  const { basis } = current.model;
  const entry: HistoryEntry = {
    projectId,
    at: Date.now(),
    began: current.at,
    setup: current.setup,
    changes: current.changes,
    ...(basis && { basis: { model: basis.model, setup: basis.setup, setupId: basis.setupId } }),
    findings: current.findings.map(({ id, verdict, margin, unit, failsSince }) => ({
      id,
      verdict,
      margin,
      unit,
      failsSince,
      ...(basis && { mark: basis.requirements[id] }),
    })),
  };
  setHistory([entry, ...history].slice(0, 200));
  addHistory(entry).catch(() => undefined);
}

export const readHistory = (projectId: string): void =>
  void loadHistory(projectId)
    .then((h) => useRuns.getState().setHistory(h))
    .catch(() => undefined);

/** What is in the browser of the runs of a project: the data of a run that has ended stay as they are. */
let written: { readonly projectId: string; readonly models: Map<number, RunView['model']> } = {
  projectId: '',
  models: new Map(),
};

/** These runs are in the browser as they are. */
export function runsAreKept(projectId: string, runs: readonly RunView[]): void {
  // those of earlier versions are written anew, under the time they began
  written = { projectId, models: new Map(runs.filter((r) => r.at > 2).map((r) => [r.at, r.model])) };
}

/** Keeps the newest runs in the browser. Where another tab writes, its runs are the kept ones. */
export function keepRuns(projectId: string): void {
  const { current, kept } = useRuns.getState();
  if (useProject.getState().following) return;
  if (written.projectId !== projectId) written = { projectId, models: new Map() };
  const { models } = written;
  const stored = (run: RunView) =>
    run.data.rows > 0 && models.get(run.at) !== run.model
      ? [
          {
            projectId,
            slot: run.at,
            setup: run.setup,
            changes: run.changes,
            recording: toRecording(run.data),
            actions: run.actions,
            findings: run.findings,
            model: run.model,
          },
        ]
      : [];
  const all = [...(current ? [current] : []), ...kept];
  const runs = all.flatMap(stored);
  // the one at hand may go on
  for (const run of all) if (run !== current || run.status === 'finished') models.set(run.at, run.model);
  saveRuns(
    projectId,
    runs,
    all.map((r) => r.at),
  ).catch(() => {
    models.clear();
    usePlace.getState().say('The run could not be kept in the browser: there may be no room left');
  });
}
