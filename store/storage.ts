import { nanoid } from 'nanoid';
import { openDB, type DBSchema, type IDBPDatabase } from 'idb';
import { projectVersion } from '@/core/project/document';
import type { SetAside } from '@/core/project/salvage';
import type { Project } from '@/core/project/project';
import type { Recording, RecordingColumn } from '@/core/simulate/recording';
import type { RequirementFinding } from '@/core/run/run';
import type { RunBasis } from '@/core/run/basis';
import type { OutsideAction, RunModel } from '@/core/run/protocol';
import type { CaseOutcome } from '@/core/proof/run-case';
import type { StudyAnswer } from '@/core/studies/answer';
import type { Change } from './history';
import { readRecord, type JournalEntry, type ProjectRecord, type ReadRecord } from './read-record';

/** What the browser keeps: projects as they change, what happened to them, and the newest runs of each. */
interface ZelvarDatabase extends DBSchema {
  projects: { key: string; value: ProjectRecord };
  /** What happened to each project, change by change, until it is long ago. */
  journal: { key: [string, number]; value: JournalEntry };
  /** What could not be read, as it was. */
  aside: { key: string; value: AsideRecord };
  runs: { key: [string, number]; value: StoredRun; indexes: { project: string } };
  /** What each finished run found, without its recording. */
  history: { key: number; value: HistoryEntry; indexes: { project: string } };
  /** What came of each study, the newest answer of each. */
  answers: { key: [string, string]; value: StoredAnswer; indexes: { project: string } };
  /** What came of each test case in each stage, the last time. */
  outcomes: { key: [string, string]; value: StoredOutcome; indexes: { project: string } };
  /** Versions that were frozen under a name. */
  baselines: { key: string; value: Baseline; indexes: { project: string } };
  /** The C of each part type as it was handed out last. */
  written: { key: [string, string]; value: WrittenCode; indexes: { project: string } };
}

export interface WrittenCode {
  readonly projectId: string;
  readonly type: string;
  /** In ms. */
  readonly at: number;
  /** None where it was only edited. */
  readonly files: readonly (readonly [string, string])[];
  /** What somebody is making of the source. */
  readonly draft?: CodeDraft;
}
export interface CodeDraft {
  /** The source as it was written. */
  readonly of: string;
  readonly text: string;
}

export interface Baseline {
  readonly id: string;
  readonly projectId: string;
  readonly name: string;
  readonly note: string;
  /** In ms. */
  readonly at: number;
  /** The document as a file has it, which later versions of the application read as well. */
  readonly text: string;
  /** Of that text: the same for whoever has the same. */
  readonly mark: string;
}

export interface StoredOutcome {
  readonly projectId: string;
  /** Id of the case, and its stage. */
  readonly key: string;
  readonly known: KnownOutcome;
}
export interface KnownOutcome {
  readonly outcome: CaseOutcome;
  /** Of what it rests on. */
  readonly mark: string;
  /** In ms. */
  readonly at: number;
}

export interface StoredAnswer {
  readonly projectId: string;
  readonly study: string;
  readonly answer: StudyAnswer;
}

export interface AsideRecord {
  readonly id: string;
  readonly projectId: string;
  readonly name: string;
  readonly at: number;
  readonly pieces: readonly SetAside[];
  /** The record it was found in. */
  readonly value: unknown;
}

export interface HistoryEntry {
  readonly projectId: string;
  readonly at: number;
  /** When the run began, in ms; missing in entries that were kept earlier. */
  readonly began?: number;
  readonly setup: string;
  readonly changes: string;
  /** Marks of the model and of the setup it ran with; missing in entries that were kept earlier, as is the id of the setup. */
  readonly basis?: Pick<RunBasis, 'model' | 'setup'> & { readonly setupId?: string };
  readonly findings: readonly HistoryFinding[];
}

export interface HistoryFinding {
  readonly id: string;
  readonly verdict: RequirementFinding['verdict'];
  readonly margin: number | undefined;
  readonly unit: string;
  readonly failsSince: number | undefined;
  /** Mark of the requirement that was judged; missing in entries that were kept earlier. */
  readonly mark?: string;
}

export interface StoredRun {
  readonly projectId: string;
  /** When it began, in ms. Runs that were kept before there could be several have 0 for the newest and 1 for the one before. */
  readonly slot: number;
  readonly setup: string;
  readonly changes: string;
  readonly recording: Recording;
  /** What was done by hand; missing in runs that were kept earlier. */
  readonly actions?: readonly OutsideAction[];
  readonly findings: readonly RequirementFinding[];
  readonly model: RunModel;
}

let database: Promise<IDBPDatabase<ZelvarDatabase>> | undefined;

/** A browser that does not answer must not keep the application from starting. */
const patience = 4000;

function open(): Promise<IDBPDatabase<ZelvarDatabase>> {
  if (database) return database;
  // where there is no storage at all, asking for it throws
  const opening = Promise.resolve().then(() =>
    openDB<ZelvarDatabase>('zelvar', 7, {
      upgrade(db, from) {
        if (from < 1) {
          db.createObjectStore('projects');
          db.createObjectStore('runs', { keyPath: ['projectId', 'slot'] }).createIndex('project', 'projectId');
        }
        if (from < 2) db.createObjectStore('history', { autoIncrement: true }).createIndex('project', 'projectId');
        if (from < 3) {
          db.createObjectStore('journal', { keyPath: ['projectId', 'seq'] });
          db.createObjectStore('aside', { keyPath: 'id' });
        }
        if (from < 4)
          db.createObjectStore('answers', { keyPath: ['projectId', 'study'] }).createIndex('project', 'projectId');
        if (from < 5)
          db.createObjectStore('written', { keyPath: ['projectId', 'type'] }).createIndex('project', 'projectId');
        if (from < 6)
          db.createObjectStore('outcomes', { keyPath: ['projectId', 'key'] }).createIndex('project', 'projectId');
        if (from < 7) db.createObjectStore('baselines', { keyPath: 'id' }).createIndex('project', 'projectId');
      },
      blocking: () => void closeStorage(),
      terminated: () => (database = undefined),
    }),
  );
  let timer: ReturnType<typeof setTimeout>;
  const late = new Promise<never>(
    (_, reject) =>
      (timer = setTimeout(() => reject(new Error('The storage of the browser does not answer')), patience)),
  );
  const opened = Promise.race([opening, late]).finally(() => clearTimeout(timer));
  database = opened;
  // the next call tries again
  opened.catch(() => database === opened && (database = undefined));
  return opened;
}

/** All changes of a project, the newest last. */
const journalOf = (id: string): IDBKeyRange => IDBKeyRange.bound([id, -Infinity], [id, Infinity]);

/** Keeps a change the moment it happens; false where there is a change of that number already, which stays. */
export async function keepChange(projectId: string, seq: number, change: Change): Promise<boolean> {
  try {
    await (await open()).add('journal', { projectId, seq, version: projectVersion, change });
    return true;
  } catch (error) {
    if (error instanceof DOMException && error.name === 'ConstraintError') return false;
    throw error;
  }
}

/** Changes before this one are no longer kept. */
export const forgetChanges = async (projectId: string, before: number): Promise<void> =>
  (await open()).delete('journal', IDBKeyRange.bound([projectId, -Infinity], [projectId, before], false, true));

/**
 * Keeps a project as it is now, unless somebody else has written it since it was `mark`, or anything is kept under its id where
 * it is `new`: then nothing is touched, and the answer is undefined. Otherwise the answer is its new mark.
 */
export async function saveProject(
  project: Project,
  from: { readonly mark: string | undefined; readonly seq: number } | 'new' = 'new',
): Promise<string | undefined> {
  const db = await open();
  const transaction = db.transaction(['projects', 'journal'], 'readwrite');
  const store = transaction.objectStore('projects');
  const kept = await store.get(project.id);
  if (kept && (from === 'new' || kept.mark !== from.mark)) {
    await transaction.done;
    return undefined;
  }
  if (from === 'new') await transaction.objectStore('journal').delete(journalOf(project.id));
  const mark = nanoid(12);
  await store.put({ project, changed: Date.now(), mark, seq: from === 'new' ? 0 : from.seq }, project.id);
  await transaction.done;
  return mark;
}

/** What is kept of a project; undefined where nothing is. */
export async function loadProject(id: string): Promise<ReadRecord | undefined> {
  const db = await open();
  const transaction = db.transaction(['projects', 'journal']);
  const record: unknown = await transaction.objectStore('projects').get(id);
  const changes: unknown[] = await transaction.objectStore('journal').getAll(journalOf(id));
  await transaction.done;
  return record === undefined ? undefined : readRecord(id, record, changes);
}

/** The mark of what is kept of a project now. */
export const markOf = async (id: string): Promise<string | undefined> =>
  (await (await open()).get('projects', id))?.mark;

/** The record itself, to be exported as it is. */
export const rawRecord = async (id: string): Promise<unknown> => (await open()).get('projects', id);

export interface ProjectEntry {
  readonly id: string;
  readonly name: string;
  readonly note: string;
  readonly changed: number;
}

const textOf = (x: unknown): string => (typeof x === 'string' ? x : '');

/** Kept projects, the one changed last first. */
export async function listProjects(): Promise<ProjectEntry[]> {
  const found: ProjectEntry[] = [];
  const { store } = (await open()).transaction('projects');
  for (let at = await store.openCursor(); at; at = await at.continue()) {
    const { project, changed } = (at.value ?? {}) as { project?: Partial<Project>; changed?: unknown };
    found.push({
      id: String(at.key),
      name: textOf(project?.name) || 'Project without a name',
      note: textOf(project?.note),
      changed: typeof changed === 'number' && Math.abs(changed) < 8e15 ? changed : 0,
    });
  }
  return found.sort((a, b) => b.changed - a.changed);
}

export async function deleteProject(id: string): Promise<void> {
  const db = await open();
  const transaction = db.transaction(
    ['projects', 'journal', 'runs', 'history', 'answers', 'written', 'outcomes', 'baselines'],
    'readwrite',
  );
  await transaction.objectStore('projects').delete(id);
  for (const name of ['answers', 'written', 'outcomes', 'baselines'] as const) {
    const own = transaction.objectStore(name);
    for (const key of await own.index('project').getAllKeys(id)) await own.delete(key);
  }
  await transaction.objectStore('journal').delete(journalOf(id));
  for (const key of await transaction.objectStore('history').index('project').getAllKeys(id))
    await transaction.objectStore('history').delete(key);
  for (const key of await transaction.objectStore('runs').index('project').getAllKeys(id))
    await transaction.objectStore('runs').delete(key);
  await transaction.done;
}

/** Sets aside what could not be read. The same thing is set aside once. */
export async function putAside(entry: Omit<AsideRecord, 'id' | 'at'>): Promise<void> {
  const db = await open();
  const text = JSON.stringify(entry.value);
  const known = (await db.getAll('aside')).some(
    (a) => a.projectId === entry.projectId && JSON.stringify(a.value) === text,
  );
  if (!known) await db.put('aside', { ...entry, id: nanoid(10), at: Date.now() });
}
export const listAside = async (): Promise<AsideRecord[]> =>
  (await (await open()).getAll('aside')).sort((a, b) => b.at - a.at);
export const forgetAside = async (id: string): Promise<void> => (await open()).delete('aside', id);

/** Keeps the runs of a project that are new, and lets go of those that are not among `slots`. */
export async function saveRuns(projectId: string, runs: readonly StoredRun[], slots: readonly number[]): Promise<void> {
  const db = await open();
  const transaction = db.transaction('runs', 'readwrite');
  for (const key of await transaction.store.index('project').getAllKeys(projectId))
    if (!slots.includes(key[1])) await transaction.store.delete(key);
  for (const run of runs) await transaction.store.put(run);
  await transaction.done;
}

/** Kept runs, the newest first; one that cannot be read any more is as good as none. */
export const loadRuns = async (projectId: string): Promise<StoredRun[]> =>
  (await (await open()).getAllFromIndex('runs', 'project', projectId))
    .flatMap((run) => {
      try {
        return isRun(run) ? [withConfigurations({ ...run, slot: run.slot === 0 ? 2 : run.slot })] : [];
      } catch {
        return [];
      }
    })
    .sort((a, b) => b.slot - a.slot);

function isRun(run: StoredRun): boolean {
  const { recording, model, findings } = run;
  return (
    recording.time.length === recording.rows &&
    recording.columns.every((c) => typeof c.name === 'string' && c.values.length === recording.rows) &&
    [model.parts, model.charts, model.shapes, model.settable, findings].every(Array.isArray) &&
    typeof model.units === 'object'
  );
}

/** Runs kept before columns of charts held sets of states had texts there, with several states joined by " + ". */
function withConfigurations(run: StoredRun): StoredRun {
  const columns = run.recording.columns.map((c): RecordingColumn => {
    const chart = c.kind === 'literal' ? run.model.charts.find((x) => x.name === c.name) : undefined;
    if (!chart) return c;
    const configurations = c.literals.map((text) => text.split(' + ').map((path) => chart.states.indexOf(path)));
    return { ...c, kind: 'states', literals: chart.states, configurations };
  });
  return { ...run, recording: { ...run.recording, columns } };
}

/** Keeps what a study has found, in the place of what it found before. */
export const keepAnswer = async (projectId: string, answer: StudyAnswer): Promise<void> => {
  await (await open()).put('answers', { projectId, study: answer.study, answer });
};
export const forgetAnswer = async (projectId: string, study: string): Promise<void> =>
  (await open()).delete('answers', [projectId, study]);

/** What studies of a project have found; what cannot be read any more is as good as nothing. */
export const loadAnswers = async (projectId: string): Promise<StudyAnswer[]> =>
  (await (await open()).getAllFromIndex('answers', 'project', projectId)).flatMap(({ answer }) =>
    typeof answer?.study === 'string' && typeof answer.found?.kind === 'string' ? [answer] : [],
  );

/** Keeps what came of a test case in a stage, in the place of what came of it before. */
export const keepOutcome = async (projectId: string, key: string, known: KnownOutcome): Promise<void> => {
  await (await open()).put('outcomes', { projectId, key, known });
};
/** What came of the test cases of a project; what cannot be read any more is as good as nothing. */
export const loadOutcomes = async (projectId: string): Promise<readonly (readonly [string, KnownOutcome])[]> =>
  (await (await open()).getAllFromIndex('outcomes', 'project', projectId)).flatMap(({ key, known }) =>
    typeof known?.mark === 'string' && typeof known.outcome?.verdict === 'string' ? [[key, known] as const] : [],
  );

/** Keeps a version under a name; one that is kept does not change. */
export const keepBaseline = async (of: Baseline): Promise<void> => void (await (await open()).add('baselines', of));
export const forgetBaseline = async (id: string): Promise<void> => (await open()).delete('baselines', id);
/** Of a project, the newest first. */
export const loadBaselines = async (projectId: string): Promise<readonly Baseline[]> =>
  (await (await open()).getAllFromIndex('baselines', 'project', projectId))
    .filter((b) => typeof b.text === 'string' && typeof b.name === 'string')
    .sort((a, b) => b.at - a.at);

const longestHistory = 200;

/** Keeps what a run found; the oldest entries of a project go when there are too many. */
export async function addHistory(entry: HistoryEntry): Promise<void> {
  const db = await open();
  const transaction = db.transaction('history', 'readwrite');
  await transaction.store.add(entry);
  const keys = await transaction.store.index('project').getAllKeys(entry.projectId);
  for (const key of keys.slice(0, Math.max(0, keys.length - longestHistory))) await transaction.store.delete(key);
  await transaction.done;
}

/** What earlier runs found, newest first. */
export const loadHistory = async (projectId: string): Promise<HistoryEntry[]> =>
  (await (await open()).getAllFromIndex('history', 'project', projectId))
    .filter((h) => Array.isArray(h.findings) && Number.isFinite(h.at))
    .sort((a, b) => b.at - a.at);

/** Forgets the open connection, so that tests can start over. */
export const closeStorage = async (): Promise<void> => {
  if (database) (await database).close();
  database = undefined;
};

/** The C of a part type as it was handed out last; undefined where it never was. */
export const writtenCode = async (projectId: string, type: string): Promise<WrittenCode | undefined> =>
  (await open()).get('written', [projectId, type]);
export const keepWrittenCode = async (written: WrittenCode): Promise<void> =>
  void (await (await open()).put('written', written));
